"""The commands that ask for numbers: `targets`, `sweep`, `sensitivity`, `tune`, `matchup`."""

from __future__ import annotations

import math
import shlex
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

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
    read_dials,
    read_named,
    set_before,
    tell_meant,
)
from mint_ledger.cli.completing import complete_settings, complete_targets
from mint_ledger.cli.exits import FELL_SHORT, INTERRUPTED
from mint_ledger.cli.looks import show_look, show_what_is_done, write_both
from mint_ledger.cli.output import flush, hint, is_narrow, is_quiet, next_step, say, say_json
from mint_ledger.errors import BadRequest, Partial

if TYPE_CHECKING:
    from mint_ledger.balance.matchup import Matchups
    from mint_ledger.balance.tune_habits import TunedHabits
    from mint_ledger.balance.tune_many import TunedMany
    from mint_ledger.client import Game
    from mint_ledger.game.target import Target
    from mint_ledger.studies.estimate import Estimate

MeasureOption = Annotated[
    list[str] | None,
    typer.Option(metavar="ESTIMATE", help="The estimate to study: 'rate(win)', 'median(time)' (repeatable)."),
]
RangeOption = Annotated[
    list[str],
    typer.Option(
        "--dial",
        metavar="DIAL=RANGE",
        autocompletion=complete_settings,
        help="crab.bite=4..12, '=4..12 by 2', =80,100,120, =±20%.",
    ),
]


# So many runs are played of each setting where the best is looked for.
LOOKED = 2_000


