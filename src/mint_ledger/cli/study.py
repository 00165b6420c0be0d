"""The commands `study` and `history`: many runs, and what was kept of them."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from functools import partial
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
    read_dials,
    tell_meant,
)
from mint_ledger.cli.completing import complete_accounts
from mint_ledger.cli.exits import FELL_SHORT, INTERRUPTED
from mint_ledger.cli.looks import LookResult, show_look, tell_look
from mint_ledger.cli.output import hint, next_step, say, say_json
from mint_ledger.errors import BadRequest, NotFound, Partial, nearest

if TYPE_CHECKING:
    from mint_ledger.balance.shares import Shares
    from mint_ledger.client import Game
    from mint_ledger.game.dial_value import Value
    from mint_ledger.studies.budget import Progress
    from mint_ledger.studies.request import StudyRequest

GRID = 120
# The games between two stored studies are played so often at most.
MOST_SHARED = 2_000


# How far --exact goes.
STATES, SECONDS = 200_000, 600.0


def study(
    game: GameArgument,
    runs: Annotated[int, typer.Option(help="How many runs.")] = 1_000,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    measure: Annotated[
        list[str] | None,
        typer.Option(metavar="[NAME=]MEASURE", help="One more measure, like 'lowest(keeper.health)' (repeatable)."),
    ] = None,
    account: Annotated[
        list[str] | None,
        typer.Option(
            help="An account to add up by cause (repeatable; default: the readout's bars).",
            autocompletion=complete_accounts,
        ),
    ] = None,
    until: Annotated[
        str | None,
        typer.Option(
            metavar="WIDTH", help="Play until the interval is this narrow: ±0.01 for wins, or 'mean(time) ±0.5'."
        ),
    ] = None,
    worst: Annotated[
        str | None, typer.Option(metavar="MEASURE", help="Name the runs with the lowest values of a measure.")
    ] = None,
    store: Annotated[Path | None, typer.Option(help="Keep the study in this file (SQLite), and go on from it.")] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the study into this file (.png, .svg or .pdf).")] = None,
    figure: Annotated[
        list[str] | None, typer.Option(help="What to draw: outcomes, survival, bands, causes (repeatable; all).")
    ] = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    cluster: Annotated[
        str | None, typer.Option(metavar="ADDRESS", help="Play on a Dask scheduler, like tcp://host:8786.")
    ] = None,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a run (.csv, .jsonl, .parquet).")
    ] = None,
    shape: Annotated[
        str | None,
        typer.Option(metavar="MEASURE", help="The distribution of a measure: histogram and quantiles."),
    ] = None,
    each: Annotated[
        list[str] | None,
        typer.Option(metavar="SIDE", help="A grid: habit, variant, either =NAME,NAME, or DIAL=RANGE (once or twice)."),
    ] = None,
    ends: Annotated[
        bool, typer.Option("--ends", help="Where and why runs end: by level, time and what did it last.")
    ] = False,
    per: Annotated[
        str | None,
        typer.Option(metavar="PART", help="The course of the game by level, visit, or an account that counts waves."),
    ] = None,
    attacks: Annotated[
        bool,
        typer.Option("--attacks", help="Damage per second of each attack, alone and in play, and what a point costs."),
    ] = False,
    income: Annotated[
        str | None,
        typer.Option(metavar="ACCOUNT", help="What comes in and goes out by cause, over time; what was not bought."),
    ] = None,
    own: Annotated[
        str | None,
        typer.Option(metavar="NAME", help="The distribution of a measure that an installed package adds."),
    ] = None,
    exact: Annotated[
        bool, typer.Option("--exact", help="Calculate the exact chances from all states of the game, without sampling.")
    ] = False,
    yes: Annotated[
        bool, typer.Option("--yes", help="With --until: start even if it takes more than ten minutes.")
    ] = False,
    sure: SureOption = 0.95,
    states: Annotated[int, typer.Option(help="With --exact: give up beyond this many states.")] = STATES,
    seconds: Annotated[float, typer.Option(help="With --exact: give up after this many seconds.")] = SECONDS,
    as_json: JsonOption = False,
) -> None:
    """Play the game many times: wins, losses and times, with their intervals."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.balance.sweep import PATIENCE
    from mint_ledger.balance.targets import judge_study
    from mint_ledger.cli.files import write_figure, write_table
    from mint_ledger.cli.progress import study_progress
    from mint_ledger.studies.cluster import cluster_executor
    from mint_ledger.studies.estimate import measured
    from mint_ledger.studies.making import parse_until
    from mint_ledger.studies.study import FIGURES
    from mint_ledger.views.balance_text import targets_text

    for name in figure or ():
        if name not in FIGURES:
            raise NotFound(f"there is no figure '{name}'{nearest(name, FIGURES)}; there are {', '.join(FIGURES)}")
    loaded = load_game(game, script)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    looks: dict[str, object] = {"--ends": ends, "--per": per is not None, "--each": each}
    looks |= {"--attacks": attacks, "--income": income is not None, "--own": own is not None}
    chosen = [option for option, value in looks.items() if value]
    if chosen:
        setting = _PlayOptions(runs, seed, habit, variant, read_dials(settings), sure, engine)
        if each:
            find = setting.grid(loaded, each, measure)
        else:
            find = setting.look(loaded, chosen[0], per or income or own or "", account)
        tell_look(loaded.title, find, plot, output, as_json=as_json)
        if own is not None and not as_json:
            hint(f"\n{own} is worked out by an installed package, after the play and outside the engines.")
        return
    if exact:
        _say_exact(loaded, habit, variant, settings, measure, (states, seconds), as_json)
        return
    asked = _measures(measure, worst, loaded)
    targets = [t for t in loaded.all_targets if t.habit in (None, habit) and t.variant == variant]
    for needed in (m for target in targets for m in measured(loaded, target.measure)):
        asked.setdefault(needed, needed)
    if shape is not None and shape not in ("time", *asked, *loaded.measures):
        asked[shape] = shape
    ranked = worst if worst is None or worst in asked else _worst_measure(worst, loaded)
    stopped: Partial | None = None
    with cluster_executor(cluster) as executor, study_progress(f"{loaded.title}: runs") as progress:
        try:
            answer = loaded.study(
                runs,
                seed,
                habit=habit,
                variant=variant,
                dials=read_dials(settings),
                measures=asked,
                accounts=account,
                times=_grid(loaded) if plot else (),
                until=parse_until(until, math.inf if yes else PATIENCE) if until is not None else None,
                sure=sure,
                engine=engine,  # type: ignore[arg-type]
                executor=executor,
                progress=progress,
                store=store,
            )
        except Partial as stop:
            # What was found so far is shown, and no file is written.
            stopped, answer = stop, stop.answer.at(sure)
    if stopped is not None:
        say_json(answer.as_json()) if as_json else say(answer.summary())
        say(str(stopped), error=True)
        raise typer.Exit(INTERRUPTED)
    if answer.replayed:
        say(f"{answer.replayed:,} runs in {store} were damaged; they were played again and kept again", error=True)
    if output:
        write_table(output, answer.measures, index=True)
    if shape is not None:
        show_look(answer.shape(shape), plot, None, as_json=as_json)
        return
    if plot:
        from mint_ledger.views.study_plots import plot_study

        write_figure(plot, plot_study(answer, figure or FIGURES))
    if as_json:
        content = answer.as_json()
        if ranked:
            content["worst"] = answer.worst(ranked).reset_index().to_dict("records")
        say_json(content)
        return
    say(answer.summary())
    if targets:
        say("", targets_text(judge_study(answer, targets, habit)))
    if ranked:
        from mint_ledger.views.study_text import worst_text

        options = "".join(
            f" --{name} {value}" for name, value in (("habit", habit), ("variant", variant)) if value is not None
        )
        options += "".join(f" --set {setting}" for setting in settings or ())
        options += f" --script {script}" if script is not None else ""
        say("", worst_text(answer, ranked, f"mint-ledger run {game} --seed {seed}{options}"))
    for path in filter(None, (output, plot)):
        hint(f"\n{path} is written")
    if not ranked:
        next_step("why runs end", game, "study GAME --ends")


