"""A pass over programs that forgets a new statement or expression fails loudly."""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger.engines.native import expressions as native_expressions
from mint_ledger.engines.native import statements as native_statements
from mint_ledger.engines.native.compiling import module_text
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.facts.states import period_of_turns, procedures
from mint_ledger.program import parts, walking
from mint_ledger.program import statements as st
from mint_ledger.program.expressions import ONE, Expr
from mint_ledger.program.program import Program
from mint_ledger.program.statements import Statement
from mint_ledger.program.verify import verify

SOURCE = Path(mint.__file__).parent
PASSES = ("program", "facts", "engines", "exact", "lowering", "balance")
# These look for one shape and answer for all others alike; none of them is asked what a program does.
RECOGNISERS = {
    ("expressions.py", "_condition"): "all others are calculated as numbers, by a table that has them all",
    ("expressions.py", "condition"): "all others are calculated as numbers, by a table that has them all",
    ("apart.py", "_read_first"): "all others read what they are made of, and then set their locals",
    ("apart.py", "free_locals"): "all others name no local themselves",
    ("states.py", "_waits"): "whatever names the column is taken to look at any time",
    ("states.py", "_waits_until"): "hands all others on to _waits",
    ("states.py", "_worth"): "all others have no value that is known",
    ("duel.py", "pruned"): "all others stay as they are",
    ("dice.py", "_block"): "all others stay as they are",
    ("dice.py", "_throw"): "all others stay as they are",
    ("dice.py", "_number"): "all others have no value that is known",
    ("expressions.py", "is_plain"): "all others may fail or take long, and are asked as they stand",
    ("expressions.py", "plain_flag"): "all others are asked as conditions",
    ("expressions.py", "whole_of"): "all others are not known to be whole, and are calculated as numbers",
    ("thresholds.py", "_block"): "all others cut no draw but by the comparisons in them",
    ("thresholds.py", "_throw"): "all others are no throw of one die",
    ("thresholds.py", "_value"): "all others have no value that is known",
    ("engine.py", "_horizon"): "with any other limit no last step is known",
}


def matches() -> list[tuple[str, str, ast.Match]]:
    """All matches over the sorts of statements or expressions, with their file and function."""
    found = []
    for folder in PASSES:
        for file in (SOURCE / folder).rglob("*.py"):
            for function in ast.walk(ast.parse(file.read_text("utf-8"))):
                if isinstance(function, ast.FunctionDef):
                    inner = [n for n in function.body if not isinstance(n, ast.FunctionDef)]
                    for node in (n for part in inner for n in ast.walk(part)):
                        if isinstance(node, ast.Match) and any(map(names_a_sort, node.cases)):
                            found.append((file.name, function.name, node))
    return found


def names_a_sort(case: ast.match_case) -> bool:
    return any(
        isinstance(part, ast.MatchClass) and ast.unparse(part.cls).startswith(("st.", "ex."))
        for part in ast.walk(case.pattern)
    )


def ends_in_never(match: ast.Match) -> bool:
    last = match.cases[-1]
    return ast.unparse(last.pattern) == "_" and any(ast.unparse(s).startswith("assert_never(") for s in last.body)


def test_every_match_over_the_sorts_names_them_all_or_fails() -> None:
    found = matches()
    assert len(found) > 12
    open_ended = {(file, function) for file, function, match in found if not ends_in_never(match)}
    # Verifying hands what is no expression on to the statements, which end in assert_never.
    assert open_ended - {("verify.py", "_nodes")} == set(RECOGNISERS)


@dataclass(frozen=True, slots=True)
class Shout:
    """A statement that nothing knows yet."""

    volume: Expr


@dataclass(frozen=True, slots=True)
class Mood:
    """An expression that nothing knows yet."""

    value: Expr


def program() -> Program:
    game = mint.loads("clock: {limit: 3}\nkinds: {goat: {stats: {grass: {start: 3, fade: {rate: 1}, min: 0}}}}")
    return game.lowered.program


def with_new(sort: str) -> Program:
    """A program with something new in a part of its step."""
    plain = program()
    before = plain.procedures[parts.FLOWS]
    new = Shout(ONE) if sort == "statement" else st.Let(0, Mood(ONE))
    body = (*before.body, new)
    changed = replace(before, locals=before.locals + 1, body=body)
    return replace(plain, procedures={**plain.procedures, parts.FLOWS: changed})


def play(changed: Program) -> object:
    engine = ReferenceEngine(changed)
    engine.open()
    return engine.play()


@pytest.mark.parametrize("sort", ["statement", "expression"])
@pytest.mark.parametrize(
    "a_pass",
    [verify, play, module_text, lambda changed: period_of_turns(changed, procedures(changed))],
    ids=["verify", "reference engine", "machine code", "exact answers"],
)
def test_each_pass_refuses_what_it_does_not_know(
    a_pass: Callable[[Program], object], sort: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    for table in ("_FIELDS", "_LOCALS", "_COLUMNS", "_CALLEES"):
        known = getattr(walking, table)
        new = {Shout: ("volume",), Mood: ("value",)} if table == "_FIELDS" else {Shout: (), Mood: ()}
        monkeypatch.setattr(walking, table, {**known, **new})
    a_pass(program())
    with pytest.raises((AssertionError, AttributeError, KeyError)):
        a_pass(with_new(sort))


def test_machine_code_knows_all_sorts() -> None:
    assert set(native_statements._LOWERING) == set(walking.STATEMENTS)
    flags = set(native_expressions.FLAGS)
    assert set(native_expressions._LOWERING) | flags == set(walking.EXPRESSIONS)


def test_the_reference_engine_knows_all_sorts() -> None:
    for kind, word in ((Statement, "statement"), (Expr, "expression")):
        for sort in kind.__args__:
            assert hasattr(ReferenceEngine, f"_{sort.__name__.lower()}_{word}")


def test_what_a_node_names_is_known_by_its_fields() -> None:
    """A field of a new type or name is to be thought of where passes ask for locals, columns and what is called."""
    kinds = (*walking.EXPRESSIONS, *walking.STATEMENTS)
    numbers = {(kind.__name__, f.name) for kind in kinds for f in fields(kind) if str(f.type) in ("int", "int | None")}
    locals_ = {(kind.__name__, name) for kind in kinds for name in walking._LOCALS[kind]}
    assert numbers - locals_ == {
        ("Dial", "index"),
        ("DialOf", "first"),
        ("Checked", "formula"),
        ("Guard", "formula"),
        ("Note", "text"),
        ("Raise", "event"),
        ("Finish", "ending"),
    }
    columns = {(kind.__name__, f.name) for kind in kinds for f in fields(kind) if str(f.type) == "Column"}
    assert columns == {(kind.__name__, name) for kind in kinds for name in walking._COLUMNS[kind]}
    called = {(kind.__name__, f.name) for kind in kinds for f in fields(kind) if str(f.type) == "Handle"}
    assert called | {("Apply", "function")} == {(k.__name__, n) for k in kinds for n in walking._CALLEES[k]}
