"""The command `players` beside recorded plays: are they alike, which numbers of a habit fit, and what then."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from mint_ledger.cli.output import hint, say, say_json
from mint_ledger.errors import BadRequest

if TYPE_CHECKING:
    from mint_ledger.players.change import Changed
    from mint_ledger.players.fit import Fit
    from mint_ledger.players.likeness import Likeness
    from mint_ledger.players.mixture import Mixture


@dataclass(frozen=True, slots=True)
class PlaysRequest:
    """What is asked of recorded plays."""

    plays: Path
    habit: str | None
    columns: tuple[str, ...]
    fit: tuple[str, ...]
    mix: tuple[str, ...]
    changes: tuple[str, ...]
    anyway: bool
    store: Path | None
    plot: Path | None
    script: Path | None


def show_plays(
    path: Path,
    asked: PlaysRequest,
    runs: int,
    seed: int,
    variant: str | None,
    settings: list[str] | None,
    write: str | None,
    sure: float,
    output: Path | None,
    *,
    as_json: bool,
) -> None:
    """Hold plays against a game, and print what comes of it."""
    from mint_ledger.cli.arguments import load_game, read_dials, tell_meant
    from mint_ledger.cli.files import write_figure, write_table
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.players.mixture import Mixture
    from mint_ledger.players.recorded import Plays

    if write is not None and not asked.fit:
        raise BadRequest("--as wants a fitted habit: --fit DIAL=RANGE")
    loaded = load_game(path, asked.script)
    dials = read_dials(settings)
    tell_meant(loaded, dials, quiet=as_json)
    columns = dict(_parted(text, "--columns", "hp=closing(keeper.health)") for text in asked.columns)
    plays = loaded.read_plays(asked.plays, columns, asked.habit, any_version=asked.anyway)
    answer: Likeness | Fit | Mixture
    changed: Changed | None = None
    if asked.mix:
        if asked.fit or not isinstance(plays, Plays):
            raise BadRequest("--mix wants plays row by row, and no --fit: the habits are taken as they are")
        with counted_progress(f"{loaded.title}: mixing, habits") as progress:
            answer = loaded.mix_plays(plays, asked.mix, seed, variant=variant, dials=dials, progress=progress)
        if not as_json:
            say(answer.summary())
    elif asked.fit:
        ranges = dict(_parted(text, "--fit", "careful.slips=0..0.5") for text in asked.fit)
        with counted_progress(f"{loaded.title}: fitting, settings") as progress:
            answer = fitted = loaded.fit_plays(
                plays,
                ranges,
                seed,
                habit=asked.habit,
                variant=variant,
                dials=dials,
                store=asked.store,
                progress=progress,
            )
        if not as_json:
            say(answer.summary())
        if asked.changes:
            changes = read_dials(list(asked.changes)) or {}
            turned = loaded.with_dials(dials) if dials else loaded
            with counted_progress(f"{loaded.title}: with the change, settings") as progress:
                changed = turned.change_for(
                    fitted, changes, seed, variant=variant, anyway=asked.anyway, progress=progress
                )
    else:
        answer = loaded.judge_plays(plays, runs, seed, habit=asked.habit, variant=variant, dials=dials, sure=sure)
        if not as_json:
            say(answer.summary())
    if as_json:
        say_json(answer.as_json() | ({"change": changed.as_json()} if changed else {}))
    elif changed:
        say("", changed.summary())
    if write is not None:
        _write(path, answer, asked, write, variant, quiet=as_json)
    if asked.plot is not None:
        write_figure(asked.plot, (answer.likeness if isinstance(answer, Mixture) else answer).plot())
    if output is not None:
        write_table(output, answer.table())
    for written in (asked.plot, output):
        if written is not None and not as_json:
            hint(f"\n{written} is written")


def _write(path: Path, answer: Any, asked: PlaysRequest, name: str, variant: str | None, *, quiet: bool) -> None:
    """Put the fitted numbers into the file."""
    from mint_ledger.cli.balance import write_numbers

    if name != answer.habit:
        own = answer.habit
        raise BadRequest(f"the fitted numbers are those of '{own}': --as {own} (as --write {own} does)")
    if not answer.fits and not asked.anyway:
        raise BadRequest(
            "the fitted habit does not play like the recorded plays; --anyway writes its numbers all the same"
        )
    write_numbers(path, answer.setting, variant, quiet=quiet)


def _parted(text: str, option: str, example: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign or not name.strip() or not value.strip():
        raise BadRequest(f"{option} wants a name and what it is, like {example}, not '{text}'")
    return name.strip(), value.strip()
