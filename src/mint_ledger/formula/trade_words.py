"""Words and signs of other languages that a designer tries in a formula, and what means them here."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable

from mint_ledger.errors import nearest

# Each call with what is written in its place.
_CALLS: dict[str, str] = {}


def _mean(words: str, written: str) -> None:
    _CALLS.update(dict.fromkeys(words.split(), written))


_mean("rand random randf rnd frand uniform", "between(0, 1)")
_mean("randint rand_int randi random_int rand_range randrange random_range irandom", "whole(1, 6)")
_mean("roll d die throw", "dice(2, 6)")
_mean("gauss gaussian randn norm", "normal(10, 2)")
_mean("probability prob proc percent odds happens", "chance(0.3)")
_mean("choose choice sample weighted random_choice pick_one", "pick(1, 2, weights=(3, 1))")
_mean("lerp mix interpolate blend", "a + (b - a) * share")
_mean("ceiling roundup", "ceil(a)")
_mean("trunc int rounddown integer", "floor(a)")
_mean("pow power", "a ** 2")
_mean("square", "a ** 2")
_mean("sign sgn", "1 if a > 0 else -1")
_mean("iif iff select ternary cond when switch ifelse", "a if condition else b")
_mean("avg average mean", "total(crab.health) / count(crab)")
_mean("sum", "total(crab.health), or a + b")
_mean("len size number number_of num how_many", "count(crab)")
_mean("exists some has_any", "any(crab.health > 0)")
_mean("clip saturate bound limit constrain", "clamp(a, 0, 100)")
_mean("dist", "distance(crab, keeper)")
_mean("now clock elapsed get_time", "time")
_mean("ln", "log(a)")
_mean("mod modulo", "a % b")
_mean("div", "a / b")
_mean("maximum", "max(a, b)")
_mean("minimum", "min(a, b)")

_DICE = re.compile(r"(?<![\w.])(\d*)d(\d+)\b", re.I)
_LOGIC = "write 'and', 'or', 'not'"
# Signs of other languages, with what is written here; the first that is found is told.
# `60 %`, and no remainder: nothing that could be divided by stands behind it.
_PER_CENT = re.compile(r"(?<![\w.])(\d+(?:\.\d+)?)\s*%\s*(?:$|[)*+,-])")
_SIGNS: tuple[tuple[re.Pattern[str], str], ...] = (
    (re.compile(r"&&"), _LOGIC),
    (re.compile(r"\|\|"), _LOGIC),
    (re.compile(r"<>"), "write '!='"),
    (re.compile(r"=<"), "write '<='"),
    (re.compile(r"=>"), "write '>='"),
    (re.compile(r"\+\+|(?<!-)--(?!-)\s*$"), "write it like 'lives += 1'"),
    (re.compile(r"\?[^:]*:"), "write 'a if condition else b'"),
    (re.compile(r"(?<!\w)if\s*\("), "write 'a if condition else b'"),
    (re.compile(r"(?<!\w)(?:then|elseif|endif|end)(?!\w)"), "write 'a if condition else b'"),
    (re.compile(r"!(?!=)"), _LOGIC),
    (re.compile(r"\d\.\.\d"), "compare both ends: 'a >= 1 and a <= 5'"),
    (re.compile(r"\d+\.\d+\.\d+"), "a number has one point"),
)


# Operators of Python that formulas have no use for, as they mean something else in other languages.
_OPERATORS: dict[type[ast.AST], str] = {
    ast.BitXor: "; a power is written '**': a ** 2",
    ast.BitAnd: "; write 'and'",
    ast.BitOr: "; write 'or'",
    ast.Invert: "; write 'not'",
}


def operator_hint(node: ast.AST) -> str:
    """Return what is written for an operator that means something else in other languages; or nothing."""
    return _OPERATORS.get(type(node), "")


def call_hint(name: str, known: Iterable[str]) -> str:
    """Return what a call that is not known may mean: a known word of the trade, else the nearest name."""
    written = _CALLS.get(name.lower())
    return f"; write {written}" if written is not None else nearest(name, known)


def name_hint(name: str, known: Iterable[str]) -> str:
    """Return what a name that is not known may mean: dice as they are written on paper, else the nearest name."""
    dice = _DICE.fullmatch(name)
    return f"; write dice({dice[1] or 1}, {dice[2]})" if dice is not None else nearest(name, known)


def sign_hint(text: str) -> str:
    """Return what would be written here, where a text that is no formula has a sign of another language; or nothing."""
    if (dice := _DICE.search(text)) is not None:
        return f"write dice({dice[1] or 1}, {dice[2]}) for {dice[0]}"
    if (share := _PER_CENT.search(text)) is not None:
        return f"write {float(share[1]) / 100:g} for {share[1]} %"
    return next((hint for pattern, hint in _SIGNS if pattern.search(text)), "")