@dataclass(frozen=True)
class _PlayOptions:
    """How the runs of a look are played."""

    runs: int
    seed: int
    habit: str | None
    variant: str | None
    dials: Mapping[str, Value]
    sure: float
    engine: str

    @property
    def _more(self) -> dict[str, Any]:
        return {"habit": self.habit, "variant": self.variant, "dials": self.dials, "sure": self.sure}

    def grid(self, game: Game, each: list[str], measure: list[str] | None) -> Callable[[Progress | None], LookResult]:
        """Return what plays all choices of one side or two."""
        if measure is not None and len(measure) > 1:
            raise BadRequest("--each compares one estimate, like --measure 'mean(time)'")
        sides = [(name.strip(), text.strip() or None) for name, _, text in (side.partition("=") for side in each)]
        if len(dict(sides)) < len(sides):
            raise BadRequest("--each wants two different sides, like habit and variant")
        estimate = measure[0] if measure else "rate(win)"
        return lambda progress: game.grid(dict(sides), estimate, self.runs, self.seed, progress=progress, **self._more)

    def look(
        self, game: Game, option: str, of: str, account: list[str] | None
    ) -> Callable[[Progress | None], LookResult]:
        """Return what plays the runs and finds what an option asks for, of a stretch or an account."""
        more = {**self._more, "engine": self.engine}
        finds: dict[str, Callable[..., LookResult]] = {
            "--ends": game.ends,
            "--attacks": game.attacks_in_play,
            "--income": partial(game.income, of),
            "--per": partial(game.course, of, accounts=account),
            "--own": partial(game.own_shape, of),
        }
        return lambda progress: finds[option](runs=self.runs, seed=self.seed, progress=progress, **more)


