"""The page of the Python calls, made from signatures and docstrings as plain Markdown."""

from __future__ import annotations

import inspect
import textwrap
from collections.abc import Iterator
from dataclasses import is_dataclass
from functools import cached_property
from importlib import import_module
from typing import Any

import mint_ledger as mint

SECTIONS = ("Args", "Attributes", "Raises", "Returns")
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


def api_page() -> str:
    """All public calls: signature, what it does, its arguments and the errors that it raises."""
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
    ]
    for heading, module, names in WHOLE:
        if heading:
            lines += ["", f"## {heading}"]
        for name in names:
            lines += _thing(getattr(import_module(module), name), name)
    return "\n".join(lines) + "\n"


def _listed(names: list[str]) -> str:
    return ", ".join(f"`{name}`" for name in names if not name.startswith("_"))


def _thing(thing: Any, name: str) -> list[str]:
    if not inspect.isclass(thing):
        return ["", f"### {name}", "", _signature(thing, name), "", *_said(thing)]
    lines = ["", f"### {name}", "", *_said(thing)]
    for member, what in _members(thing, name):
        if isinstance(what, (property, cached_property)):
            read = what.fget if isinstance(what, property) else what.func
            kind = str(inspect.signature(read).return_annotation)
            lines += ["", f"#### {name}.{member}", "", f"`{member}: {kind}`", "", *_said(read)]
        else:
            lines += ["", f"#### {name}.{member}", "", _signature(what, member), "", *_said(what)]
    return lines


def _members(thing: type, name: str) -> Iterator[tuple[str, Any]]:
    """What a class itself defines that is public and says what it does, in its order."""
    wanted = ONLY.get(name)
    places = (
        [thing] if wanted is None else [base for base in thing.__mro__ if base.__module__.startswith("mint_ledger")]
    )
    seen = set()
    for place in places:
        for member, what in vars(place).items():
            inner = what.__func__ if isinstance(what, (classmethod, staticmethod)) else what
            told = isinstance(inner, (property, cached_property)) or inspect.isfunction(inner)
            if member in seen or not told or member.startswith("_") or (wanted is not None and member not in wanted):
                continue
            if inspect.getdoc(inner.func if isinstance(inner, cached_property) else inner):
                seen.add(member)
                yield member, inner


def _signature(call: Any, name: str) -> str:
    signature = inspect.signature(call)
    parameters = [p for p in signature.parameters.values() if p.name != "self"]
    head, tail = (
        f"{name}(",
        ")"
        + (f" -> {signature.return_annotation}" if signature.return_annotation is not inspect.Signature.empty else ""),
    )
    parts = []
    starred = False
    for parameter in parameters:
        if parameter.kind is parameter.KEYWORD_ONLY and not starred:
            parts.append("*")
            starred = True
        starred = starred or parameter.kind is parameter.VAR_POSITIONAL
        text = {parameter.VAR_POSITIONAL: "*", parameter.VAR_KEYWORD: "**"}.get(parameter.kind, "") + parameter.name
        if parameter.annotation is not parameter.empty:
            text += f": {parameter.annotation}"
        if parameter.default is not parameter.empty:
            shown = repr(parameter.default)
            text += f" = {'…' if callable(parameter.default) or is_dataclass(parameter.default) else shown}"
        parts.append(text)
    line = head + ", ".join(parts) + tail
    if len(line) > 100:
        line = head + "\n" + "".join(f"    {part},\n" for part in parts) + tail
    return f"```python\n{line}\n```"


def _said(thing: Any) -> list[str]:
    """A docstring as Markdown: its sections as lists."""
    lines: list[str] = []
    section = ""
    doc = (inspect.getdoc(thing) or "").replace("\t", "    ")
    items: list[str] = []

    def close() -> None:
        nonlocal section
        if section:
            while lines and not lines[-1].strip():
                lines.pop()
            lines.extend(["", f"{section}:", ""])
            for item in items:
                term, colon, text = item.partition(": ")
                lines.append(f"- `{term}`: {text}" if colon else f"- {item}")
        items.clear()
        section = ""

    for line in doc.splitlines():
        if line.rstrip(":") in SECTIONS and line.endswith(":"):
            close()
            section = line[:-1]
        elif section and line.strip() and not line.startswith("    "):
            close()
            lines.extend(["", line])
        elif section and line.strip():
            inner = textwrap.dedent(line) if line[4:5] == " " else line[4:]
            if line[4:5] == " " and items:
                items[-1] += " " + inner.strip()
            else:
                items.append(inner.strip())
        elif not section:
            lines.append(line)
    close()
    return [line.rstrip() for line in lines]