def targets(
    game: GameArgument,
    runs: Annotated[int, typer.Option(help="How many runs of each habit and variant.")] = 2_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    only: Annotated[list[str] | None, typer.Option(metavar="NAME", help="Only this target (repeatable).")] = None,
    sure: SureOption = 0.95,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a target (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the targets into this file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Judge the game by its targets: met, missed, or undecided at this many runs."""
    from mint_ledger.cli.progress import study_progress
    from mint_ledger.views.balance_text import targets_text

    loaded = load_game(game, script)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    if not loaded.targets:
        raise BadRequest(f"{game} has no targets; write some, like {{name: fair, measure: rate(win), want: 0.4..0.6}}")
    stopped: Partial | None = None
    with study_progress(f"{loaded.title}: runs") as progress:
        try:
            judged = loaded.judge(
                runs,
                seed,
                only=only or (),
                habit=joined(played_by),
                variant=joined(variants),
                dials=read_dials(settings),
                sure=sure,
                progress=progress,
            )
        except Partial as stop:
            stopped, judged = stop, stop.answer
    if as_json:
        say_json({"targets": [result.as_json() for result in judged]})
    else:
        met = sum(result.verdict == "met" for result in judged)
        say(f"{judged.title}: {met} of {len(judged)} targets are met ({runs:,} runs each)", "", targets_text(judged))
    if stopped is not None:
        say(str(stopped), error=True)
        raise typer.Exit(INTERRUPTED)
    write_both(judged, output, plot, as_json=as_json)
    missed = next((result.target.name for result in judged if result.verdict == "missed"), None)
    if missed is not None and not as_json:
        next_step("find a number that meets it", game, f"tune GAME --dial DIAL=RANGE --target {shlex.quote(missed)}")
    if missed is not None:
        raise typer.Exit(FELL_SHORT)


def sweep(
    game: GameArgument,
    dial: RangeOption,
    measure: MeasureOption = None,
    runs: Annotated[int, typer.Option(help="How many runs at each point.")] = 1_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    points: Annotated[
        int | None, typer.Option(help="Spread this many points over the ranges, instead of a grid of all values.")
    ] = None,
    spread: Annotated[str, typer.Option(help="How --points are spread: latin or sobol.")] = "latin",
    store: Annotated[Path | None, typer.Option(help="Keep the studies in this file (SQLite).")] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the first estimate into this file.")] = None,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a point (.csv, .jsonl, .parquet).")
    ] = None,
    yes: Annotated[bool, typer.Option("--yes", help="Start even if it takes long.")] = False,
    sure: SureOption = 0.95,
    as_json: JsonOption = False,
) -> None:
    """Study the game at many settings of some dials, all with the same luck."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.cli.progress import counted_progress

    loaded, variant = set_before(load_game(game, script), settings, variant)
    tell_meant(loaded, (read_named(text)[0] for text in dial), quiet=as_json)
    stopped: Partial | None = None
    with counted_progress(f"{loaded.title}: points") as progress:
        try:
            answer = loaded.sweep(
                dict(read_named(text) for text in dial),
                runs,
                seed,
                measures=measure or ("rate(win)",),
                habit=habit,
                variant=variant,
                points=points,
                spread=spread,
                store=store,
                patient=yes,
                sure=sure,
                progress=progress,
            )
        except Partial as stop:
            stopped, answer = stop, stop.answer
    show_what_is_done(answer, stopped, as_json=as_json)
    show_look(answer, plot, output, as_json=as_json)


def tune(
    game: GameArgument,
    dial: Annotated[
        list[str],
        typer.Option(
            metavar="DIAL=RANGE",
            autocompletion=complete_settings,
            help="crab.bite=1..30, 'crab.bite=1..30 by 0.5' (several: repeat).",
        ),
    ],
    target: Annotated[
        list[str] | None,
        typer.Option(
            metavar="NAME",
            autocompletion=complete_targets,
            help="One of the file's targets (repeatable; with several dials: all).",
        ),
    ] = None,
    measure: Annotated[str, typer.Option(metavar="ESTIMATE", help="The estimate to study.")] = "rate(win)",
    want: Annotated[
        list[str] | None,
        typer.Option(metavar="RANGE", help="The range it should have: 0.55..0.65; with --habits careful=0.7..0.8."),
    ] = None,
    most: Annotated[
        str | None, typer.Option("--most", metavar="ESTIMATE", help="The highest value, instead of a range.")
    ] = None,
    least: Annotated[
        str | None, typer.Option("--least", metavar="ESTIMATE", help="The lowest value, instead of a range.")
    ] = None,
    runs: Annotated[int, typer.Option(help="The most runs at one value.")] = 10_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    habits: Annotated[
        bool, typer.Option("--habits", help="Find a variant for each habit, so that each has its own target.")
    ] = False,
    seconds: Annotated[
        float, typer.Option(help="Stop after this many seconds; the answer says so.", show_default=False)
    ] = math.inf,
    most_runs: Annotated[
        int | None, typer.Option(help="Try no new setting after this many runs in total.", min=1)
    ] = None,
    sure: SureOption = 0.95,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write what was tried of one dial (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the estimate over the dial into this file.")] = None,
    write: Annotated[bool, typer.Option("--write", help="Write the answer into the game file.")] = False,
    answer: Annotated[int, typer.Option(help="With --write: which of several answers.", min=1)] = 1,
    as_variant: Annotated[
        str | None, typer.Option("--as", metavar="NAME", help="With --write: into this variant of the file.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Find the values of dials that meet a target, and how sure that is."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.balance.tune import Tuned, check_runs
    from mint_ledger.cli.progress import counted_progress

    bounds = dict(read_named(text) for text in dial)
    wants = want or []
    budget = math.inf if most_runs is None else most_runs
    if len(bounds) < len(dial):
        raise BadRequest("one of the dials is named twice")
    if most is not None or least is not None:
        loaded, variant = set_before(load_game(game, script), settings, variant)
        tell_meant(loaded, bounds, quiet=as_json)
        with counted_progress(f"{loaded.title}: settings") as progress:
            found = loaded.tune_most(
                bounds,
                most or least or "",
                most=most is not None,
                runs=min(runs, LOOKED),
                seed=seed,
                habit=habit,
                variant=variant,
                sure=sure,
                progress=progress,
            )
        say_json(found.as_json()) if as_json else say(found.summary())
        return
    if (plot or output) and (habits or len(bounds) > 1 or len(target or ()) > 1):
        what = "--plot draws" if plot else "-o writes"
        raise BadRequest(f"{what} the tuning of one dial to one target")
    if not habits and len(wants) > 1:
        raise BadRequest("--want stands once; several targets stand in the file, or belong to --habits")
    if not habits and len(bounds) == 1 and len(target or ()) <= 1:
        check_runs(runs)
    if not habits and bool(target) == bool(wants) and (target or len(bounds) == 1):
        raise BadRequest("tune wants --target NAME of the file, or --want RANGE")
    loaded, variant = set_before(load_game(game, script), settings, variant)
    tell_meant(loaded, bounds, quiet=as_json)
    words = [name for name in bounds if name in loaded.dials.names and isinstance(loaded.dials.shown(name), str)]
    if words:
        if len(words) > 1 or habits or write or plot or output:
            raise BadRequest("one dial at a time may be a word, without --habits, --write, --plot and -o")
        by_word = loaded.tune_words(
            words[0],
            [part.strip() for part in bounds.pop(words[0]).split(",")],
            bounds,
            [*(target or ()), *([_wanted(measure, wants[0], habit, variant)] if wants else [])],
            runs=runs,
            seed=seed,
            habit=habit,
            seconds=seconds,
            most_runs=budget,
            sure=sure,
        )
        say_json(by_word.as_json()) if as_json else say(by_word.summary())
        if not by_word.reached:
            raise typer.Exit(FELL_SHORT)
        return
    changes: list[tuple[str | None, Mapping[str, float]]] = []
    if habits:
        spans = dict(read_named(text, "--want") for text in wants)
        by_habit = loaded.tune_habits(
            bounds, spans, measure, runs=runs, seed=seed, seconds=seconds, most_runs=budget, told=_setting_teller()
        )
        fell_short = not by_habit.reached
        changes = [(name, values) for name, values in by_habit.variants.items()]
        tuned: Tuned | TunedMany | TunedHabits = by_habit
    elif len(bounds) > 1 or len(target or ()) > 1 or any(loaded.target(name).each is not None for name in target or ()):
        goals: list[str | Target] = [*(target or ())]
        if wants:
            goals.append(_wanted(measure, wants[0], habit, variant))
        several = loaded.tune_many(
            bounds,
            goals,
            runs=runs,
            seed=seed,
            habit=habit,
            seconds=seconds,
            most_runs=budget,
            sure=sure,
            told=_setting_teller(),
        )
        if several.reached and answer > len(several.answers):
            raise BadRequest(f"there is no answer {answer}; there are {len(several.answers)}")
        fell_short = not several.reached
        changes = [(as_variant, several.answers[answer - 1].changed)] if several.reached else []
        tuned = several
    else:
        goal = loaded.target(target[0]) if target else _wanted(measure, wants[0], habit, variant)
        name, written = next(iter(bounds.items()))
        one = loaded.tune(
            name,
            written,
            goal.measure,
            goal.want.text,
            runs=runs,
            seed=seed,
            habit=habit or goal.habit,
            variant=variant or goal.variant,
            seconds=seconds,
            most_runs=budget,
            sure=sure,
            told=_value_teller(name, goal.measure),
        )
        fell_short = not one.reached or one.verdict == "missed"
        changes = [(as_variant, {name: one.best})] if one.reached else []
        tuned = one
    say_json(tuned.as_json()) if as_json else say(tuned.summary())
    if isinstance(tuned, Tuned):
        write_both(tuned, output, plot, as_json=as_json)
    if changes and not write and not tuned.interrupted and not as_json:
        next_step("put it into the file", game, "AGAIN --write")
    if write and not tuned.interrupted:
        for into, values in changes:
            write_numbers(game, values, into, quiet=as_json)
    if fell_short:
        raise typer.Exit(FELL_SHORT)


def _wanted(measure: str, want: str, habit: str | None, variant: str | None) -> Target:
    """A target of the command line."""
    from mint_ledger.balance.dial_range import read_want
    from mint_ledger.game.target import Target

    return Target(name="what is wanted", measure=measure, want=read_want(want, measure), habit=habit, variant=variant)


def _value_teller(name: str, measure: str) -> Callable[[float, Estimate], None] | None:
    """On a terminal, shows each value that was tried."""
    from mint_ledger.views.balance_text import told

    if is_quiet() or not sys.stderr.isatty():
        return None
    return lambda value, estimate: say(f"  {name} = {value:g}: {told(measure, estimate)}", error=True)


def _setting_teller() -> Callable[[Mapping[str, float], float], None] | None:
    """On a terminal, shows each setting that was tried."""
    if is_quiet() or not sys.stderr.isatty():
        return None

    def show(dials: Mapping[str, float], off: float) -> None:
        shown = ", ".join(f"{name} = {value:g}" for name, value in dials.items())
        say(f"  {shown}: {'fits' if off == 0.0 else f'off by {off:.1f}'}", error=True)

    return show


def sensitivity(
    game: GameArgument,
    dial: Annotated[
        list[str] | None,
        typer.Option(metavar="DIAL[=RANGE]", help="Only this dial (repeatable); with --sobol its range."),
    ] = None,
    measure: Annotated[str, typer.Option(metavar="ESTIMATE", help="rate(…) or mean(…).")] = "rate(win)",
    share: Annotated[float, typer.Option(help="How far each dial is moved, as a share of its value.")] = 0.1,
    sobol: Annotated[
        int | None, typer.Option(metavar="POINTS", help="Sobol's indices of the dials instead, with this many points.")
    ] = None,
    runs: Annotated[int, typer.Option(help="How many runs of each setting.")] = 1_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a dial (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the ranking into this file.")] = None,
    sure: SureOption = 0.95,
    as_json: JsonOption = False,
) -> None:
    """Rank the dials by what one per cent more of each does."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.balance.sensitivity import index_table
    from mint_ledger.cli.files import write_table
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.views.sensitivity_text import sobol_text

    loaded, variant = set_before(load_game(game, script), settings, variant)
    tell_meant(loaded, (read_named(text)[0] for text in dial or () if "=" in text), quiet=as_json)
    stopped: Partial | None = None
    with counted_progress(f"{loaded.title}: {'studies' if sobol else 'dials'}") as progress:
        if sobol is not None:
            ranges = dict(read_named(text) for text in dial or ())
            indices = loaded.sobol(
                ranges, sobol, runs, seed, measure=measure, habit=habit, variant=variant, progress=progress
            )
        else:
            try:
                answer = loaded.sensitivity(
                    dial or (),
                    runs,
                    seed,
                    measure=measure,
                    share=share,
                    habit=habit,
                    variant=variant,
                    sure=sure,
                    progress=progress,
                )
            except Partial as stop:
                stopped, answer = stop, stop.answer
    if sobol is not None:
        plain = [
            {"dial": i.dial, "first": [i.first.value, i.first.low, i.first.high]}
            | {"total": [i.total.value, i.total.low, i.total.high]}
            for i in indices
        ]
        say_json({"measure": measure, "indices": plain}) if as_json else say(sobol_text(loaded.title, measure, indices))
        if output:
            write_table(output, index_table(indices))
        if output and not as_json:
            hint(f"\n{output} is written")
        return
    show_what_is_done(answer, stopped, as_json=as_json)
    show_look(answer, plot, output, as_json=as_json)
    first = next((one.dial for one in answer.moved if one.is_certain), None)
    if first is not None and not as_json:
        next_step("find its value", game, f"tune GAME --dial {shlex.quote(f'{first}=±20%')} --want RANGE")


def matchup(
    game: GameArgument,
    dial: Annotated[
        list[str] | None,
        typer.Option(metavar="DIAL=RANGE", help="The hits to defeat over this range; two dials make a map."),
    ] = None,
    pair: Annotated[
        str | None, typer.Option(metavar="ATTACK:TARGET", help="One attack against one target alone.")
    ] = None,
    seconds: Annotated[float | None, typer.Option(help="Start no new fight after this many seconds.")] = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a pair (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the hits to defeat into this file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Show how many hits and seconds each fighter needs to defeat each other."""
    variant = joined(variants)
    from dataclasses import asdict

    from mint_ledger.balance.dial_range import number_today, read_range, values_of
    from mint_ledger.balance.matchup import breakpoints, check_pair
    from mint_ledger.balance.matchup_curve import make_curves
    from mint_ledger.cli.files import write_figure, write_table
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.views.matchup_text import breakpoints_text

    loaded = load_game(game)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    loaded = loaded.with_variant(variant) if variant else loaded
    loaded = loaded.with_dials(read_dials(settings))
    if dial is not None and len(dial) == 1 and pair is not None and plot is None and output is None:
        name, text = read_named(dial[0])
        who = check_pair(pair)
        points = breakpoints(loaded, name, read_range(text, number_today(loaded, name)), *who)
        say_json({"breakpoints": [asdict(point) for point in points]}) if as_json else say(
            breakpoints_text(name, who, points)
        )
        return
    if dial:
        over = {name: values_of(loaded, name, text) for name, text in map(read_named, dial)}
        if len(over) < len(dial):
            raise BadRequest("--dial wants two different dials")
        with counted_progress("settings") as progress:
            curves = make_curves(loaded, over, pair, progress)
        show_look(curves, plot, output, as_json=as_json)
        return
    matchups = _matchups(loaded, pair, seconds, as_json=as_json)
    if output:
        write_table(output, matchups.table())
    if plot:
        write_figure(plot, matchups.plot())
    if as_json:
        say_json(matchups.as_json())
    for path in filter(None, (output, plot)):
        if not as_json:
            hint(f"\n{path} is written")


def _matchups(game: Game, pair: str | None, seconds: float | None, *, as_json: bool) -> Matchups:
    """Fight them, and tell each as it comes; Ctrl-C ends it with what has come so far."""
    from mint_ledger.balance.matchup import Matchup, Matchups, make_matchups
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.views.matchup_text import matchup_foot, matchup_head, matchup_line

    came: list[Matchup] = []
    # A table that has to be laid out again is shown at once.
    is_shown = not as_json and not is_narrow()

    def tell(matchup: Matchup) -> None:
        if is_shown:
            say(*([] if came else [matchup_head(game.title)]), matchup_line(matchup))
            flush()
        came.append(matchup)

    try:
        if as_json:
            with counted_progress("fights") as progress:
                matchups = make_matchups(game, pair=pair, seconds=seconds, progress=progress)
        else:
            matchups = make_matchups(game, pair=pair, seconds=seconds, each=tell)
    except KeyboardInterrupt:
        matchups = Matchups(game.title, tuple(came), ("the others: interrupted",))
    if not as_json:
        say(matchup_foot(matchups) if came and is_shown else matchups.summary())
    return matchups


def write_numbers(path: Path, values: Mapping[str, float], variant: str | None, *, quiet: bool) -> None:
    """Put numbers into the game file, and show the change, unless JSON was printed."""
    from mint_ledger.balance.dial_range import setting_of
    from mint_ledger.cli.files import show_changes, write_game
    from mint_ledger.lowering.patched import with_numbers

    game = load_game(path)
    after = with_numbers(game, {name: setting_of(name, value) for name, value in values.items()}, variant)
    written = write_game(game.source, after)
    if not quiet and not written:
        say(f"\n{path} has it already")
    elif not quiet:
        are = "is" if len(written) == 1 else "are"
        say(f"\n{show_changes(game.source, after)}\n\n{' and '.join(written)} {are} written")
