"""Facts of a program hold in every run of it, and say what hand arithmetic says."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from random_games import games
from ruamel.yaml import YAML

import mint_ledger as mint
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.facts.bounds import bounds_of
from mint_ledger.facts.effects import Effects, Trigger, effects_of
from mint_ledger.playing.setting import habit_starts

EXAMPLES = Path(__file__).parent.parent / "examples"
MEADOW = """
title: Meadow
clock: {step: 0.05, limit: 20}
stats: {dew: {start: 4, min: 0, max: 9}, mist: {start: 6}}
kinds:
  pond: {copies: 3}
  goat: {stats: {warmth: {start: 10, min: 0}, wool: {start: 2}}}
rules:
  - {name: asks, when: {every: 1}, let: {asked: FORMULA}, do: ["goat.warmth += 1"]}
"""


@pytest.mark.parametrize(
    ("text", "low", "high"),
    [
        ("goat.warmth", 10, float("inf")),
        ("dew", 4, 4),
        ("mist * 2 + 1", 13, 13),
        ("clamp(goat.warmth, 2, 15)", 10, 15),
        ("min(goat.warmth, 12)", 10, 12),
        ("max(goat.warmth, 17) - 7", 10, float("inf")),
        ("time / 4", 0, 5),
        ("goat.warmth < 0", 0, 0),
        ("not goat.warmth < 0", 1, 1),
        ("goat.warmth >= 0 and time <= 20", 1, 1),
        ("goat.warmth > 30 or time > 99", 0, 1),
        ("abs(0 - 3 - time)", 3, 23),
        ("count(pond)", 0, 3),
        ("1 / (goat.warmth - 11)", float("-inf"), float("inf")),
        ("between(2, 3) * 0 - whole(1, 6)", -6, -1),
        ("dice(2, 6)", 2, 12),
        ("goat.wool == 2", 1, 1),
        ("5 if mist > 7 else 3", 3, 3),
    ],
)
def test_bounds_hold_what_hand_arithmetic_says(text: str, low: float, high: float) -> None:
    game = mint.loads(MEADOW.replace("FORMULA", f'"{text}"'))
    found = bounds_of(game.lowered.program).formula(("rules", 0, "let", "asked"))
    assert found is not None
    assert (found.low, found.high) == (low, high)


def facts(text: str) -> Effects:
    return effects_of(mint.loads(text).lowered.program)


def changed(found: Effects, stat: str) -> list[tuple[str, float, float, set[str]]]:
    return [
        (found.causes(e)[0].name, e.amount.low, e.amount.high, {t.sort for t in e.triggers})
        for e in found.postings
        if e.stat == stat and e.mode != "open"
    ]


def test_what_sets_a_posting_off_is_known_whatever_spells_it() -> None:
    found = facts(
        """
        clock: {limit: 30}
        stats: {count: {start: 0}}
        kinds:
          fence: {}
          goat:
            stats: {wool: {start: 5}}
            rules:
              - {name: grazes, when: {every: 2}, do: ["count += 1"]}
              - {name: bumps, when: {meets: fence}, do: ["count += 2"]}
              - {name: rubs, when: {in_contact: fence}, do: ["count += 3"]}
              - {name: hears, when: {cue: bell}, do: ["count += 4"]}
              - {name: waits, when: {while: "time > 3"}, do: ["count += 5"]}
              - {name: turns, when: {becomes: "time > 4"}, do: ["count += 6", {cue: ring}]}
              - {name: rings, when: {cue: ring}, do: ["count += 7"]}
              - {name: begins, when: start, do: ["count += 8"]}
        """
    )
    assert changed(found, "count") == [
        ("begins", 8, 8, {"opening"}),
        ("bumps", 2, 2, {"touch"}),
        ("grazes", 1, 1, {"timer"}),
        ("rubs", 3, 3, {"contact"}),
        ("waits", 5, 5, {"step"}),
        ("turns", 6, 6, {"event"}),
        ("rings", 7, 7, {"event"}),
        ("hears", 4, 4, {"outside"}),
    ]


def test_guards_are_the_formulas_that_hold_whenever_it_happens() -> None:
    found = facts(
        """
        clock: {limit: 9}
        stats: {heat: {start: 3}}
        kinds: {oven: {stats: {bread: {start: 0}}}}
        rules:
          - {name: bakes, when: {every: 1}, if: heat > 2, do: [{if: "oven.bread < 5", do: ["oven.bread += 1"]}]}
        """
    )
    [effect] = [e for e in found.postings if e.stat == "bread" and e.mode == "add"]
    program = found.program
    assert [program.formulas[number].text for number in sorted(effect.guards)] == ["heat > 2", "oven.bread < 5"]


def test_what_cannot_be_come_to_has_no_effect_and_no_bounds() -> None:
    found = facts(
        """
        clock: {limit: 9}
        stats: {heat: {start: 3}, bread: {start: 0}}
        rules:
          - {name: never, when: {every: 1}, if: heat > 5, do: ["bread += heat"]}
        """
    )
    assert changed(found, "bread") == []
    assert found.bounds.formula(("rules", 0, "if")).never  # type: ignore[union-attr]
    assert found.bounds.formula(("rules", 0, "do", 0)) is None


def test_an_attack_and_what_comes_with_it_are_told_apart_by_where_they_post() -> None:
    found = facts(
        """
        clock: {limit: 9}
        kinds:
          wasp: {}
          baker: {stats: {health: {start: 20, min: 0}, dough: {start: 5}}}
        attacks:
          sting: {from: wasp, to: baker, damage: "dice(1, 4)", when: {every: 1}, also: ["other.dough -= 1"]}
        """
    )
    [bitten] = [e for e in found.postings if e.stat == "health" and e.mode == "add"]
    [dough] = [e for e in found.postings if e.stat == "dough" and e.mode == "add"]
    assert (bitten.amount.low, bitten.amount.high) == (-4, -1)
    assert (dough.amount.low, dough.amount.high) == (-1, -1)
    assert bitten.triggers == dough.triggers == {Trigger("timer")}
    assert bitten.within != dough.within


def all_rows_are_known(game: mint.Game, habit: str | None, runs: int) -> None:
    """Every row of some runs lies within the bounds, and comes of an effect that may be as large."""
    program = game.lowered.program
    found = effects_of(program)
    flowing = {number for number, cause in enumerate(program.causes) if cause.sort == "flow"}
    for run in range(runs):
        engine = ReferenceEngine(program, run=run, starts=habit_starts(game.lowered, habit))
        engine.play()
        for row in engine.rows:
            if row.what != 0.0:
                continue
            stat, entity, cause = program.accounts[int(row.stat)].stat, int(row.entity), int(row.cause)
            known = found.bounds.account(stat, entity)
            assert known is not None
            assert known.low - 1e-9 <= row.after <= known.high + 1e-9, (stat, row, known)
            if cause in flowing:
                continue
            made = [e for e in found.of(stat, entity) if cause in e.causes]
            assert any(e.mode != "add" or e.amount.low - 1e-9 <= row.asked <= e.amount.high + 1e-9 for e in made), (
                stat,
                row,
                made,
            )
            assert any(e.by.low <= row.by <= e.by.high for e in made)


@pytest.mark.parametrize("path", [mint.demo_path(), *sorted(EXAMPLES.glob("*.yaml"))], ids=lambda p: Path(p).stem)
def test_facts_hold_in_runs_of_the_demo_and_the_examples(path: Path) -> None:
    game = mint.load(path)
    for variant in (None, *game.variants):
        for habit in [*game.habits] or [None]:
            all_rows_are_known(game.turned(variant, None), habit, 1)


@settings(max_examples=8, deadline=None, suppress_health_check=list(HealthCheck))
@given(games())
def test_facts_hold_in_runs_of_random_games(data: dict[str, Any]) -> None:
    try:
        game = mint.Game.model_validate(data)
        game.lowered  # noqa: B018
    except (mint.GameError, ValueError):
        return
    try:
        all_rows_are_known(game, None, 2)
    except mint.RunStopped:
        return


def test_facts_are_plain_data_of_yaml_games() -> None:
    """The same game from data and from its text has the same facts."""
    text = MEADOW.replace("FORMULA", "dew")
    one, other = mint.loads(text), mint.Game.model_validate(YAML(typ="safe").load(text))
    found = [effects_of(game.lowered.program) for game in (one, other)]
    assert found[0].postings == found[1].postings
    assert found[0].bounds.accounts == found[1].bounds.accounts
