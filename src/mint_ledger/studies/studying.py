"""A study of a game, from what it is asked to take and by what means it is played."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path

from mint_ledger.engines.names import EngineName
from mint_ledger.game.script_reading import script_text
from mint_ledger.journal.books import account_name, all_accounts
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.highlights import chosen_accounts
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.elsewhere import chosen_engine
from mint_ledger.studies.estimate import checked_sure
from mint_ledger.studies.making import make_study, parse_until
from mint_ledger.studies.request import StudyRequest, check_measures, named_measures, prepare_game
from mint_ledger.studies.store import Store
from mint_ledger.studies.study import Study, Until


@dataclass(frozen=True, slots=True)
class Asked:
    """What a study takes of each run; see `Game.study`."""

    measures: Mapping[str, str] | Sequence[str] = ()
    accounts: Sequence[str] | None = None
    times: Sequence[float] = ()


@dataclass(frozen=True, slots=True)
class Means:
    """By what a study is played: engine and executor; who is told of it; where it is kept. See `Game.study`."""

    engine: EngineName = "auto"
    executor: Executor | None = None
    progress: Progress | None = None
    store: str | Path | None = None


def study_game(
    game: PlayableGame,
    runs: int,
    setting: Setting,
    asked: Asked = Asked(),
    means: Means = Means(),
    until: str | float | Until | None = None,
    first: int = 0,
) -> Study:
    """Play a game many times, from the run `first` on; see `Game.study`, which says what may be wrong."""
    engine = chosen_engine(means.engine)
    checked_sure(setting.sure)
    turned = setting.of(game)
    named = _expanded(turned, named_measures(asked.measures))
    check_measures(named)
    chosen = tuple(asked.accounts) if asked.accounts is not None else chosen_accounts(turned.lowered)
    request = StudyRequest(
        text=turned.origin_text(),
        name=turned.file,
        seed=setting.seed,
        dials=turned.changes(),
        habit=setting.habit,
        measures=tuple(named.items()),
        accounts=chosen,
        sampled=chosen if len(asked.times) else (),
        times=tuple(float(time) for time in asked.times),
        engine=engine,
        variant=turned.chosen_variant,
        script=script_text(turned.script),
    )
    prepared = prepare_game(turned, request)
    limit = parse_until(until) if until is not None and not isinstance(until, Until) else until
    if means.store is None:
        study = make_study(
            prepared, request, runs, until=limit, executor=means.executor, progress=means.progress, first=first
        )
        return study.at(setting.sure)
    with Store(means.store) as opened:
        stored = opened.study(prepared, request, setting.title(turned))
        study = make_study(
            prepared, request, runs, until=limit, executor=means.executor, progress=means.progress, stored=stored
        )
        stored.keep_results(study)
        return study.at(setting.sure)


def measure_game(game: PlayableGame, runs: int, setting: Setting, measures: Sequence[str]) -> Study:
    """A study for some measures alone."""
    return study_game(game, runs, setting, Asked(measures, ()))


def _expanded(game: PlayableGame, measures: Mapping[str, str]) -> dict[str, str]:
    """Measures, with an account's name alone written out."""
    program = game.lowered.program
    known = {account_name(program, key) for key in all_accounts(program)}
    texts: dict[str, str] = {}
    for name, text in measures.items():
        if text in known:
            texts |= {f"{call}({text})": f"{call}({text})" for call in ("closing", "lowest", "highest")}
        else:
            texts[name] = text
    return texts
