"""Patterns: small pieces of a game file that are copied and pasted, or put together into a file that plays.

Each file here is one pattern. It begins with lines of comment: its title, what it does, and with which it makes no
sense. One without a title of
its own goes into the game that `mint-ledger new` writes: mappings are merged key by key, lists grow (a rule of the
same name is merged), and what both say is said by the pattern. One with a `title` is a whole game.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from mint_ledger.demo import starter_text
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.sections import SECTIONS
from mint_ledger.game.writing import yaml_dump, yaml_editor

# In the order of the page: who fights, what they have, how they hit, what grows, how it goes on and ends.
ORDER = (
    "boss", "rage", "waves", "aggro", "lives", "regeneration", "shield", "dodge", "pickups", "crits", "splash",
    "poison", "ammunition", "combo", "extra_life", "shop", "ranks", "drops", "checkpoint", "day_and_night",
    "difficulty", "time_up", "draw", "turns", "two_players",
)  # fmt: skip
_WIDEST = 105
_NOT_WITH = "# not with: "
# What patterns have said so far: each place with the pattern and its value.
Said = dict[tuple[str, ...], tuple[str, Any]]
_ORDER_OF_SECTIONS = [section.name for section in SECTIONS]
_HEAD = ("mint_ledger", "title", "about", "clock")


@dataclass(frozen=True, slots=True)
class Pattern:
    """One pattern.

    Attributes:
        name: by which it is asked for.
        title: what it is, in the words of the trade.
        about: what it does, in one or two sentences.
        text: its lines of the game file, without those of comment before them.
        not_with: the patterns with which it makes no sense.
    """

    name: str
    title: str
    about: str
    text: str
    not_with: tuple[str, ...] = ()

    @property
    def is_a_game(self) -> bool:
        """Return whether it stands alone instead of going into another game."""
        return self.text.startswith("mint_ledger:")


@cache
def patterns() -> dict[str, Pattern]:
    """Return all patterns by their names, in the order of the page."""
    folder = files(__package__)
    made = {}
    for name in ORDER:
        title, about, text = folder.joinpath(f"{name}.yaml").read_text("utf-8").split("\n", 2)
        first, _, rest = text.partition("\n")
        not_with = tuple(first.removeprefix(_NOT_WITH).split(", ")) if first.startswith(_NOT_WITH) else ()
        made[name] = Pattern(
            name, title.removeprefix("# "), about.removeprefix("# "), rest if not_with else text, not_with
        )
    return made


def game_with(names: list[str]) -> str:
    """Return the text of a game that has the named patterns in it.

    Raises:
        NotFound: there is no pattern of such a name.
        BadRequest: a pattern that is a game of its own is asked for together with others, or two patterns make no sense
            together or want different things of one place.
    """
    chosen = [_named(name) for name in dict.fromkeys(names)]
    alone = next((pattern for pattern in chosen if pattern.is_a_game), None)
    if alone is not None and len(chosen) > 1:
        raise BadRequest(f"{alone.name} is a game of its own; it goes with no other pattern")
    for pattern in chosen:
        for other in pattern.not_with:
            if other in names:
                raise BadRequest(f"{pattern.name} and {other} make no sense together; take one, and paste the other")
    if alone is not None:
        return f"# {alone.about}\n{alone.text}"
    if not chosen:
        return starter_text()
    editor = yaml_editor()
    game = editor.load(starter_text())
    del game["targets"]  # what was wanted of the game without them
    said: Said = {}
    for pattern in chosen:
        _merge(game, editor.load(pattern.text), (), pattern.name, said)
    return _spaced(yaml_dump(game, list_indent=2))


def _named(name: str) -> Pattern:
    known = patterns()
    if name not in known:
        raise NotFound(f"there is no pattern '{name}'{nearest(name, known)}; there are: {', '.join(known)}")
    return known[name]


def _merge(game: Any, pattern: Any, path: tuple[str, ...], name: str, said: Said) -> None:
    """Merge what a pattern says at a place into a game."""
    for key, value in pattern.items():
        place = (*path, str(key))
        there = game.get(key)
        if isinstance(value, dict) and isinstance(there, dict):
            _merge(there, value, place, name, said)
        elif isinstance(value, list) and isinstance(there, list) and place[-1] != "through":
            _extend(there, value, place, name, said)
        else:
            other, before = said.setdefault(place, (name, value))
            if before != value:
                where = ".".join(place)
                raise BadRequest(f"{other} and {name} want different things of {where}; take one, and paste the other")
            if there is None:
                game.insert(_position(game, key, path), key, value)
            else:
                game[key] = value
        _unfold(game, key)


def _extend(there: list[Any], items: list[Any], place: tuple[str, ...], name: str, said: Said) -> None:
    """Let a list grow; one that has the name of one that stands there is merged with it."""
    for item in items:
        called = item.get("name") if isinstance(item, dict) else None
        same = next((other for other in there if called and other.get("name") == called), None)
        if same is not None:
            _merge(same, item, (*place, str(called)), name, said)
        elif item not in there:
            there.append(item)


def _position(game: Any, key: str, path: tuple[str, ...]) -> int:
    """Return where a new key goes: sections in their usual order, an ending first, anything else last."""
    if path == ("endings",):
        return 0
    if not path:
        behind = _ORDER_OF_SECTIONS[_ORDER_OF_SECTIONS.index(key) :]
        return next((position for position, other in enumerate(game) if other in behind), len(game))
    return len(game)


def _unfold(game: Any, key: str) -> None:
    """Let what has grown too long for its line stand on several."""
    value: Any = game[key]
    if hasattr(value, "fa") and value.fa.flow_style() and len(yaml_dump({key: value})) > _WIDEST:
        value.fa.set_block_style()


def _spaced(text: str) -> str:
    """Return a text with one blank line before each section."""
    without = re.sub(r"\n(?:[ \t]*\n)+", "\n", text)
    return re.sub(rf"(?m)^(?!(?:{'|'.join(_HEAD)}):)(?=[a-z_]+:)", "\n", without)
