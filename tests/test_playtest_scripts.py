"""What playtests' scripts and rules name wrongly is told in words: found by the long fuzz."""

from __future__ import annotations

import multiprocessing

import pytest

import mint_ledger as mint

SHOP = """
title: Shop
clock: {step: 1, limit: 5}
stats: {which: 1}
kinds:
  clerk: {copies: 2, stats: {coal: 3}}
  cat: {stats: {naps: 0}}
statuses: {sleepy: {lasts: 2}}
actions: {stoke: {by: clerk, costs: {coal: 1}, do: []}}
rules: [{name: yawns, when: {every: 2}, do: [{give: sleepy, to: "clerk[which]"}]}]
playtests:
  evening:
    script: [{at: 1, act: stoke, by: "clerk[1]"}]
    expect: [{at: 2, that: "clerk[1].coal == 2"}]
"""


def test_the_shop_is_sound() -> None:
    assert all(result.passed for result in mint.loads(SHOP).play_tests())


@pytest.mark.parametrize(
    ("was", "now", "words"),
    [
        ("act: stoke,", "act: stok,", "unknown action 'stok', did you mean 'stoke'?"),
        ("act: stoke,", "act: '=1+1',", "unknown action '=1+1'"),
        ('by: "clerk[1]"', "by: cat", "'stoke' is an action of clerk, not of cat"),
    ],
)
def test_an_act_of_a_script_that_cannot_be_is_told(was: str, now: str, words: str) -> None:
    with pytest.raises(mint.GameError) as told:
        mint.loads(SHOP.replace(was, now)).play_tests()
    assert words in str(told.value)


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_a_copy_that_is_not_there_stops_the_run_in_words(engine: str) -> None:
    game = mint.loads(SHOP.replace("which: 1", "which: 7"))
    with pytest.raises(mint.RunStopped, match="there is no clerk of that number"):
        game.study(3, engine=engine)  # type: ignore[arg-type]
    session = mint.loads(SHOP).play()
    with pytest.raises(mint.MintError, match="there is no clerk of that number"):
        session.give("sleepy", "clerk[which * 9]")


def _played(_: int) -> float:
    return mint.loads(SHOP).study(150, engine="reference").rate("unfinished").value


def test_a_study_can_be_played_in_a_worker_of_ones_own_pool() -> None:
    with multiprocessing.get_context("spawn").Pool(1) as pool:
        assert pool.map(_played, [1]) == [1.0]
