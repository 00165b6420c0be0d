"""Three duels of five acts, each in turns: as game files, and as transitions written by hand for value iteration.

Nothing here comes from the package: `optimum` says what the best play of all wins, by Bellman's equation.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache
from itertools import product
from typing import Any

State = tuple[int, ...]
Ways = list[tuple[float, State]]


def dice(count: int, sides: int) -> dict[int, float]:
    sums: dict[int, float] = {}
    for roll in product(range(1, sides + 1), repeat=count):
        sums[sum(roll)] = sums.get(sum(roll), 0.0) + sides**-count
    return sums


class Duel:
    """A game of turns: in each the player acts, then the other side does."""

    def __init__(
        self,
        text: str,
        start: State,
        turns: int,
        act: Callable[[State], dict[str, Ways]],
        answer: Callable[[State], Iterator[tuple[float, State]]],
        over: Callable[[State], float | None],
    ) -> None:
        self.text, self.start, self.turns = text, start, turns
        self.act, self.answer, self.over = act, answer, over

    def optimum(self, choose: Any = max) -> float:
        """What the best play wins; `choose` takes the values of the acts that are possible."""

        @cache
        def value(state: State, left: int) -> float:
            end = self.over(state)
            if end is not None or left == 0:
                return end or 0.0
            worths = []
            for ways in self.act(state).values():
                worth = 0.0
                for chance, acted in ways:
                    if self.over(acted) is not None:
                        worth += chance * (self.over(acted) or 0.0)
                    else:
                        worth += chance * sum(c * value(after, left - 1) for c, after in self.answer(acted))
                worths.append(worth)
            return float(choose(worths))

        return value(self.start, self.turns)


RAFT = """
mint_ledger: 1
title: Raft on the Brown River
clock: {unit: turn, limit: 20}
kinds:
  crew:
    stats:
      water:  {start: 2, min: 0, max: 9, whole: true}
      wind:   {start: 3, min: 0, max: 4, whole: true}
      braced: {start: 0, min: 0, max: 1, whole: true}
      tar:    {start: 1, min: 0, max: 1, whole: true}
  river:
    stats:
      way:   {start: 12, min: 0, max: 12, whole: true}
      swell: {start: 0, min: 0, max: 1, whole: true}
      leak:  {start: 1, min: 0, max: 1, whole: true}
actions:
  paddle: {by: crew, needs: wind > 0, do: ["river.way -= dice(1, 3)", wind -= 1]}
  bail:   {by: crew, do: [water -= 3]}
  rest:   {by: crew, do: [wind += 2]}
  brace:  {by: crew, do: [braced = 1, water -= 1]}
  patch:  {by: crew, needs: tar > 0, do: [tar -= 1, river.leak = 0]}
rules:
  - name: the river
    when: {every: 1}
    do:
      - "crew.water += river.leak + max(0, (dice(1, 4) + 1 if river.swell == 1 else dice(1, 2) - 1) - 3 * crew.braced)"
      - crew.braced = 0
      - {if: river.swell == 1, do: [river.swell = 0], else: [{if: chance(0.4), do: [river.swell = 1]}]}
      - {if: chance(0.25), do: [river.leak = 1]}
habits:
  plain:
    by: crew
    reaction: 1
    acts: [{do: bail, if: water > 5}, {do: brace, if: river.swell == 1}, {do: paddle}, {do: rest}]
endings:
  landing: {result: win, if: river.way <= 0}
  swamped: {result: lose, if: crew.water >= 9}
