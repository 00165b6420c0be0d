"""Means with rare outcomes, against means that are known by hand; uniform wages have mean 1."""

from __future__ import annotations

import math

import pytest

import mint_ledger as mint
from mint_ledger.chance.many import uniforms
from mint_ledger.chance.philox import uniform
from mint_ledger.facts.thresholds import drawing_places

CHEST = """
title: Rare chest
clock: {{unit: turn, limit: 2}}
numbers: {{odds: {odds}, prize: {prize}}}
kinds: {{hero: {{stats: {{gold: {{start: 0, min: 0, max: 100000}}}}}}}}
rules:
  - {{name: wage, when: start, do: ["hero.gold += between(0, 2)"]}}
  - {{name: chest, when: start, {chest}}}
endings: {{done: {{result: win, if: time >= 1}}}}
measures: {{gold: closing(hero.gold)}}
targets: [{{name: about one a run, measure: mean(gold), want: 0.8..1.5}}]
"""
BY_CHANCE = "chance: odds, do: [hero.gold += prize]"


def chest(odds: float = 0.0005, prize: float = 4000, how: str = BY_CHANCE) -> mint.Game:
    return mint.loads(CHEST.format(odds=odds, prize=prize, chest=how))


@pytest.mark.parametrize(("odds", "prize"), [(0.002, 1000), (0.001, 2000), (0.0005, 4000), (0.0001, 20000)])
def test_a_mean_of_3_is_not_taken_for_one_of_1_by_runs_that_never_saw_the_chest(odds: float, prize: float) -> None:
    game = chest(odds, prize)
    for seed in range(12):
        study = game.study(2_000, seed=seed, accounts=[])
        assert study.mean("gold").ever()[0] > 2.8
        [judged] = game.judge(2_000, seed=seed)
        assert judged.verdict == "missed"


@pytest.mark.parametrize("runs", [30, 400])
def test_the_interval_holds_the_mean_about_as_often_as_it_says(runs: int) -> None:
    game = chest()
    held = 0
    for seed in range(40):
        gold = game.study(runs, seed=seed, accounts=[]).mean("gold")
        held += gold.low <= 3.0 <= gold.high
    assert held >= 35  # of 40 at 0.95 fewer come once in 700 times


@pytest.mark.parametrize(
    "how",
    [
        'if: "dice(1, 2000) == 2000", do: [hero.gold += prize]',
        'if: "normal(5, 2) > 5 + 2 * 3.2905267314919255", do: [hero.gold += prize]',
        'if: "between(0, 20) < 0.01", do: [hero.gold += prize]',
        'if: "whole(1, 2000) == 7", do: [hero.gold += prize]',
        'do: ["hero.gold += pick(0, 4000, weights(1999, 1))"]',
        "do: [{if: chance(0.0005), do: [hero.gold += prize]}]",
    ],
)
def test_every_way_to_write_a_chance_of_1_in_2000_is_known(how: str) -> None:
    gold = chest(how=how).study(400, seed=3, accounts=[]).mean("gold")
    assert gold.value == pytest.approx(3.0, abs=0.2)
    assert 2.7 < gold.low < gold.high < 3.3


