"""Players who look and cannot act: their looks cost no step, and all that is drawn and done stays the same."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.engines.native.engine import Interrupted, NativePlayer, make_code
from mint_ledger.facts.pieces import pieces_of
from mint_ledger.facts.rounds import rounds_of
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program import statements as st
from mint_ledger.program.walking import nodes

BELL = """
mint_ledger: 1
title: Bell
clock: {{step: 0.05, limit: {limit}}}
kinds:
  ringer:
    {copies}
    stats:
      breath: {{start: 0, min: 0, max: 100, recover: {{rate: 1}}}}
      rung: 0
{more}
actions:
  ring: {{by: ringer, needs: breath >= 10, {action} do: [breath -= 10, rung += 1]}}
habits:
  patient: {{by: ringer, reaction: "{reaction}", {habit} acts: [{act}]}}
endings: {{}}
"""


def bell(
    reaction: str = "0.7",
    act: str = "{do: ring}",
    habit: str = "",
    copies: str = "",
    action: str = "",
    more: str = "",
    limit: str = "60",
) -> mint.Game:
    text = BELL.format(
        reaction=reaction, act=act, habit=habit, copies=copies, action=action, more=more, limit=limit
    ).replace("endings: {}\n", "")
    return mint.loads(text)


def played(game: mint.Game, habit: str, **options: object) -> NativePlayer:
    player = NativePlayer(
        make_code(game.lowered.program),
        starts=habit_starts(game.lowered, habit),
        **options,  # type: ignore[arg-type]
    )
    player.play()
    return player


def test_whoever_cannot_act_yet_acts_at_the_first_look_at_which_it_can() -> None:
    game = bell()
    journal = game.run(habit="patient", engine="native").journal
    times = [float(t) for t in journal.loc[journal["stat"] == "rung", "time"]]
    # Looks are at 0.7, 1.4 …; the breath for the kth ring is there after 10 k seconds.
    assert times == pytest.approx([0.7 * math.ceil(10 * k / 0.7) for k in range(1, 6)])


def test_looks_that_come_to_nothing_cost_no_step() -> None:
    game = bell(limit="9.9", reaction="between(0.2, 0.4)")
    player = played(game, "patient")
    # Some thirty looks, and none can act: the opening, the end and what little the flow wants.
    assert player.visited <= 6
    draws = [
        int(player.state[node.count.base])
        for piece in pieces_of(game.lowered.program)
        for node in nodes(piece.statements)
        if isinstance(node, st.Draw)
    ]
    # One draw as it begins and one for each look: 0.2 to 0.4 s apart.
    assert len(draws) == 1
    assert 9.9 / 0.45 <= draws[0] <= 9.9 / 0.2 + 1


@pytest.mark.parametrize(
    "how",
    [
        {"reaction": "between(0.2, 0.9)"},
        {"reaction": "0.3 + breath / 50"},
        {"reaction": "0"},
        {"reaction": "between(0.2, 0.5)", "habit": "slips: 0.3,"},
        {"act": "{do: ring, if: chance(0.3)}"},
        {"act": "{do: ring, every: 5}"},
        {"habit": "choose: random,"},
        {"copies": "copies: 3", "reaction": "between(0.1, 0.6)"},
        {"action": "cooldown: 4, lasts: 0.6,"},
        {"more": "    rules: [{when: {every: 1.7}, do: [breath += 2]}, {when: {becomes: rung >= 3}, do: [{spawn: fog}]}]"
         "\n  fog: {copies: 0, room: 2, stats: {thick: 4}}"},
    ],
    ids=lambda how: " ".join(how.values())[:40],
)  # fmt: skip
def test_every_bit_is_the_same_with_looks_by_themselves_and_without(how: dict[str, str]) -> None:
    assert_same(bell(**how).lowered, "patient", runs=(0, 1, 2))


TWO = """
mint_ledger: 1
title: Two at the bell
clock: {step: 0.05, limit: 60}
kinds:
  ringer: {copies: [{habit: patient}], stats: {breath: {start: 0, min: 0, max: 100, recover: {rate: 1}}, rung: 0}}
  keeper: {copies: [{habit: hasty}], stats: {oil: {start: 50, min: 0, fade: {rate: 1}}}}
actions:
  ring: {by: ringer, needs: breath >= 10, do: [breath -= 10, rung += 1]}
  fill: {by: keeper, do: [oil += 30]}
habits:
  patient: {by: ringer, reaction: 0.7, acts: [{do: ring}]}
  hasty: {by: keeper, reaction: "between(0.1, 0.9)", acts: [{do: fill, if: oil < 20}]}
