"""The command `compare`: two games, variants, habits or sets of dials under the same luck, and why they differ."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    HabitOption,
    JsonOption,
    ScriptOption,
    SeedOption,
    SetOption,
    SureOption,
    VariantOption,
    joined,
    load_game,
    read_changes,
    read_dials,
    tell_meant,
    with_script,
)
from mint_ledger.cli.exits import INTERRUPTED
from mint_ledger.cli.looks import show_look, show_what_is_done
from mint_ledger.cli.origin import has_read
from mint_ledger.cli.output import next_step, say
from mint_ledger.errors import BadRequest, Partial

if TYPE_CHECKING:
    from mint_ledger.client import Game
    from mint_ledger.playing.setting import Setting


def compare(
    game: GameArgument,
    other: Annotated[
        Path | None, typer.Argument(metavar="[OTHER]", help="Another game file, or one of git: HEAD~3:./saltmere.yaml.")
    ] = None,
    with_: Annotated[
        list[str] | None,
        typer.Option("--with", metavar="KEY=VALUE", help="What is different: habit, variant or a dial (repeatable)."),
    ] = None,
    measure: Annotated[
        list[str] | None,
        typer.Option(metavar="MEASURE", help="One more measure, like 'lowest(keeper.health)' or 'median(time)'."),
    ] = None,
    shape: Annotated[
        str | None, typer.Option(metavar="MEASURE", help="The distribution of this measure over the runs of both.")
    ] = None,
    shares: Annotated[
        bool, typer.Option("--shares", help="Divide the difference among the numbers and rules that differ.")
    ] = False,
    plot: Annotated[Path | None, typer.Option(help="Draw it into this file (.png, .svg, .pdf).")] = None,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a row (.csv, .jsonl, .parquet).")
    ] = None,
    runs: Annotated[int, typer.Option(help="How many runs of each.")] = 2_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    sure: SureOption = 0.95,
    as_json: JsonOption = False,
) -> None:
    """Compare two games, variants, habits or sets of dials under the same luck."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.balance.comparison import Comparison, compare_games, compare_shapes
    from mint_ledger.cli.progress import study_progress
    from mint_ledger.playing.setting import Setting, habit_for

    if (other is None) == (not with_):
        raise BadRequest("compare wants another game file, or what is different: --with crab.bite=9")
    one = _load(game, script)
    habit = habit_for(one, habit)
    changed, dials = read_changes(with_ or (), "--with", ("habit", "variant"))
    tell_meant(one, (*read_dials(settings), *dials), quiet=as_json)
    first = one.with_variant(variant) if variant else one
    first = first.with_dials(read_dials(settings))
    second, second_habit = (_load(other, script), habit) if other is not None else (first, habit)
    second_habit = changed.get("habit", second_habit)
    second = second.with_variant(changed["variant"]) if "variant" in changed else second
    second = second.with_dials(dials) if dials else second
    # Habit and variant stand in the heading of each game already.
    differs = ", ".join(text for text in with_ or () if text.partition("=")[0].strip() not in changed)
    if shares:
        if second_habit != habit:
            raise BadRequest("--shares is of what differs in the games; one habit against another is --with habit=")
        label = str(other) if other is not None else differs
        _show_shares((first, second), measure, Setting(seed, habit, sure=sure), runs, label, (plot, output), as_json)
        return
    stopped: Partial | None = None
    with study_progress(f"{one.title}: runs") as progress:
        both: dict[str, Any] = {"runs": runs, "seed": seed, "habits": (habit, second_habit), "sure": sure}
        both |= {"label": differs if other is None else str(other), "progress": progress}
        try:
            if shape is not None:
                spread = compare_shapes(first, second, shape, **both)
            else:
                answer = compare_games(first, second, measures=tuple(measure or ()), **both)
        except Partial as stop:
            if not isinstance(stop.answer, Comparison):
                say(f"{stop} of the first game; nothing is compared yet", error=True)
                raise typer.Exit(INTERRUPTED) from None
            stopped, answer = stop, stop.answer
    if shape is not None:
        show_look(spread, plot, output, as_json=as_json)
        return
    show_what_is_done(answer, stopped, as_json=as_json)
    show_look(answer, plot, output, as_json=as_json)
    if len(answer.changed_dials) > 1 and second_habit == habit and not as_json:
        next_step("how much of it each change makes", game, "AGAIN --shares")


def _load(path: Path, script: Path | None) -> Game:
    """A game file, or one of a revision of git."""
    from mint_ledger.client import load_revision
    from mint_ledger.game.revision import looks_like_revision

    if not looks_like_revision(str(path)):
        return load_game(path, script)
    game = has_read(load_revision(str(path)))
    return game if script is None else with_script(game, script)


def _show_shares(
    games: tuple[Game, Game],
    measure: list[str] | None,
    setting: Setting,
    runs: int,
    label: str,
    files: tuple[Path | None, Path | None],
    as_json: bool,
) -> None:
    """Why the second game comes to something else than the first."""
    from mint_ledger.balance.shares import share_out
    from mint_ledger.cli.progress import counted_progress

    if len(measure or ()) > 1:
        raise BadRequest("--shares shares out one estimate, like --measure 'mean(time)'")
    wanted = measure[0] if measure else "rate(win)"
    with counted_progress(f"{games[0].title}: games") as progress:
        shares = share_out(*games, wanted, runs=runs, setting=setting, label=label, progress=progress)
    show_look(shares, *files, as_json=as_json)
