"""What has to hold for every game, whatever it says: asked of random games by `test_invariants.py`."""

from __future__ import annotations

import json
import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from both_engines import assert_same, bits

import mint_ledger as mint
from mint_ledger.chance import philox
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.lowering import luck
from mint_ledger.playing.setting import habit_starts

OTHER_NAMES = {
    "queen": "matron",
    "ants": "mites",
    "size": "girth",
    "food": "grain",
    "base": "ground",
    "heat": "warmth",
    "bite": "nip",
    "dig": "burrow",
    "sticky": "gummy",
    "echo": "ring",
    "pay": "fee",
    "mood": "temper",
}
FORWARD = re.compile(r"\b(" + "|".join(OTHER_NAMES) + r")\b")
BACK_NAMES = {new: old for old, new in OTHER_NAMES.items()}
BACK = re.compile(r"\b(" + "|".join(BACK_NAMES) + r")\b")


def played(game: mint.Game, run: int = 0) -> tuple[list[bytes], str]:
    """The rows of a run in the reference engine, and why it stopped, if it did."""
    engine = ReferenceEngine(game.lowered.program, seed=3, run=run, starts=habit_starts(game.lowered, "eager"))
    try:
        engine.play()
    except mint.RunStopped as stop:
        return bits(engine.rows), str(stop)
    return bits(engine.rows), ""


def both_engines_agree(data: dict[str, Any]) -> None:
    """Both engines make the same rows and states, to the bit."""
    assert_same(mint.Game(**data).lowered, "eager", runs=(7,))


def names_do_not_matter(data: dict[str, Any], patch: pytest.MonkeyPatch) -> None:
    """Other names for owners, stats and rules change no number, if the luck's keys are carried over."""
    # Read from its text, where sections keep their order.
    plain = mint.loads(json.dumps(data))
    text = FORWARD.sub(lambda found: OTHER_NAMES[found[1]], json.dumps(data))
    with patch.context() as carried:
        carried.setattr(
            luck,
            "place_hash",
            lambda *parts: philox.place_hash(*(BACK.sub(lambda f: BACK_NAMES[f[1]], part) for part in parts)),
        )
        # Keys of a text are sorted, and so differ in their order once its names do.
        carried.setattr(json, "dumps", _dumps)
        renamed = mint.loads(text)
    for run in (0, 1):
        assert played(plain, run)[0] == played(renamed, run)[0]


_dump = json.dumps


def _dumps(value: Any, **options: Any) -> str:
    return _dump(_back(value), **options)


def _back(value: Any) -> Any:
    if isinstance(value, dict):
        return {_back(key): _back(item) for key, item in value.items()}
    if isinstance(value, list):
        return [_back(item) for item in value]
    return BACK.sub(lambda f: BACK_NAMES[f[1]], value) if isinstance(value, str) else value


def turned(data: dict[str, Any], pick: int) -> mint.Game:
    """The game with one of its dials turned by a little, if that makes a game."""
    game = mint.Game(**data)
    words = game.dials.words
    names = [name for index, name in enumerate(game.dials.names) if not name.startswith("clock") and index not in words]
    name = names[pick % len(names)]
    value = game.dials.value(name)
    index = game.dials.find(name)
    try:
        return game.with_dials({name: not value if game.dials.flags[index] else value + 1})
    except mint.GameError:
        return game.with_dials({"queen.base": 11})


def turned_games_are_games(game: mint.Game, folder: Path, executor: Any = None) -> None:
    """A turned game has the same dials and the same numbers through its text and through all ways of playing."""
    again = mint.loads(game.to_yaml())
    assert dict(zip(again.dials.names, again.dials.numbers, strict=True)) == dict(
        zip(game.dials.names, game.dials.numbers, strict=True)
    )
    options: dict[str, Any] = {"habit": "eager", "measures": {"left": "closing(queen.size)"}}
    try:
        wanted = again.study(6, engine="reference", **options).measures
    except mint.RunStopped:
        with pytest.raises(mint.RunStopped):
            game.study(6, engine="native", **options)
        return
    store = folder / "kept.sqlite"
    with ThreadPoolExecutor(2) as threads:
        ways = [
            game.study(6, engine="native", **options),
            game.study(6, engine="reference", **options),
            game.study(6, executor=threads, **options),
            game.study(6, store=store, **options),
            again.study(6, store=store, **options),
        ]
    if executor is not None:
        ways.append(game.study(6, executor=executor, **options))
    for study in ways:
        assert study.measures.equals(wanted)