"""


def test_two_habits_side_by_side_keep_their_own_times() -> None:
    game = mint.loads(TWO)
    assert_same(game.lowered, None, runs=(0, 1, 2, 3))
    journal = game.run(engine="native").journal
    rung = [float(t) for t in journal.loc[journal["stat"] == "rung", "time"]]
    assert rung == pytest.approx([10.5, 20.3, 30.1, 40.6, 50.4])
    filled = journal.loc[(journal["stat"] == "oil") & (journal["asked"] == 30), "time"]
    # Below 20 after thirty seconds; the next look is less than a second later.
    assert 30 < float(filled.iloc[0]) <= 30.95


def test_a_run_of_nothing_but_looks_can_be_stopped() -> None:
    game = bell(limit="100000", act="{do: ring, if: breath > 1000}")
    with pytest.raises(Interrupted):
        played(game, "patient", stop=np.ones(1, dtype=np.int64))


def test_what_one_look_does_is_counted_for_its_own_step() -> None:
    game = bell(limit="20000", reaction="0", copies="copies: 30", act="{do: ring, if: breath > 1000}")
    # Thirty go round in each of 400,000 steps: more in all than one step may do alone, and no step does.
    assert played(game, "patient").step == 400_000


def test_a_round_that_sets_a_fact_is_none() -> None:
    program = bell().lowered.program
    (piece,) = (p for p in pieces_of(program) if rounds_of(p.statements) is not None)
    rounds = rounds_of(piece.statements)
    assert rounds is not None
    assert {column.role for column in rounds.columns} == {"time"}
    assert not any(isinstance(node, st.Call) for node in nodes(rounds.following))
    assert any(isinstance(node, st.Call) for node in nodes(rounds.tried))
    assert all(rounds_of(p.statements) is None for p in pieces_of(program) if p.number != piece.number)


MINE = """
mint_ledger: 1
title: Mine
clock: {{step: {step}, limit: 20}}
stats: {{heat: {{start: 0, min: 0, max: 80, recover: {{rate: 4, to: 60}}}}}}
kinds:
  miner:
    copies: {miners}
    stats:
      wind: {{start: {wind}, min: 0, max: 50, recover: {{rate: 6, after: {after}}}}}
      ore: {{start: 0, min: 0, whole: true}}
      lamp: {{start: 0, min: 0, max: 1}}
    rules:
      - {{when: {{every: 2.1}}, do: [lamp = 1 - lamp]}}
      - {{when: {{becomes: wind >= 25}}, do: [ore += 1]}}
  seam: {{room: 3, stats: {{depth: {{start: 20, min: 0}}}}, gone_if: depth <= 0}}
actions:
  dig: {{by: miner, needs: count(seam) > 0, costs: {{wind: 8}}, cooldown: 1, do: [{{each: seam, do: [other.depth -= 6]}}]}}
  rest: {{by: miner, lasts: 0.6, do: [wind += 10]}}
  sell: {{by: miner, needs: ore >= 2, do: [ore -= 2, heat -= 20]}}
statuses:
  dusty: {{lasts: 2, blocks: [dig, rest], every: 0.5, do: [wind -= 1]}}
rules:
  - {{when: {{every: "between(3, 6)"}}, do: [{{spawn: seam}}]}}
  - {{when: {{every: 2.6}}, chance: 0.3, do: [{{each: miner, if: other.lamp == 1, do: [{{give: dusty, to: other}}]}}]}}
habits:
  able: {{by: miner, reaction: "{reaction}", {more} acts: [{acts}]}}
"""
IFS = (
    *("wind > 20", "wind.share < 0.4", "time > 7", "ore >= 2 and wind > 5", "count(seam) > 0", "lamp == 1"),
    *("ready(dig)", "has(self, dusty)", "wind > ore * 3", "chance(0.4)", "heat > 30", "time % 4 < 2"),
)


@pytest.mark.parametrize("seed", range(16))
def test_random_habits_play_the_same_with_looks_by_themselves(seed: int) -> None:
    draw = random.Random(seed)
    acts = ", ".join(
        f'{{do: {draw.choice(["dig", "rest", "sell"])}, if: "{draw.choice(IFS)}"}}' for _ in range(draw.randint(1, 4))
    )
    text = MINE.format(
        step=draw.choice([0.05, 0.1, 0.07]),
        miners=draw.choice([1, 1, 3]),
        wind=draw.choice([0, 30]),
        after=draw.choice([0, 0.5, 2]),
        reaction=draw.choice(["0.3", "between(0.1, 0.9)", "0.2 + wind / 100", "whole(1, 4) / 4", "1 / 3"]),
        more=draw.choice(["", "slips: 0.2,", "choose: random,", "meets: [{seam: 4}],", "sees: [wind],"]),
        acts=acts,
    )
    assert_same(mint.loads(text).lowered, "able", runs=(0, 1))
