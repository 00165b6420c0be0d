"""Damage a second and what a point costs: against renewal processes and hand arithmetic, in both engines."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError

# Every 2 s a strike lands with chance 3/4 and deals 4 to 8: 2.25 a second for ever.
RENEWAL = """
title: Renewal
clock: {step: 0.1, limit: 400}
kinds:
  hammer: {stats: {zeal: 1}}
  post: {stats: {health: {start: 100000, min: 0}}}
attacks: {blow: {from: hammer, to: post, when: {every: 2}, lands: 0.75, damage: "whole(4, 8)"}}
"""
# 12 points go in three blows of 5, for 3 of stamina each; the second post is put up as the first is gone.
COSTS = """
title: Costs
clock: {step: 1, limit: 30}
kinds:
  smith: {stats: {stamina: {start: 30, min: 0}}}
  post: {copies: 2, stats: {health: {start: 12, min: 0}}, gone_if: health <= 0}
attacks: {blow: {from: smith, to: post, damage: 5}}
actions: {strike: {by: smith, needs: count(post) > 0, costs: {stamina: 3}, cooldown: 2, do: [{attack: blow}]}}
habits: {steady: {by: smith, reaction: 1, acts: [{do: strike}]}}
"""
# It walks away at 1 a second and is out of reach after 5.
WALKS = """
title: Walks
clock: {step: 0.5, limit: 20}
space: {}
kinds:
  guard: {where: [0, 0], copies: [{x: 0}, {x: 3}], stats: {zeal: 1}}
  goal: {where: [100, 0], stats: {zeal: 1}}
  thief: {where: [1, 0], moves: {toward: goal, speed: 1}, stats: {health: {start: 50, min: 0}}}
attacks: {grab: {from: guard, to: thief, reach: 5, when: {every: 1}, damage: 1}}
"""


def test_a_renewal_process_does_its_rate_alone_and_in_play() -> None:
    blow = mint.loads(RENEWAL).attacks_in_play(60).of("blow")
    did = blow.did()
    assert did is not None
    assert did.low < 2.25 < did.high
    assert did.high - did.low < 0.12
    assert blow.could() == pytest.approx(2.25, rel=0.02)
    assert blow.reach.tolist() == [400.0] * 60
    assert blow.lands is not None
    assert blow.lands.low < 0.75 < blow.lands.high
    assert blow.wasted == pytest.approx(0.0, abs=1e-12)


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_what_a_point_costs_counts_what_arrives(engine: str) -> None:
    attacks = mint.loads(COSTS).attacks_in_play(3, habit="steady", engine=engine)
    blow = attacks.of("blow")
    assert blow.actions == ("strike",)
    assert blow.strikes.tolist() == [6.0] * 3
    assert blow.damage().value == 30.0
    assert blow.wasted == pytest.approx(0.2)
    costs = blow.costs()
    assert costs["stamina"].value == pytest.approx(18 / 24)
    assert costs["time"].value == pytest.approx(float(blow.reach[0]) / 24)


def test_who_is_used_up_is_a_cost() -> None:
    text = """
title: Darts
clock: {step: 1, limit: 10}
kinds:
  dart: {copies: 4, stats: {speed: 1}}
  board: {stats: {health: {start: 100, min: 0}}}
attacks: {throw: {from: dart, to: board, damage: 5, uses_up: self, when: {every: 3}}}
"""
    throw = mint.loads(text).attacks_in_play(2).of("throw")
    assert throw.costs()["dart"].value == pytest.approx(0.2)


def test_reach_is_the_time_of_all_strikers_together() -> None:
    game = mint.loads(WALKS)
    near = [f"time_while(distance(guard[{n}], thief) <= 5)" for n in (1, 2)]
    native = game.study(1, measures=["in_reach(grab)", *near]).measures.iloc[0]
    reference = game.study(1, measures=["in_reach(grab)"], engine="reference").measures.iloc[0]
    assert native["in_reach(grab)"] == reference["in_reach(grab)"] == native[near[0]] + native[near[1]]
    # The thief stands at 1 + t: within 5 of the first until 4 s, of the second (at 3) until 7 s; steps are of 0.5 s.
    assert native["in_reach(grab)"] == pytest.approx(4.0 + 7.0, abs=2.0)
    assert game.attacks_in_play(1).of("grab").reach[0] == native["in_reach(grab)"]


def test_alone_is_of_a_target_that_never_falls() -> None:
    """Ten points of stamina, one each blow, one back a second: five blows a second at first, and one for long."""
    text = """
title: Tired
clock: {step: 0.1, limit: 20}
kinds:
  smith: {stats: {stamina: {start: 10, min: 0, max: 10, recover: {rate: 1}}}}
  post: {stats: {health: {start: 3, min: 0}}, gone_if: health <= 0}
attacks: {blow: {from: smith, to: post, damage: 2}}
actions: {strike: {by: smith, costs: {stamina: 1}, cooldown: 0.2, do: [{attack: blow}]}}
habits: {steady: {by: smith, reaction: 0.1, acts: [{do: strike}]}}
"""
    blow = mint.loads(text).attacks_in_play(2, habit="steady").of("blow")
    # 10 of stamina and about 10 more in ten seconds; then one a second of 2 points each.
    assert blow.could(at_first=True) == pytest.approx(4.0, abs=0.21)
    assert blow.could() == pytest.approx(2.0, abs=0.02)


def test_the_demo_agrees_with_its_books_and_its_json(command: Command, demo: mint.Game, tmp_path: Path) -> None:
    attacks = demo.attacks_in_play(80, habit="careful")
    study = demo.study(80, habit="careful", measures=["total(keeper.health, cudgel)", "total(keeper.shutters, cudgel)"])
    cudgel = attacks.of("cudgel", "bosun")
    wanted = -study.mean("total(keeper.health, cudgel)").value - study.mean("total(keeper.shutters, cudgel)").value
    assert cudgel.arrived["keeper"].mean() == pytest.approx(wanted)
    done = command(
        "study", mint.demo_path(), "--habit", "careful", "--runs", 80, "--attacks", "--json", "-o", "attacks.csv"
    )
    assert done.returncode == 0, done.stderr
    told = {(a["attack"], a["attacker"]): a for a in json.loads(done.stdout)["attacks"]}
    did = cudgel.did()
    assert did is not None
    assert told["cudgel", "bosun"]["did"]["value"] == pytest.approx(did.value)
    assert (tmp_path / "attacks.csv").read_text().startswith("attack,attacker,target,at_first,could,did")
    text = command("study", mint.demo_path(), "--habit", "careful", "--runs", 50, "--attacks").stdout
    assert max(map(len, text.splitlines())) <= 80


def test_what_is_wrong_is_said() -> None:
    with pytest.raises(BadRequest, match="has no attacks"):
        mint.loads("title: Calm\nclock: {limit: 3}\nstats: {a: 1}\n").attacks_in_play(2)
    with pytest.raises(BadRequest, match="there are blow of hammer"):
        mint.loads(RENEWAL).attacks_in_play(1).of("below")
    for text, said in (
        ("in_reach(blaw)", "did you mean 'blow'"),
        ("in_reach(blow, post)", "post does not strike with 'blow'"),
    ):
        with pytest.raises(GameError, match=said):
            mint.loads(RENEWAL).study(1, measures=[text])