@pytest.mark.parametrize(
    "how",
    [
        # 1 of 216, of 1,296 and of 6^10 / C(15, 5): throws of several dice, and both ends of one throw.
        'if: "dice(3, 6) == 18", do: [hero.gold += 432]',
        'if: "6 > 28 - dice(4, 6)", do: [hero.gold += 518.4]',
        'if: "dice(10, 6) <= 15", do: ["hero.gold += 2 * 6 ** 10 / 3003"]',
        'if: "max(2, abs(dice(4, 6) - 14)) == 10", do: [hero.gold += 1296]',
        # Luck is 1 to 4, evenly: its whole part is 2 on average, and it is 2.5.
        'chance: "0.0002 * hero.luck", do: [hero.gold += 4000]',
        'if: "dice(1, 4000) + hero.luck >= 4001", do: [hero.gold += 4000]',
        'if: "dice(2, 50) + floor(hero.luck) > 100", do: ["hero.gold += 2 * 2500 / ((1 + 3 + 6) / 3)"]',
        'do: ["hero.gold += pick(0, 4000, weights(4998, hero.luck))"]',
        'if: "between(0, 5000) < hero.luck", do: [hero.gold += 4000]',
    ],
)
def test_chances_from_dice_and_from_the_state_have_their_means(how: str) -> None:
    text = CHEST.format(odds=0, prize=0, chest=how)
    text = text.replace("gold: {", "luck: {start: 1, min: 0, max: 9}, gold: {").replace(
        "rules:", 'rules:\n  - {name: luck, when: start, do: ["hero.luck += between(0, 3)"]}'
    )
    game, held = mint.loads(text), 0
    for seed in range(8):
        study = game.study(400, seed=seed, accounts=[])
        gold = study.mean("gold")
        held += gold.low <= 3.0 <= gold.high
        assert study.rare is not None and gold.high - gold.low < 2.5
    assert held >= 5  # of 8 at 0.95 fewer come once in 2,700 times


def test_a_chance_within_a_chance_has_the_mean_of_both() -> None:
    text = CHEST.format(odds=0.05, prize=4000, chest="chance: odds, do: [{cue: vault}]").replace(
        "endings:", "  - {name: vault, when: {cue: vault}, chance: 0.01, do: [hero.gold += prize]}\nendings:"
    )
    held = 0
    for seed in range(20):
        gold = mint.loads(text).study(400, seed=seed, accounts=[]).mean("gold")
        held += gold.low <= 3.0 <= gold.high
        assert gold.high > 2.0
    assert held >= 17


def test_a_comparison_knows_the_better_chest_though_no_run_opened_one() -> None:
    game = chest()
    for seed in range(5):
        comparison = game.compare(runs=400, seed=seed, dials={"odds": 0.001})
        [gold] = [d.difference for d in comparison.differences if d.name == "gold"]
        assert gold.low <= 2.0 <= gold.high and gold.low > 0.0
    # The prize alone, under the same luck: one of 2,000 gains 2,000.
    [gold] = [d.difference for d in game.compare(runs=400, dials={"prize": 6000}).differences if d.name == "gold"]
    assert gold.value == pytest.approx(1.0, abs=1e-9)


def test_most_finds_the_best_of_chances_that_hardly_any_run_shows() -> None:
    for seed in range(4):
        tuned = chest().tune_most({"odds": "0.0001,0.0002,0.0003,0.0004,0.0005"}, "mean(gold)", runs=400, seed=seed)
        assert tuned.best == (0.0005,)


def test_what_a_cause_gives_is_known_of_a_cause_that_came_in_no_run() -> None:
    study = chest().study(400, seed=5, accounts=["hero.gold"])
    by_cause = {row.cause: row for row in study.causes("hero.gold")}
    assert by_cause.get("chest") is None or by_cause["chest"].total == pytest.approx(2.0, abs=1e-9)
    assert by_cause["wage"].low < 1.0 < by_cause["wage"].high


def test_a_game_without_rare_outcomes_plays_no_run_more() -> None:
    study = chest(odds=0.3, prize=2).study(400, seed=1, accounts=[])
    assert study.rare is None
    assert study.mean("gold").method.endswith("Hall's transformation")


def test_until_knows_the_mean_before_it_stops() -> None:
    study = chest().study(until="mean(gold) ±0.1", seed=5, accounts=[])
    low, high = study.mean("gold").ever()
    assert low <= 3.0 <= high and high - low <= 0.2


def test_draws_of_arrays_are_those_of_the_engines() -> None:
    rows = [(17, 2**63 + 5, run, copy, count, 0) for run in (0, 2**31) for copy in (1, 9) for count in (1, 77)]
    for seed, place, run, copy, count, part in rows:
        assert uniforms(seed, place, [run], [copy], [count], [part])[0] == uniform(seed, place, run, copy, count, part)