"""


def raft_acts(state: State) -> dict[str, Ways]:
    water, wind, braced, tar, way, swell, leak = state
    acts: dict[str, Ways] = {"wait": [(1.0, state)]}
    if wind > 0:
        acts["paddle"] = [
            (chance, (water, wind - 1, braced, tar, max(0, way - roll), swell, leak))
            for roll, chance in dice(1, 3).items()
        ]
    acts["bail"] = [(1.0, (max(0, water - 3), wind, braced, tar, way, swell, leak))]
    acts["rest"] = [(1.0, (water, min(4, wind + 2), braced, tar, way, swell, leak))]
    acts["brace"] = [(1.0, (max(0, water - 1), wind, 1, tar, way, swell, leak))]
    if tar > 0:
        acts["patch"] = [(1.0, (water, wind, braced, tar - 1, way, swell, 0))]
    return acts


def raft_river(state: State) -> Iterator[tuple[float, State]]:
    water, wind, braced, tar, way, swell, leak = state
    waves = {roll + 1: c for roll, c in dice(1, 4).items()} if swell else {r - 1: c for r, c in dice(1, 2).items()}
    for wave, chance in waves.items():
        full = min(9, water + leak + max(0, wave - 3 * braced))
        for swells, c_swell in [(0, 1.0)] if swell else [(1, 0.4), (0, 0.6)]:
            for leaks, c_leak in ((1, 0.25), (leak, 0.75)):
                yield chance * c_swell * c_leak, (full, wind, 0, tar, way, swells, leaks)


def raft_over(state: State) -> float | None:
    return 1.0 if state[4] <= 0 else 0.0 if state[0] >= 9 else None


KILN = """
mint_ledger: 1
title: Night at the Kiln
clock: {unit: turn, limit: 14}
kinds:
  potter:
    stats:
      wood:  {start: 4, min: 0, max: 4, whole: true}
      sweat: {start: 0, min: 0, max: 3, whole: true}
      baked: {start: 0, min: 0, max: 6, whole: true}
  kiln:
    stats:
      heat: {start: 2, min: 0, max: 6, whole: true}
      draft: {start: 0, min: 0, max: 1, whole: true}
      cracks: {start: 0, min: 0, max: 3, whole: true}
actions:
  stoke:   {by: potter, needs: wood > 0, do: [wood -= 1, "kiln.heat += dice(1, 2)", sweat += 1]}
  smother: {by: potter, do: [kiln.heat -= 2]}
  sit:     {by: potter, do: [sweat -= 2]}
  fix:    {by: potter, needs: kiln.cracks > 0 and sweat < 3, do: [kiln.cracks -= 1, sweat += 1]}
  shutter: {by: potter, do: [kiln.draft = 0, sweat += 1]}
rules:
  - name: the fire
    when: {every: 1}
    do:
      - {if: kiln.heat >= 3 and kiln.heat <= 5 and potter.sweat < 3, do: [potter.baked += 1]}
      - {if: kiln.heat >= 6, do: [kiln.cracks += 1]}
      - {if: chance(0.5 + 0.3 * kiln.draft), do: [kiln.heat -= 1 + kiln.draft]}
      - {if: chance(0.3), do: [kiln.draft = 1]}
      - {if: kiln.draft == 1, do: [{if: chance(0.2), do: [kiln.cracks += 1]}]}
habits:
  plain:
    by: potter
    reaction: 1
    acts: [{do: fix, if: kiln.cracks > 1}, {do: stoke, if: kiln.heat < 4}, {do: sit, if: sweat > 2}, {do: shutter}]
endings:
  done:   {result: win, if: potter.baked >= 6}
  broken: {result: lose, if: kiln.cracks >= 3}
"""


def kiln_acts(state: State) -> dict[str, Ways]:
    wood, sweat, baked, heat, draft, cracks = state
    acts: dict[str, Ways] = {"wait": [(1.0, state)]}
    if wood > 0:
        acts["stoke"] = [
            (chance, (wood - 1, min(3, sweat + 1), baked, min(6, heat + roll), draft, cracks))
            for roll, chance in dice(1, 2).items()
        ]
    acts["smother"] = [(1.0, (wood, sweat, baked, max(0, heat - 2), draft, cracks))]
    acts["sit"] = [(1.0, (wood, max(0, sweat - 2), baked, heat, draft, cracks))]
    if cracks > 0 and sweat < 3:
        acts["fix"] = [(1.0, (wood, sweat + 1, baked, heat, draft, cracks - 1))]
    acts["shutter"] = [(1.0, (wood, min(3, sweat + 1), baked, heat, 0, cracks))]
    return acts


def kiln_fire(state: State) -> Iterator[tuple[float, State]]:
    wood, sweat, baked, heat, draft, cracks = state
    if 3 <= heat <= 5 and sweat < 3:
        baked = min(6, baked + 1)
    if heat >= 6:
        cracks = min(3, cracks + 1)
    if baked >= 6 or cracks >= 3:
        yield 1.0, (wood, sweat, baked, heat, draft, cracks)
        return
    cools = 0.5 + 0.3 * draft
    for cooler, c_cool in ((max(0, heat - 1 - draft), cools), (heat, 1 - cools)):
        for windy, c_windy in ((1, 0.3), (draft, 0.7)):
            for cracked, c_crack in ((1, 0.2), (0, 0.8)) if windy else ((0, 1.0),):
                after = (wood, sweat, baked, cooler, windy, min(3, cracks + cracked))
                yield c_cool * c_windy * c_crack, after


def kiln_over(state: State) -> float | None:
    return 1.0 if state[2] >= 6 else 0.0 if state[5] >= 3 else None


BRIDGE = """
mint_ledger: 1
title: The Bridge Keeper
clock: {unit: turn, limit: 40}
kinds:
  walker:
    stats:
      balance: {start: 8, min: 0, max: 8, whole: true}
      poise:   {start: 0, min: 0, max: 2, whole: true}
      rope:    {start: 1, min: 0, max: 1, whole: true}
      low:     {start: 0, min: 0, max: 1, whole: true}
  keeper:
    stats:
      ground: {start: 10, min: 0, max: 10, whole: true}
      swings: {start: 0, min: 0, max: 1, whole: true}
