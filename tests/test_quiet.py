"""Quiet steps are skipped, and what happens happens in the step in which arithmetic says that it must."""

from __future__ import annotations

import math

import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.engines.native.engine import NativePlayer, native_code

LAMP = """
mint_ledger: 1
title: Lamp
clock: {{step: {step}, limit: 1000}}
kinds:
  lamp:
    stats:
      oil: {{start: 70, min: 0, fade: {{rate: 0.5}}}}
      alarms: 0
      heat: {{start: 0, min: 0, max: 100, recover: {{rate: 3, after: 4}}}}
    rules:
{rules}
endings: {{dark: {{result: lose, if: lamp.oil <= 0}}}}
"""


def played(rules: str, step: float = 0.05) -> tuple[NativePlayer, mint.Game]:
    lines = "\n".join(f"      - {rule}" for rule in rules.splitlines()) if rules else "      []"
    game = mint.loads(LAMP.format(step=step, rules=lines).replace("rules:\n      []", "rules: []"))
    player = NativePlayer(native_code(game.lowered.program))
    player.play()
    return player, game


def changes(game: mint.Game, stat: str) -> list[float]:
    journal = game.run(engine="native").journal
    return [float(time) for time in journal.loc[journal["stat"] == stat, "time"]]


def test_a_lamp_that_only_burns_is_looked_at_a_few_times_in_its_whole_night() -> None:
    player, _ = played("")
    # 70 at half a point a second: dark after 140 s, the heat full after 4 + 100/3 s.
    assert player.step == 140 / 0.05
    assert player.visited <= 6


@pytest.mark.parametrize("step", [0.5, 0.05, 0.01, 0.001])
@pytest.mark.parametrize("limit", [69.9, 50.0, 33.3, 0.05])
def test_a_threshold_is_crossed_in_the_step_that_arithmetic_names(step: float, limit: float) -> None:
    player, game = played(f"{{when: {{becomes: oil < {limit}}}, do: [alarms += 1]}}", step)
    (when,) = changes(game, "alarms")
    exact = (70 - limit) / 0.5
    # At the limit itself rounding decides.
    assert exact - 1e-9 <= when <= exact + step * 1.000001
    assert player.visited <= 12


def test_finer_steps_cost_no_more_visits() -> None:
    rules = "{when: {every: 7}, do: [heat -= 20]}\n{when: {becomes: heat >= 90}, do: [alarms += 1]}"
    visits = [played(rules, step)[0].visited for step in (0.1, 0.01, 0.001)]
    assert max(visits) <= min(visits) + 6


@pytest.mark.parametrize(
    "rule",
    [
        "{when: {becomes: oil == 35}, do: [alarms += 1]}",
        "{when: {becomes: abs(oil - 35) < 0.3}, do: [alarms += 1]}",
        "{when: {becomes: oil < heat}, do: [alarms += 1]}",
        "{when: {becomes: oil + heat > 90}, do: [alarms += 1]}",
        "{when: {becomes: oil * heat > 900 or oil < 3}, do: [alarms += 1]}",
        "{when: {becomes: (time if oil > 20 else 0 - time) > 60}, do: [alarms += 1]}",
        "{when: {becomes: floor(oil) % 7 == 3}, do: [alarms += 1]}",
        "{when: {becomes: oil.untouched > 3 and heat.share > 0.5}, do: [alarms += 1]}",
        "{when: {while: oil < 10}, do: [heat -= 0.1]}",
        "{when: {becomes: not (oil > 20 and heat < 80)}, do: [heat = 5]}",
        "{when: {every: 3}, if: heat > 30, do: [heat -= 50, {cue: cooled}]}",
    ],
)
def test_what_may_turn_more_than_once_is_not_overlooked(rule: str) -> None:
    player, game = played(rule, 0.1)
    assert_same(game.lowered, None, runs=(0,))
    assert math.isfinite(player.state[0])


def test_a_gate_that_opens_and_closes_moves_the_flow() -> None:
    game = mint.loads(
        "mint_ledger: 1\ntitle: Gate\nclock: {step: 0.05, limit: 60}\n"
        "stats:\n"
        "  tide: {start: 0, min: 0, max: 10, recover: {rate: 1}}\n"
        "  pool: {start: 0, min: 0, max: 99, recover: {rate: 2, if: tide > 5}}\n"
        "rules: [{when: {every: 20}, do: [tide = 0]}]\n"
    )
    assert_same(game.lowered, None, runs=(0,))
    # The gate is open from just after 5 s to 20, 25 to 40 and 45 to 60: 45 s at 2 a second.
    assert game.run(engine="native").at(60)["pool"] == pytest.approx(90, abs=0.6)
