from __future__ import annotations

import pytest
from conftest import postings

import mint_ledger as mint

BARREL = """
title: Barrel
clock: {{step: 0.1, limit: 5}}
stats: {{ladle: 2}}
kinds:
  barrel: {{stats: {{water: {water}}}}}
rules:
  - {{when: {{every: 1}}, at_most: 3, do: ["{do}"]}}
"""


def rows(water: str, do: str) -> list[dict[str, float]]:
    run = mint.loads(BARREL.format(water=water, do=do)).run()
    run.reconcile()
    return postings(run, "barrel.water")


def amounts(row: dict[str, float]) -> tuple[float, ...]:
    return tuple(row[key] for key in ("before", "asked", "applied", "after", "waste", "rounded", "wrapped"))


def test_healing_of_25_at_90_of_100_posts_25_asked_10_applied_15_waste() -> None:
    first = rows("{start: 90, max: 100}", "barrel.water += 25")[0]
    assert amounts(first) == (90, 25, 10, 100, 15, 0, 0)


def test_damage_below_the_floor_is_waste_with_its_own_sign() -> None:
    first = rows("{start: 4, min: 0}", "barrel.water -= 10")[0]
    assert amounts(first) == (4, -10, -4, 0, -6, 0, 0)


def test_a_posting_that_a_limit_refuses_whole_is_still_a_row() -> None:
    assert amounts(rows("{start: 0, min: 0}", "barrel.water -= 3")[0]) == (0, -3, 0, 0, -3, 0, 0)


@pytest.mark.parametrize(
    ("how", "amount", "after"),
    [
        ("nearest", 2.5, 13),
        ("nearest", -2.5, 7),
        ("down", 2.9, 12),
        ("down", -2.9, 8),
        ("up", 2.1, 13),
        ("up", -2.1, 7),
    ],
)
def test_whole_stats_round_each_amount_by_its_size_and_that_is_no_waste(how: str, amount: float, after: float) -> None:
    first = rows(f"{{start: 10, whole: true, round: {how}}}", f"barrel.water += {amount}")[0]
    assert first["after"] == after
    assert first["waste"] == 0
    assert first["asked"] + first["rounded"] == pytest.approx(first["applied"])


def test_a_counter_that_wraps_books_what_ran_over_apart() -> None:
    first = rows("{start: 250, min: 0, max: 255, whole: true, at_limit: wrap}", "barrel.water += 10")[0]
    assert amounts(first) == (250, 10, -246, 4, 0, 0, -256)
    down = rows("{start: 1, min: 0, max: 255, whole: true, at_limit: wrap}", "barrel.water -= 3")[0]
    assert down["after"] == 254


@pytest.mark.parametrize(
    ("do", "after"),
    [
        ("fill barrel.water", 50),
        ("empty barrel.water", 5),
        ("barrel.water = 7", 7),
        ("barrel.water *= ladle", 40),
        ("barrel.water /= ladle", 10),
        ("barrel.water += barrel.water.max - barrel.water", 50),
    ],
)
def test_each_way_to_write_a_posting(do: str, after: float) -> None:
    assert rows("{start: 20, min: 5, max: 50}", do)[0]["after"] == after


def test_fill_without_a_max_goes_to_the_start() -> None:
    assert rows("{start: 20, min: 0}", "fill barrel.water")[0]["after"] == 20


def test_a_limit_that_is_a_formula_brings_the_value_back_by_a_posting_of_its_own() -> None:
    game = mint.loads("""
title: Tiers
clock: {unit: turn, limit: 4}
kinds:
  mage:
    stats: {tier: 3, base: 20, mana: {start: 50, min: 0, max: base + 10 * tier}}
rules: [{name: falls, when: {every: 1}, at_most: 1, do: [mage.tier -= 2]}]
""")
    run = game.run()
    run.reconcile()
    row = postings(run, "mage.mana")[-1]
    assert (row["cause"], row["before"], row["after"]) == ("limit", 50, 30)


def test_until_then_a_posting_never_moves_a_value_against_its_own_sign() -> None:
    game = mint.loads("""
title: Tiers
clock: {unit: turn, limit: 4}
kinds:
  mage: {stats: {tier: 3, mana: {start: 30, min: 0, max: 10 * tier}}}
rules: [{name: falls and drinks, when: {every: 1}, at_most: 1, do: [mage.tier -= 2, mage.mana += 5]}]
""")
    found = [(r["cause"], r["before"], r["after"], r["waste"]) for r in postings(game.run(), "mage.mana")]
    assert found == [("falls and drinks", 30, 30, 5), ("limit", 30, 10, 0)]


def test_a_whole_stat_takes_its_limits_rounded_inward() -> None:
    found = rows("{start: 3, min: 0.5, max: 4.5, whole: true}", "barrel.water += 5")
    assert found[0]["after"] == 4


def test_flags_and_words_are_set() -> None:
    game = mint.loads("""
title: Door
clock: {unit: turn, limit: 2}
kinds: {door: {stats: {open: false, side: {one_of: [left, right]}}}}
rules: [{when: start, do: [door.open = true, door.side = right]}]
playtests: {it opens: {expect: [{at: 1, that: door.open and door.side == right}]}}
""")
    assert all(result.passed for result in game.play_tests())
    assert "left → right" in game.run().story()