def test_edges_of_a_lot_are_the_sums_of_its_weights() -> None:
    text = CHEST.format(odds=0, prize=0, chest="do: [{lot: drop}]") + (
        "lots: {drop: {of: {a: {weight: 90, do: [hero.gold += 1]}, b: {weight: 9.9, do: [hero.gold += 1]}, "
        "c: {weight: 0.1, do: [hero.gold += 5]}}}}\n"
    )
    program = mint.loads(text).lowered.program
    [cut] = [
        place.cut(program.dials.numbers) for place in drawing_places(program) if "drop" in str(place.column.handle)
    ]
    assert cut[:2] == pytest.approx((0.9, 0.999)) and math.isclose(cut[2], 1.0)


STREAK = """
title: Eight in a row
clock: {{unit: turn, limit: 9}}
kinds: {{thrower: {{stats: {{gold: {{start: 0, min: 0, max: 9000}}, hits: {{start: 0, min: 0}}}}}}}}
rules:
  - name: throw
    when: {{every: 1}}
    do:
      - thrower.gold += between(0, 1)
      - {{if: chance({p}), do: [thrower.hits += 1], else: [thrower.hits = 0]}}
  - {{name: in a row, when: {{becomes: thrower.hits >= 8}}, do: [thrower.gold += {prize}]}}
endings: {{done: {{result: win, if: time >= 8}}}}
measures: {{gold: closing(thrower.gold)}}
targets: [{{name: four, measure: mean(gold), want: 3.5..4.5}}]
"""


@pytest.mark.parametrize("runs", [100, 400])
def test_eight_hits_in_a_row_are_not_forgotten_by_runs_that_never_saw_them(runs: int) -> None:
    game = mint.loads(STREAK.format(p=0.4, prize=5000))
    true = 4.0 + 5000.0 * 0.4**8
    for seed in range(6):
        study = game.study(runs, seed=seed, accounts=[])
        gold = study.mean("gold")
        assert gold.low <= true <= gold.high
        assert game.judge(runs, seed=seed)[0].verdict != "met"
        unseen = study.never_came("gold")
        if unseen is not None:
            assert unseen.causes == ("in a row",) and unseen.gives == 5000.0
            # At most 1 - 0.05^(1/n) of all runs hold what none of n held (hand arithmetic).
            assert gold.high - 4.3 < 5000.0 * (1.0 - 0.05 ** (1.0 / runs)) + 1.0
            assert study.estimate("mean(gold)").ever()[1] > gold.high


def test_what_would_move_the_mean_by_little_or_came_about_widens_nothing() -> None:
    assert mint.loads(STREAK.format(p=0.4, prize=1)).study(400, accounts=[]).never_came("gold") is None
    often = mint.loads(STREAK.format(p=0.9, prize=5000)).study(400, accounts=[])
    assert often.never_came("gold") is None
    assert often.mean("gold").low <= 4.0 + 5000.0 * 0.9**8 <= often.mean("gold").high


def test_a_measure_that_some_runs_lack_knows_of_the_rare_chest_too() -> None:
    # Half of all runs have it, by a coin that has nothing to do with the chest: 1 of the wage and 2 of the chest.
    text = CHEST.format(odds=0.0005, prize=4000, chest=BY_CHANCE).replace(
        "gold: {start", "coin: {start: 0}, gold: {start"
    )
    text = text.replace("rules:", "rules:\n  - {name: coin, when: start, chance: 0.5, do: [hero.coin += 1]}")
    text = text.replace("closing(hero.gold)", "closing(hero.gold) + 0 * first_time(hero.coin >= 1)")
    held = 0
    for seed in range(8):
        study = mint.loads(text).study(400, seed=seed, accounts=[])
        gold = study.mean("gold")
        assert 120 < gold.runs < 280
        held += gold.low <= 3.0 <= gold.high
    assert held >= 5
