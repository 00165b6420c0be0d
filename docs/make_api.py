"""The pages of the Python calls: a list of all, and one page for each that the site fills from its docstrings."""

from __future__ import annotations

import inspect
from collections.abc import Iterator
from importlib import import_module

import mint_ledger as mint

# Each with the heading under which it stands; what is not said is all that is public.
WHOLE: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("Read a game", "mint_ledger.client", ("load", "loads", "load_revision", "load_script", "Game")),
    ("For others", "mint_ledger.sharing", ("SharedGame",)),
    ("A store", "mint_ledger.studies.store", ("Store",)),
    ("What every stage of a game is given", "mint_ledger.lowering.playable", ("PlayableGame",)),
    ("Dials", "mint_ledger.game.dials", ("Dials",)),
    ("A run", "mint_ledger.playing.run", ("Run",)),
    ("A statement", "mint_ledger.journal.statement", ("Statement",)),
    ("Playing by hand", "mint_ledger.playing.session", ("Session",)),
    ("A study", "mint_ledger.studies.study", ("Study",)),
    ("Estimates", "mint_ledger.studies.estimate", ("Estimate",)),
    ("Looks at many runs", "mint_ledger.studies.ends", ("Ends",)),
    ("", "mint_ledger.studies.course", ("Course",)),
    ("", "mint_ledger.studies.income", ("Income",)),
    ("", "mint_ledger.studies.shape", ("Shape",)),
    ("", "mint_ledger.balance.attacks", ("Attacks",)),
    ("", "mint_ledger.balance.grid", ("Grid",)),
    ("Exact answers", "mint_ledger.exact.answers", ("Exact",)),
    ("Targets", "mint_ledger.balance.targets", ("Judged", "JudgedTargets")),
    ("Sweeps, comparisons and shares", "mint_ledger.balance.sweep", ("Sweep",)),
    ("", "mint_ledger.balance.comparison", ("Comparison",)),
    ("", "mint_ledger.balance.shares", ("Shares",)),
    ("Tuning", "mint_ledger.balance.tune", ("Tuned",)),
    ("", "mint_ledger.balance.tune_many", ("TunedMany",)),
    ("", "mint_ledger.balance.tune_most", ("TunedMost",)),
    ("", "mint_ledger.balance.sensitivity", ("Sensitivity",)),
    ("Fights", "mint_ledger.balance.matchup", ("Matchups",)),
    ("", "mint_ledger.balance.matchup_curve", ("MatchupCurves",)),
    ("Players", "mint_ledger.players.range", ("PlayRange",)),
    ("", "mint_ledger.players.likeness", ("Likeness",)),
    ("", "mint_ledger.players.fit", ("Fit",)),
    ("Findings", "mint_ledger.audit.audit", ("Audit",)),
    ("Errors", "mint_ledger.errors", ("MintError", "GameError", "NotFound", "NoSuchKey", "BadRequest", "RunStopped",
                                     "BooksError", "Fault", "Place")),
)  # fmt: skip
ONLY = {
    "PlayableGame": (
        "dials", "with_dials", "with_variant", "turned", "scripted", "script", "target", "file", "changes", "lowered", "model_copy",
        "to_yaml", "save",
    ),
}  # fmt: skip


CALLS = ("load", "loads", "load_revision", "load_script")


def api_pages() -> Iterator[tuple[str, str]]:
    """All pages of the Python calls: where each stands under `docs`, and its text."""
    yield "python-api.md", _index()
    yield "api/reading.md", "# Read a game\n\n" + "\n".join(f"::: mint_ledger.client.{name}\n" for name in CALLS)
    for _, module, names in WHOLE:
        for name in names:
            if name not in CALLS:
                yield f"api/{name}.md", _page(module, name)


def _page(module: str, name: str) -> str:
    members = "".join(f"        - {member}\n" for member in ONLY.get(name, ()))
    options = f"    options:\n      inherited_members: true\n      members:\n{members}" if members else ""
    return f"# {name}\n\n::: {module}.{name}\n{options}"


def _index() -> str:
    lines = [
        "# The Python calls",
        "",
        f"`import mint_ledger as mint`; `mint` itself has {_listed(sorted(mint.__all__))}.",
        "",
        "What a call raises is a `mint.MintError`, whose text is for a designer (only `Game(…)` itself raises what pydantic "
        "does, where its arguments fit no model). A call that takes long takes "
        "`progress=`, and is stopped with Ctrl-C.",
        "",
        "In signatures `Whole` is a whole number and `Number` any number, of Python's own or of NumPy; `Numbers` are "
        "several, as a list, an array or a series, and `Words` numbers or words; `Settings` are dials by name with what "
        "they are set to, as a mapping or a series.",
        "",
        "Each name has a page of its own with its calls, their arguments, what they return and raise. The site fills them "
        "from the docstrings; in Python `help(mint.Game)` shows the same.",
    ]
    for heading, module, names in WHOLE:
        if heading:
            lines += ["", f"## {heading}", "", "| name | what it is |", "|---|---|"]
        for name in names:
            page = "reading" if name in CALLS else name
            said = (inspect.getdoc(getattr(import_module(module), name)) or "").split("\n\n")[0].replace("\n", " ")
            lines.append(f"| [`{name}`](api/{page}.md) | {said.replace('|', chr(92) + '|')} |")
    return "\n".join(lines) + "\n"


def _listed(names: list[str]) -> str:
    return ", ".join(f"`{name}`" for name in names if not name.startswith("_"))