def _say_exact(
    game: Game,
    habit: str | None,
    variant: str | None,
    settings: list[str] | None,
    measure: list[str] | None,
    most: tuple[int, float],
    as_json: bool,
) -> None:
    """The exact answers, and the targets that they judge."""
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.views.exact_text import exact_text

    with counted_progress(f"{game.title}: states") as progress:
        dials, (states, seconds) = read_dials(settings), most
        answer = game.exact(
            habit=habit,
            variant=variant,
            dials=dials,
            measures=_measures(measure, None, game) if measure else None,
            states=states,
            seconds=seconds,
            progress=progress,
        )
    targets = [t for t in game.all_targets if t.habit in (None, habit) and t.variant == variant]
    say_json(answer.as_json()) if as_json else say(exact_text(answer, targets))


def history(
    store: Annotated[Path, typer.Argument(metavar="STORE", help="The file that `study --store` keeps studies in.")],
    number: Annotated[int | None, typer.Argument(metavar="[NUMBER]", help="Show this study.")] = None,
    other: Annotated[int | None, typer.Argument(metavar="[OTHER]", help="Show it next to this other study.")] = None,
    compare: Annotated[int | None, typer.Option("--compare", metavar="OTHER", hidden=True)] = None,
    shares: Annotated[
        bool, typer.Option("--shares", help="With OTHER: divide the difference in wins among what differs.")
    ] = False,
    verify: Annotated[
        bool, typer.Option("--verify", help="Check every block for damage, and play some of them again.")
    ] = False,
    as_json: JsonOption = False,
) -> None:
    """List, show, compare and verify the studies that a store keeps."""
    from mint_ledger.studies.store import Store
    from mint_ledger.views.history_text import compare_text, history_json, history_text, verified_text

    other = compare if other is None else other
    if not store.exists():
        raise BadRequest(f"{store} does not exist; `mint-ledger study GAME --store {store}` makes it")
    with Store(store) as opened:
        if verify:
            found = opened.verify()
            say_json({"studies": [asdict(study) for study in found]}) if as_json else say(
                verified_text(found, str(store))
            )
            if not all(study.is_sound for study in found):
                raise typer.Exit(FELL_SHORT)
            return
        if number is None:
            entries, damaged = opened.entries(), opened.damaged()
            if as_json:
                say_json({"studies": history_json(entries), "damaged": damaged})
            else:
                say(history_text(entries, str(store), opened.banks(), damaged))
            return
        shown = opened.show(number)
        kept = opened.entry(number).runs
        if kept > shown.runs:
            say(
                f"of {kept:,} runs only the first {shown.runs:,} can be read; the study played again (--store {store}) "
                "fixes the others",
                error=True,
            )
        if other is None:
            say_json(shown.as_json()) if as_json else say(shown.summary())
            return
        beside = opened.show(other)
        entries = [opened.entry(one) for one in (number, other)]
        why = _shares_of(entries[0].request, entries[1].request, min(shown.runs, beside.runs)) if shares else None
        if as_json:
            told = {"studies": {str(number): shown.as_json(), str(other): beside.as_json()}}
            say_json(told | ({"shares": why.as_json()} if why is not None else {}))
        else:
            say(compare_text((entries[0], shown), (entries[1], beside)))
            if why is not None:
                say("", why.summary())


