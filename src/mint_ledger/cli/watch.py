"""The command `watch`: kept open beside the editor."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    ScriptOption,
    SeedOption,
    SetOption,
    SureOption,
    VariantOption,
    joined,
    read_dials,
)
from mint_ledger.cli.output import flush, say
from mint_ledger.errors import BadRequest, MintError

# How often the file is looked at, and how long it must have been left alone: some editors save in two goes.
EVERY, SETTLED = 0.1, 0.05
Stamp = tuple[int, int, int]
Stamps = tuple[Stamp | None, ...]


def watch(
    game: GameArgument,
    runs: Annotated[int, typer.Option(help="How many runs of each habit and variant.", min=20, max=1_000_000)] = 1_000,
    seed: SeedOption = 1,
    sure: SureOption = 0.95,
    variant: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
) -> None:
    """Watch the file and show after each save what it changed. Ctrl-C ends it."""
    from mint_ledger.client import load, load_script
    from mint_ledger.studies.estimate import checked_sure
    from mint_ledger.views.watch_text import change_text, look_text
    from mint_ledger.watching.change import change_between
    from mint_ledger.watching.look import GameSummary, look_at

    checked_sure(sure)
    dials = read_dials(settings)
    if not game.exists():
        raise BadRequest(f"{game} does not exist; `mint-ledger new {game}` makes one")
    good: GameSummary | None = None
    try:
        say(f"watching {game}; Ctrl-C ends it")
        for there in _saves(game, script):
            began = time.monotonic()
            when = datetime.now().strftime("%H:%M:%S")
            if not there:
                say(f"\n{when}  {game} is gone; waiting for it to come back")
                flush()
                continue
            try:
                happenings = load_script(script) if script is not None else ()
                look = look_at(load(game).turned(joined(variant), dials).scripted(happenings), runs, seed, sure)
            except MintError as error:
                stands = "; the last good answer stands" if good is not None else ""
                say(f"\n{when}  cannot be used{stands}\n{_indented(str(error))}")
            else:
                text = look_text(look) if good is None else change_text(change_between(good, look), look)
                title = look.game.title if good is None else "saved"
                say(f"\n{when}  {title} ({time.monotonic() - began:.1f} s, {runs:,} runs each)", text)
                good = look
            flush()
    except KeyboardInterrupt:
        say("\nno longer watching")


def _saves(path: Path, script: Path | None = None) -> Iterator[bool]:
    """True for the file as it is now and each time that it was saved since; False as it is gone."""
    from mint_ledger.game.table_files import files_beside

    known: Stamps | bool = True
    more = [script] if script is not None else []
    beside = [*files_beside(path), *more]
    while True:
        now = _stamps(path, beside)
        if now[0] is not None and now != known:
            time.sleep(SETTLED)
            if _stamps(path, beside) != now:
                continue
            beside = [*files_beside(path), *more]
            now = _stamps(path, beside)
        if now != known:
            known = now
            yield now[0] is not None
        time.sleep(EVERY)


def _stamps(path: Path, beside: list[Path]) -> Stamps:
    """The stamps of the game file and of those that are read beside it."""
    return tuple(_stamp(file) for file in (path, *beside))


def _stamp(path: Path) -> Stamp | None:
    try:
        stat = path.stat()
    except OSError:
        return None
    return stat.st_mtime_ns, stat.st_size, stat.st_ino


def _indented(text: str) -> str:
    return "\n".join(f"  {line}" for line in text.splitlines())
