"""The words of `try`: each line is a command; what happens from outside is read as a script's happening."""

from __future__ import annotations

import textwrap
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from mint_ledger.errors import BadRequest, nearest

HELP = {
    "go": "go 5 · go until keeper.health < 50 · Enter alone goes on for one second (or turn)",
    "step": "step · step 10: goes on for so many steps",
    "act": "act ACTION [to WHOM] [by WHO]: somebody begins an action",
    "hit": "hit WHO with ATTACK [by WHO] [sure]: an attack strikes; sure: it lands",
    "meet": "meet ONE OTHER [for SECONDS]: two touch",
    "cue": "cue NAME [value=number …]: gives a cue",
    "set": "set keeper.health = 5 · set ships += 1: posts to an account",
    "give": "give STATUS to WHO [for SECONDS]: gives a status",
    "end": "end STATUS of WHO: ends a status",
    "move": "move WHO to X Y: puts somebody somewhere else",
    "remove": "remove WHO: somebody leaves",
    "spawn": "spawn KIND: one more of a kind appears",
    "level": "level NAME: goes to a level at the end of the step",
    "habit": "habit NAME · habit none: how simulated players go on",
    "undo": "undo · undo 3: takes back what was done last, exactly",
    "redo": "redo · redo 3: does again what was taken back",
    "why": "why ACCOUNT [COUNT]: its last changes and the rules behind them",
    "show": "show · show WHO · show keeper.health: all that there is just now",
    "watch": "watch ACCOUNT … · watch none: adds accounts to what is shown after each command",
    "ask": "ask FORMULA: what it comes to now: ask distance(a, b) · ask keeper.health < 50",
    "statement": "statement ACCOUNT: what came in and went out so far",
    "story": "story: all that has happened so far",
    "save": "save FILE.yaml [as NAME]: writes what was done as a playtest",
    "keep": "keep FILE.csv [by PLAYER]: adds this play to recorded plays, for `mint-ledger players`",
    "reload": "reload: reads the changed file again and does the same again",
    "help": "help · help COMMAND",
    "quit": "quit (or Ctrl-D)",
}
HAPPENINGS = ("act", "hit", "meet", "cue", "set", "give", "end", "move", "remove", "spawn", "level", "habit")


@dataclass(frozen=True, slots=True)
class Command:
    """A line that was read: a happening, or a command and the rest of its line."""

    name: str
    rest: str
    happening: Mapping[str, Any] | None = None


def read_command(line: str) -> Command:
    """Read a line.

    Raises:
        BadRequest: it is no command, or lacks something.
    """
    if any("\ud800" <= letter <= "\udfff" for letter in line):
        raise BadRequest("half of a character stands in this line; type it again")
    name, _, rest = line.strip().partition(" ")
    rest = rest.strip()
    if not name:
        return Command("go", "")
    if name in ("exit", "q"):
        name = "quit"
    if name not in HELP:
        raise BadRequest(f"'{name}' is no command{nearest(name, HELP)}; `help` lists them")
    return Command(name, rest, _happening(name, rest) if name in HAPPENINGS else None)


def what_command(text: str) -> str:
    """Help on one command, or on all."""
    if text and text not in HELP:
        raise BadRequest(f"'{text}' is no command{nearest(text, HELP)}; `help` lists them")
    lines = []
    for name in [text] if text else HELP:
        lines += textwrap.wrap(HELP[name], 80, initial_indent="  ", subsequent_indent="      ")
    if not text:
        lines.append("  what happens in one step is joined by ';': act swing; cue landed speed=9")
    return "\n".join(lines)


def _happening(name: str, rest: str) -> dict[str, Any]:
    if not rest:
        raise BadRequest(f"{name} what? {HELP[name]}")
    words = rest.split()
    match name:
        case "set":
            return {"set": rest}
        case "cue":
            return {"cue": words[0], **({"with": _values(words[1:])} if words[1:] else {})}
        case "hit":
            parts = _parts(name, words, ("with", "by"), flags=("sure",))
            if "with" not in parts:
                raise BadRequest(f"hit with which attack? {HELP[name]}")
            return {"hit": parts[""], **{key: value for key, value in parts.items() if key}}
        case "meet":
            parts = _parts(name, words, ("for",), bare=2)
            return {"meet": parts[""].split(), **_number(parts, "for")}
        case "give":
            parts = _parts(name, words, ("to", "for"))
            return {"give": parts[""], "to": _part(parts, "to", name), **_number(parts, "for")}
        case "end":
            parts = _parts(name, words, ("of",))
            return {"end": parts[""], "to": _part(parts, "of", name)}
        case "move":
            parts = _parts(name, words, ("to",))
            return {"move": parts[""], "to": _part(parts, "to", name).split()}
        case "level":
            return {"go": rest}
    parts = _parts(name, words, ("by", "to") if name == "act" else ("by",))
    return {name: parts[""], **{key: value for key, value in parts.items() if key}}


def _parts(
    name: str, words: list[str], keys: tuple[str, ...], *, flags: tuple[str, ...] = (), bare: int = 1
) -> dict[str, Any]:
    """The words before the first key (under ""), those behind each key, and the flags that were given."""
    parts: dict[str, Any] = {}
    key, held = "", list[str]()

    def keep() -> None:
        if key and not held:
            raise BadRequest(f"{name}: nothing stands behind '{key}'; {HELP[name]}")
        parts[key] = " ".join(held)

    for word in words:
        if word in flags:
            parts[word] = True
        elif word in keys:
            keep()
            key, held = word, []
        else:
            held.append(word)
    keep()
    if len(parts.get("", "").split()) != bare:
        raise BadRequest(f"that cannot be read; write {HELP[name]}")
    return parts


def _part(parts: Mapping[str, Any], key: str, name: str) -> str:
    if key not in parts:
        raise BadRequest(f"'{key}' is missing; write {HELP[name]}")
    return str(parts[key])


def _number(parts: Mapping[str, Any], key: str) -> dict[str, float]:
    return {key: _float(parts[key])} if key in parts else {}


def _values(words: list[str]) -> dict[str, float]:
    values = {}
    for word in words:
        name, equals, text = word.partition("=")
        if not equals:
            raise BadRequest(f"a cue's value is written like speed=9, not '{word}'")
        values[name] = _float(text)
    return values


def _float(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise BadRequest(f"'{text}' is no number") from None