def _shares_of(one: StudyRequest, other: StudyRequest, runs: int) -> Shares:
    """Why two studies of a store differ; the games between the two are played again."""
    from mint_ledger.balance.shares import share_out
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.playing.setting import Setting
    from mint_ledger.studies.request import game_of_request

    if (one.seed, one.habit) != (other.seed, other.habit):
        raise BadRequest("--shares wants two studies of the same seed and habit")
    games = [game_of_request(request) for request in (one, other)]
    setting = Setting(one.seed, one.habit)
    with counted_progress(f"{games[0].title}: games") as progress:
        return share_out(games[0], games[1], runs=min(runs, MOST_SHARED), setting=setting, progress=progress)


def _measures(measures: list[str] | None, worst: str | None, game: Game) -> dict[str, str]:
    """Measures of the command line: `NAME=MEASURE`, or the measure alone."""
    texts: dict[str, str] = {}
    for item in measures or ():
        name, equals, text = item.partition("=")
        named = equals and re.fullmatch(r"[\w ]+", name.strip()) and not text.startswith("=")
        texts[name.strip() if named else item] = text.strip() if named else item
    if worst is not None and worst not in texts:
        ranked = _worst_measure(worst, game)
        if ranked not in ("time", *game.measures):
            texts.setdefault(ranked, ranked)
    return texts


def _worst_measure(text: str, game: Game) -> str:
    """What `--worst` ranks by: a measure, or the lowest value of an account, `health` for the only one of that name."""
    from mint_ledger.journal.books import account_name, all_accounts

    if text == "time" or text in game.measures or "(" in text:
        return text
    program = game.lowered.program
    names = [account_name(program, key) for key in all_accounts(program)]
    if text in names:
        return f"lowest({text})"
    players = {entity for entities in game.lowered.habit_players.values() for entity in entities}
    cast = program.cast
    own = [f"{cast.entity_name(entity)}.{text}" for entity in sorted(players)]
    candidates = [name for name in own if name in names] or [name for name in names if name.endswith(f".{text}")]
    if not candidates:
        raise NotFound(f"--worst wants a measure or an account, and '{text}' is neither{nearest(text, names)}")
    return f"lowest({candidates[0]})"


def _grid(game: Game) -> list[float]:
    """Times over the whole of a run, a step apart at least."""
    clock = game.clock
    steps = max(1, round(clock.limit / clock.step))
    every = max(1, steps // GRID)
    return [step * clock.step for step in range(0, steps + 1, every)][:1_000]


__all__ = ["history", "study"]
