"""Which options of a command go together: an option that would be ignored is refused, from one table.

An option *needs* another that it adds to, or is *apart* from those that what it asks for makes no use of.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from mint_ledger.errors import BadRequest


@dataclass(frozen=True)
class Needs:
    """An option that has an effect with one of some others alone, by the names of parameters; `told` names these."""

    option: str
    others: tuple[str, ...]
    told: str = ""


@dataclass(frozen=True)
class Apart:
    """Options that have no effect where another is given, by the names of parameters; `because` says what that does."""

    option: str
    without: tuple[str, ...]
    because: str


@dataclass(frozen=True)
class Idle:
    """Options of how runs are played that have no effect where another is given: that is said, not refused."""

    option: str
    without: tuple[str, ...]
    because: str


_LOOK = "which is a study of its own"
_NOT_LOOKED = ("exact", "until", "worst", "store", "shape", "cluster", "figure", "yes", "states", "seconds")
_SAMPLED = ("account", "until", "worst", "store", "plot", "figure", "cluster", "output", "shape")
_BEST = "which looks for the best of all settings"
_NOT_BEST = (
    *("target", "want", "measure", "habits", "write", "plot", "output", "as_variant", "answer"),
    *("seconds", "most_runs"),
)
_PLAYS = "recorded plays, behind the game: mint-ledger players GAME plays.csv"
_FITTED = ("fit", "mix", "columns", "changes", "store", "anyway")


def _looks() -> list[Apart]:
    looks = ("ends", "per", "each", "attacks", "income", "own")
    found = []
    for look in looks:
        without = (*_NOT_LOOKED, *(other for other in looks if other != look))
        without += () if look == "per" else ("account",)
        without += () if look == "each" else ("measure",)
        found.append(Apart(look, without, _LOOK))
    return found


TABLE: Mapping[str, tuple[Needs | Apart | Idle, ...]] = {
    "check": (Apart("order", ("junit", "as_json", "judge"), "which shows the order alone"),),
    "run": (
        Apart("only", ("output", "plot", "timeline", "readout", "as_json"), "which chooses rows of the story alone"),
        Apart("readout", ("start", "end", "as_json"), "which shows the readout at its own times"),
        Apart("readout", ("full",), "which shows the readout alone"),
        Apart("as_json", ("full",), "which has all that happened in any case"),
        Apart("output", ("start", "end", "full"), "which writes the whole journal"),
        Apart("plot", ("start", "end", "full"), "which draws the whole run"),
        Apart("timeline", ("start", "end", "full"), "which draws the whole run"),
        Needs("account", ("plot",)),
    ),
    "statement": (
        Apart("by_level", ("compare", "plot", "start", "end"), "which closes at each level"),
        Apart("compare", ("plot",), "which shows two runs side by side"),
        Apart("plot", ("as_json",), "which draws the statement"),
    ),
    "audit": (
        Apart(
            "about",
            ("runs", "seed", "variants", "settings", "engine", "only", "strict", "every"),
            "which plays nothing",
        ),
        Apart("about", ("quick", "players", "seconds", "output", "sarif", "as_json"), "which plays nothing"),
    ),
    "study": (
        *_looks(),
        Apart("exact", _SAMPLED, "which plays no runs"),
        Idle("exact", ("runs", "seed", "sure", "engine"), "which plays no runs"),
        Apart("shape", ("worst", "figure", "account"), "which shows one measure alone"),
        Needs("states", ("exact",)),
        Needs("seconds", ("exact",)),
        Needs("yes", ("until",)),
        Needs("figure", ("plot",)),
    ),
    "compare": (
        Apart("shape", ("shares", "measure"), "which shows how one measure is spread"),
        Apart("shares", ("shape",), "which shares out one estimate"),
    ),
    "players": (
        Apart("plays", ("skill", "most_runs", "seconds"), "which are held against the game"),
        Idle("mix", ("runs", "sure"), "which has its own runs and intervals"),
        Idle("fit", ("runs", "sure"), "which has its own runs and intervals"),
        *(Needs(option, ("plays",), _PLAYS) for option in _FITTED),
        *(Needs(option, ("fit",), "a fitted habit: --fit DIAL=RANGE") for option in ("store", "changes")),
        Needs("plot", ("skill", "plays"), "--skill, or recorded plays behind the game"),
    ),
    "matchup": (Apart("dial", ("seconds",), "which fights until it knows each setting"),),
    "odds": (Needs("drawings", ("as_json",)),),
    "history": (
        Apart("verify", ("number", "other", "compare", "shares"), "which looks at all studies"),
        Needs("compare", ("number",), "two studies: mint-ledger history STORE 1 2"),
        Needs("shares", ("other", "compare"), "two studies: mint-ledger history STORE 1 2 --shares"),
    ),
    "sweep": (Needs("spread", ("points",)),),
    "tune": (
        Apart("most", (*_NOT_BEST, "least"), _BEST),
        Apart("least", _NOT_BEST, _BEST),
        Apart(
            "habits",
            ("target", "played_by", "variants", "as_variant", "answer", "sure"),
            "which names its variants after the habits",
        ),
        Needs("as_variant", ("write",)),
    ),
    "sensitivity": (Apart("sobol", ("plot", "share", "sure"), "which works out indices"),),
    "export": (
        Apart("as_schema", ("variant", "every"), "which gives the schema of all game files"),
        Apart("every", ("variant",), "which gives all variants"),
    ),
}


def refuse_ignored(command: str, given: Iterable[str], spelled: Mapping[str, str]) -> list[str]:
    """Refuse an option that would be ignored because of others that were given; return what is to be said of the rest.

    Args:
        command: its name.
        given: the parameters that stand on the command line.
        spelled: each parameter as people write it.

    Raises:
        BadRequest: one of them would be.
    """
    there, told = set(given), []
    for rule in TABLE.get(command, ()):
        if rule.option not in there:
            continue
        option = spelled[rule.option]
        if isinstance(rule, Needs):
            if not there & set(rule.others):
                needed = rule.told or " or ".join(spelled[other] for other in rule.others)
                raise BadRequest(f"{option} wants {needed}, and does nothing without")
            continue
        for other in (spelled[name] for name in rule.without if name in there):
            if isinstance(rule, Apart):
                raise BadRequest(f"{other} does not go with {option}, {rule.because}")
            told.append(f"{other} has no effect with {option}, {rule.because}")
    return told
