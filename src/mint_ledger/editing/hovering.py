"""What is told of a name or key while one looks at it: what it is made of, who changes it, who reads it."""

from __future__ import annotations

from dataclasses import dataclass

from mint_ledger.editing.analysis import Analysis
from mint_ledger.editing.cursor import spot_at
from mint_ledger.editing.names import Name, name_meant, short, token_at
from mint_ledger.editing.standing import is_name, words_of
from mint_ledger.formula.syntax import CALL_MEANINGS
from mint_ledger.game.paths import path_name
from mint_ledger.game.writing import yaml_of
from mint_ledger.playing.why import lines_at
from mint_ledger.program.handle import Path

MOST_TOLD = 8


@dataclass(frozen=True, slots=True)
class Hover:
    """What is told of a place, in Markdown, and from where to where in its line it is told of."""

    text: str
    first: int
    last: int


def told_at(analysis: Analysis, text: str, line: int, column: int) -> Hover | None:
    """Return what is told of a place of a text, by its line and column from 0; none where nothing is known of it."""
    spot, content = spot_at(text, line, column), text.split("\n")[line]
    token = token_at(content, column)
    if spot is None or token is None:
        return None
    if spot.at == "key":
        key = (*spot.path, token.text)
        words = None if is_name(key) else words_of(key)
        if words is not None:
            unit = f" In {words.unit}." if words.unit else ""
            return Hover(f"`{token.text}`: {words.does}{unit}\n\nLike `{words.shown}`.", token.first, token.last)
    name = name_meant(analysis, spot, token)
    return Hover(_about(analysis, name), token.first, token.last) if name is not None else None


def _about(analysis: Analysis, name: Name) -> str:
    if name.sort == "stat":
        return _stat(analysis, name)
    if name.sort == "call":
        form = next((form for form in CALL_MEANINGS if form.startswith(f"{name.text}(")), name.text)
        return f"`{form}`: {CALL_MEANINGS.get(form, name.about)}"
    head = f"{name.sort} **{name.text}**" + (f": {name.about}" if name.about else "")
    parts = [head, _code(analysis, name.path), *_numbers(analysis, name)]
    return "\n\n".join(part for part in parts if part)


def _code(analysis: Analysis, path: Path) -> str:
    """The lines of the file on which something stands."""
    source = analysis.source
    if source is None or not path or path not in source.places:
        return ""
    place = source.place(path)
    before = source.text_at(place).splitlines()[place.line - 1][: place.column - 1]
    if before.strip(" -"):
        # It stands among others on its line, so that part of them is shown alone.
        part = source.data
        for step in path:
            part = part[step]
        return f"```yaml\n{yaml_of({str(path[-1]): part}, open_to=0).rstrip()}\n```"
    return "```yaml\n" + "\n".join(lines_at(source, path)) + "\n```"


def _numbers(analysis: Analysis, name: Name) -> list[str]:
    if name.sort != "number" or analysis.played is None:
        return []
    text = name.text
    found = [path for (path, said), meant in analysis.sites.meant.items() if said == text and meant.sort == "number"]
    return [_list("Read by", [_place(analysis, path) for path in found])]


def _stat(analysis: Analysis, name: Name) -> str:
    """Return what a stat is made of, who changes it, who reads it."""
    facts = analysis.facts
    owners = name.owners or ("",)
    title = ", ".join(facts.account(owner, name.text) if facts else name.text for owner in owners)
    parts = [f"stat **{title}**"]
    if facts is None:
        return "\n\n".join([*parts, _code(analysis, name.path)])
    for owner in owners:
        known = facts.stats.get((owner, name.text))
        if known is None:
            continue
        path, model = known
        stands = _code(analysis, path)
        parts.append(stands or f"`{short(model)}`")
    changed: dict[str, None] = {}
    for owner in owners:
        for effect in facts.effects_on(owner, name.text):
            for number in sorted(effect.causes):
                cause = facts.game.lowered.program.causes[number]
                way = "+" if effect.gains and not effect.takes else "−" if effect.takes and not effect.gains else "±"
                changed[f"{way} {cause.name}{_line(analysis, cause.path)}"] = None
    accounts = {(owner, name.text) for owner in owners}
    read = [site.path for site in facts.sites.formulas.values() if site.reads & accounts]
    read += [path for path, account in facts.sites.shown if account in accounts]
    parts.append(_list("Changed by", list(changed)))
    parts.append(_list("Read by", [_place(analysis, path) for path in read]))
    return "\n\n".join(part for part in parts if part)


def _place(analysis: Analysis, path: Path) -> str:
    data = analysis.source.data if analysis.source is not None else None
    section = str(path[0]) if path else ""
    return f"{path_name(path, data) or section}{_line(analysis, path)}"


def _line(analysis: Analysis, path: Path) -> str:
    source = analysis.source
    if source is None or not path:
        return ""
    return f" ({source.place(path).told(source.file)})"


def _list(title: str, items: list[str]) -> str:
    """A short list in a line."""
    items = list(dict.fromkeys(items))
    if not items:
        return ""
    more = f", and {len(items) - MOST_TOLD} more" if len(items) > MOST_TOLD else ""
    return f"{title}: {', '.join(items[:MOST_TOLD])}{more}"