actions:
  shove:  {by: walker, do: ["keeper.ground -= dice(1, 3) + 3 * poise", poise = 0]}
  gather: {by: walker, needs: poise < 2, do: [poise += 1]}
  duck:   {by: walker, do: [low = 1]}
  hold:   {by: walker, needs: rope > 0, do: [rope -= 1, balance += 4]}
  jeer:   {by: walker, do: [keeper.swings = 1, keeper.ground -= 1]}
rules:
  - name: the keeper
    when: {every: 1}
    do:
      - "walker.balance -= max(0, (dice(1, 4) + 2 if keeper.swings == 1 else dice(1, 2)) - 4 * walker.low)"
      - walker.low = 0
      - {if: keeper.swings == 1, do: [keeper.swings = 0], else: [{if: chance(0.4), do: [keeper.swings = 1]}]}
habits:
  plain:
    by: walker
    reaction: 1
    acts: [{do: hold, if: balance < 4}, {do: duck, if: keeper.swings == 1}, {do: gather, if: poise < 1}, {do: shove}]
endings:
  across: {result: win, if: keeper.ground <= 0}
  fallen: {result: lose, if: walker.balance <= 0}
"""


def bridge_acts(state: State) -> dict[str, Ways]:
    balance, poise, rope, low, ground, swings = state
    acts: dict[str, Ways] = {"wait": [(1.0, state)]}
    acts["shove"] = [
        (chance, (balance, 0, rope, low, max(0, ground - roll - 3 * poise), swings))
        for roll, chance in dice(1, 3).items()
    ]
    if poise < 2:
        acts["gather"] = [(1.0, (balance, poise + 1, rope, low, ground, swings))]
    acts["duck"] = [(1.0, (balance, poise, rope, 1, ground, swings))]
    if rope > 0:
        acts["hold"] = [(1.0, (min(8, balance + 4), poise, rope - 1, low, ground, swings))]
    acts["jeer"] = [(1.0, (balance, poise, rope, low, max(0, ground - 1), 1))]
    return acts


def bridge_keeper(state: State) -> Iterator[tuple[float, State]]:
    balance, poise, rope, low, ground, swings = state
    blows = {roll + 2: c for roll, c in dice(1, 4).items()} if swings else dice(1, 2)
    for blow, chance in blows.items():
        left = max(0, balance - max(0, blow - 4 * low))
        for swing, c_swing in [(0, 1.0)] if swings else [(1, 0.4), (0, 0.6)]:
            yield chance * c_swing, (left, poise, rope, 0, ground, swing)


def bridge_over(state: State) -> float | None:
    return 1.0 if state[4] <= 0 else 0.0 if state[0] <= 0 else None


DUELS = {
    "raft": Duel(RAFT, (2, 3, 0, 1, 12, 0, 1), 20, raft_acts, raft_river, raft_over),
    "kiln": Duel(KILN, (4, 0, 0, 2, 0, 0), 14, kiln_acts, kiln_fire, kiln_over),
    "bridge": Duel(BRIDGE, (8, 0, 1, 0, 10, 0), 40, bridge_acts, bridge_keeper, bridge_over),
}
