"""Reads what is written on the command line: dials to set, files to write."""

from __future__ import annotations

import math
import sys
import textwrap
from collections.abc import Collection, Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from mint_ledger.cli.completing import (
    complete_engines,
    complete_games,
    complete_habits,
    complete_settings,
    complete_variants,
)
from mint_ledger.cli.files import STDIN, STREAM
from mint_ledger.cli.origin import games_read, has_read
from mint_ledger.errors import BadRequest, nearest

if TYPE_CHECKING:
    from mint_ledger.client import Game
    from mint_ledger.game.dial_value import Value
    from mint_ledger.lowering.playable import PlayableGame

GameArgument = Annotated[
    Path,
    typer.Argument(metavar="GAME", help="The game file; - reads it from stdin.", autocompletion=complete_games),
]
SeedOption = Annotated[int, typer.Option(help="The random seed: the same seed plays the same.")]
SetOption = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="DIAL=VALUE", help="Set a dial, like crab.bite=9.", autocompletion=complete_settings),
]
HabitOption = Annotated[
    list[str] | None,
    typer.Option(
        "--habit",
        metavar="HABIT",
        help="The habits of the simulated players (repeatable); 'none': nobody plays.",
        autocompletion=complete_habits,
    ),
]
VariantOption = Annotated[
    list[str] | None,
    typer.Option(
        "--variant",
        metavar="VARIANT",
        help="A named set of dials (repeatable; later ones win).",
        autocompletion=complete_variants,
    ),
]
ScriptOption = Annotated[Path | None, typer.Option(help="A file of happenings to play along.")]
EngineOption = Annotated[
    str, typer.Option(help="auto, native or reference; the numbers are the same.", autocompletion=complete_engines)
]
SureOption = Annotated[float, typer.Option(help="The confidence of the intervals: how often they hold the true value.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON.")]


def load_game(path: Path, script: Path | None = None) -> Game:
    """Read the game of a command; `-` is stdin. The happenings of a script are part of it in all that is played.

    Raises:
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    game = _read_game(path)
    return game if script is None else with_script(game, script)


def with_script(game: Game, script: Path) -> Game:
    """A game with the happenings of a file; it is said which of its cues nothing hears.

    Raises:
        GameError: the file cannot be used, or names what the game does not have.
    """
    from mint_ledger.cli.output import is_quiet, say
    from mint_ledger.client import load_script

    scripted = game.scripted(load_script(script))
    lowered = scripted.lowered
    silent = set(lowered.cues(heard=False))
    for cue in dict.fromkeys(item.cue for item in scripted.script if item.cue in silent):
        if not is_quiet():
            say(f"{script}: nothing hears the cue '{cue}'{nearest(str(cue), lowered.cues(heard=True))}", error=True)
    return scripted


def _read_game(path: Path) -> Game:
    from mint_ledger.client import load, loads

    if path != STREAM:
        return has_read(load(path))
    from mint_ledger.game.source import read_stream

    if any(game.file == STDIN for game in games_read()):
        raise BadRequest("one game alone can come from stdin")
    if sys.stdin is None or sys.stdin.closed:
        raise BadRequest("the game was to come from stdin, and stdin is closed")
    return has_read(loads(read_stream(sys.stdin.buffer, STDIN), STDIN))


def set_before(game: Game, settings: list[str] | None, variant: str | None) -> tuple[Game, str | None]:
    """A game whose dials are set before it is swept, tuned or looked at, and the variant that is still to be played.

    Raises:
        NotFound: there is no such dial or variant.
        BadRequest: a setting is none.
    """
    return (game.turned(variant, read_dials(settings)), None) if settings else (game, variant)


def joined(names: list[str] | None) -> str | None:
    """Several habits or variants as one text."""
    return " + ".join(names) if names else None


def read_named(text: str, option: str = "--dial") -> tuple[str, str]:
    """Read `NAME=VALUE`.

    Raises:
        BadRequest: it is not of that form.
    """
    name, equals, value = (part.strip() for part in text.partition("="))
    if not equals or not name or not value:
        raise BadRequest(f"{option} wants NAME=VALUE, like crab.bite=4..12, not '{text}'")
    return name, value


def tell_meant(game: PlayableGame, dials: Iterable[str], *, quiet: bool) -> None:
    """Say which numbers the patterns among some dials mean; and that nobody plays where a game has no habit.

    Raises:
        NotFound: one means none.
    """
    from mint_ledger.cli.output import hint
    from mint_ledger.game.dial_value import is_pattern
    from mint_ledger.game.scaling import matching

    if game.actions and not game.habits and not quiet:
        hint("No habit is written, so nobody does any action: add habits:, or play by hand with 'mint-ledger try'\n")
    for pattern in filter(is_pattern, dials):
        names = [game.dials.names[index] for index in matching(game.dials, game.lowered.program.cast, pattern)]
        text = f"{pattern} is {len(names)} number{'' if len(names) == 1 else 's'}: {', '.join(names)}"
        if not quiet:
            hint("\n".join(textwrap.wrap(text, 80, subsequent_indent="  ", max_lines=8, placeholder=" …")) + "\n")


def read_changes(
    texts: Sequence[str], option: str, settings: Collection[str]
) -> tuple[dict[str, str], dict[str, Value]]:
    """Read what is different in what is compared with: settings by name (`habit=reckless`), and dials.

    Raises:
        BadRequest: one of them is not of that form, or a dial's value is no number.
    """
    changed: dict[str, str] = {}
    dials: dict[str, Value] = {}
    for text in texts:
        name, value = read_named(text, option)
        if name in settings:
            changed[name] = value
        else:
            dials[name] = _value(value, text, option)
    return changed, dials


def read_dials(settings: list[str] | None) -> dict[str, Value]:
    """Read `dial=value` settings.

    Raises:
        BadRequest: one of them is not of that form.
    """
    dials: dict[str, Value] = {}
    for setting in settings or []:
        name, equals, text = setting.partition("=")
        if not equals or not name.strip():
            raise BadRequest(f"--set wants DIAL=VALUE, like crab.bite=9, not '{setting}'")
        dials[name.strip()] = _value(text.strip(), setting, "--set")
    return dials


def _value(text: str, setting: str, option: str) -> Value:
    from mint_ledger.game.dial_value import from_per_cent  # late: `--help` should not wait for pydantic

    if text in ("true", "yes"):
        return True
    if text in ("false", "no"):
        return False
    in_per_cent = from_per_cent(text)
    if in_per_cent is not None:
        return in_per_cent
    try:
        value = float(text)
    except ValueError:
        # A word, or a multiple like x0.8: the game knows what the dial may be.
        return text
    if not math.isfinite(value):
        raise BadRequest(f"{option} {setting}: wants a finite number")
    from mint_ledger.game.dials import plain_value  # late: `--help` should not wait for pydantic

    return plain_value(value)
