"""A value that is shown late: it follows another stat once that has been left alone for a while."""

from __future__ import annotations

import pytest

import mint_ledger as mint

BAR = """
title: Bar
clock: {step: 0.1, limit: 8}
kinds:
  wall:
    stats:
      health: {start: max, min: 0, max: 50 * 2}
      shown: {follows: {stat: health, after: 0.5, rate: 40}}
      jumps: {follows: {stat: health, after: 1}}
rules:
  - {name: first, when: {every: 99, first: 1}, do: [wall.health -= 30]}
  - {name: second, when: {every: 99, first: 1.3}, do: [wall.health -= 10]}
  - {name: fixes, when: {every: 99, first: 5}, do: [wall.health += 20]}
"""


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_it_waits_for_the_pause_and_then_comes_at_its_rate(engine: str) -> None:
    run = mint.loads(BAR).run(engine=engine)
    shown = {t: run.at(t)["wall.shown"] for t in (0, 1, 1.5, 1.8, 1.9, 2.3, 2.8, 4, 5.4, 5.5, 5.6, 6)}
    # The second blow comes within the pause, which begins again: 1.3 + 0.5; then 40 a second down to 60.
    assert shown == pytest.approx(
        {0: 100, 1: 100, 1.5: 100, 1.8: 100, 1.9: 96, 2.3: 80, 2.8: 60, 4: 60, 5.4: 60, 5.5: 60, 5.6: 64, 6: 80}
    )
    assert [run.at(t)["wall.jumps"] for t in (2.2, 2.4, 5.9, 6.1)] == [100, 60, 60, 80]
    run.reconcile()


def test_its_numbers_are_dials_and_like_kinds_may_say_otherwise() -> None:
    game = mint.loads(BAR + "variants: {slow: {wall.shown.follows.after: 2, wall.shown.follows.rate: 10}}\n")
    assert game.run(variant="slow").at(4)["wall.shown"] == pytest.approx(100 - 10 * (4 - 3.3))
    other = mint.loads(
        BAR.replace(
            "rules:", "  fence: {like: wall, stats: {shown: {recover: {rate: 1, to: 100}, start: 5}}}\nrules:", 1
        )
    )
    assert other.run().at(3)["fence.shown"] == pytest.approx(8)


@pytest.mark.parametrize(
    ("stat", "fault"),
    [
        ("{follows: {stat: helth}}", "'helth'"),
        ("{follows: {stat: health, after: 1}, recover: {rate: 1}}", "neither recovers nor fades"),
        ("{follows: {stat: health + 1}}", "only a stat can be"),
        ("{follows: {after: 1}}", "'stat' is missing"),
        ("{follows: {stat: shown}}", "round in a circle"),
    ],
)
def test_what_cannot_be_followed_is_told(stat: str, fault: str) -> None:
    with pytest.raises(mint.GameError) as error:
        mint.loads(BAR.replace("{follows: {stat: health, after: 0.5, rate: 40}}", stat))
    assert fault in str(error.value)
