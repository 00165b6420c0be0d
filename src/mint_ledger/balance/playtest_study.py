"""A playtest played many times, for what it expects of many runs."""

from __future__ import annotations

from functools import partial

from mint_ledger import showing
from mint_ledger.errors import MintError
from mint_ledger.game.script import Wanted
from mint_ledger.lowering.lower import lower
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.lowering.script import LoweredPlaytest
from mint_ledger.playing.playtests import Found, PlaytestResult, playtest_results, starts_of
from mint_ledger.playing.setting import habit_starts, level_start
from mint_ledger.studies.estimate import measured
from mint_ledger.studies.making import make_study
from mint_ledger.studies.request import Prepared, StudyRequest
from mint_ledger.studies.study import Study
from mint_ledger.studies.taking import make_taking


def playtest_study(game: PlayableGame, playtest: LoweredPlaytest, runs: int) -> Study:
    """Play a playtest, script and start included, with the measures that it expects something of.

    Raises:
        NotFound: there is no such dial, account, habit, variant or level.
        GameError: one of the measures is none.
        RunStopped: one of the runs could not go on.
    """
    model = playtest.model
    accounts, dials = starts_of(game.lowered, model.start)
    turned = game.turned(model.variant, {**model.dials, **dials})
    wanted = [expected.that.measure for expected in model.expect if isinstance(expected.that, Wanted)]
    measures = dict.fromkeys(text for estimate in wanted for text in measured(turned, estimate))
    lowered = lower(turned, model.script, {text: text for text in measures})
    starts = [*accounts, *habit_starts(lowered, model.habit)]
    if model.level is not None:
        starts.append(level_start(lowered, model.level))
    # The request is for the books alone: what is played stands in what is prepared.
    request = StudyRequest(text="", name=playtest.name, seed=model.seed, habit=model.habit, engine="native")
    prepared = Prepared(
        lowered,
        model.seed,
        tuple(starts),
        make_taking(lowered, ()),
        (),
        script=lowered.script,
        only_script=model.only_script,
    )
    return make_study(prepared, request, runs)


def found_in_many(game: PlayableGame, playtest: LoweredPlaytest, runs: int, wanted: Wanted) -> Found:
    """Return whether an estimate lies where it should; the same seed gives the same answer every time."""
    study = playtest_study(game, playtest, runs)
    estimate = study.estimate(wanted.measure)
    held = wanted.want.low <= estimate.value <= wanted.want.high
    values = f"{wanted.measure} is {showing.text('balance_text.told', wanted.measure, estimate)}"
    return Found(f"in {study.runs:,} runs", wanted.text, held, values)


def play_tests(game: PlayableGame) -> list[PlaytestResult]:
    """Play all playtests of a game."""
    turned: dict[str, Lowered | MintError] = {}
    for name, playtest in game.playtests.items():
        try:
            _, dials = starts_of(game.lowered, playtest.start)
            if dials or playtest.dials or playtest.variant:
                turned[name] = game.turned(playtest.variant, {**playtest.dials, **dials}).lowered
        except MintError as error:
            turned[name] = error
    return playtest_results(game.lowered, partial(found_in_many, game), turned)
