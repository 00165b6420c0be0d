"""Contact against geometry: all pairs in all steps, from nothing but where everybody is."""

from __future__ import annotations

import math
from itertools import combinations
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mint_ledger as mint
from mint_ledger.engines.reference import ReferenceEngine

GAME = """
title: Pond
clock: {{step: 0.1, limit: 8}}
space: {{}}
stats: {{met: 0}}
kinds:
  swan: {{copies: [{swans}], where: [0, 0], radius: {radius}, moves: {swan}}}
  duck: {{copies: [{ducks}], where: [0, 0], radius: 0.4, stats: {{haste: {{start: 1, recover: {{to: 9, rate: {haste}}}}}}}, moves: {duck}}}
rules:
  - {{when: {{meet: [swan, duck]}}, do: [met += 1]}}
  - {{when: {{meet: [duck, duck]}}, do: [met += 1]}}
"""
PARTING = 1e-6
STEP, STEPS = 0.1, 80
PLACE = st.tuples(st.integers(-9, 9), st.integers(-9, 9))
MOVES = [
    "{between: [[-6, 0], [6, 1]], speed: 2}",
    "{ahead: 1.5}",
    "{toward: swan, speed: 2.5}",
    "{away: swan, speed: 1}",
    "{still: true}",
]


def where(places: list[tuple[int, int]]) -> str:
    return ", ".join(f"{{x: {x}, y: {y}}}" for x, y in places)


Places = list[dict[str, tuple[float, float]]]


def places_of(game: mint.Game, names: list[str], script: list[dict[str, Any]]) -> Places:
    """Where everybody is after each step."""
    lowered = game.scripted(script).lowered
    program = lowered.program
    engine = ReferenceEngine(program, seed=1, script=lowered.script, journal=False)
    columns = [account.column for axis in "xy" for account in program.accounts if account.stat == axis]
    numbers = {program.cast.entity_name(entity): entity for entity in range(1, program.cast.size)}
    engine.open()
    places: Places = []
    for step in range(STEPS + 1):
        if step:
            engine.step()
        x, y = ({name: engine.value(column, numbers[name]) for name in names} for column in columns)
        places.append({name: (x[name], y[name]) for name in names})
    return places


def meetings(places: Places, radii: dict[str, float], put: dict[int, set[str]]) -> list[tuple[int, str, str]]:
    """Every meeting, by the straight lines on which two went in each step."""
    touching: set[tuple[str, str]] = set()
    found = []
    for step in range(1, STEPS + 1):
        # Whoever was put somewhere was nowhere else before.
        before = {name: places[step if name in put.get(step, ()) else step - 1][name] for name in radii}
        for one, other in combinations(radii, 2):
            if one.startswith("swan") and other.startswith("swan"):
                continue
            then, now = ([b - a for a, b in zip(at[one], at[other], strict=True)] for at in (before, places[step]))
            reach = radii[one] + radii[other]
            if (one, other) in touching:
                near = math.hypot(*now) <= reach * (1 + PARTING) + PARTING
            else:
                near = closest(then, now) <= reach
                if near:
                    found.append((step, one, other))
            (touching.add if near else touching.discard)((one, other))
    return found


def closest(before: list[float], now: list[float]) -> float:
    """How near the straight line between two offsets comes to nothing."""
    vx, vy = now[0] - before[0], now[1] - before[1]
    length = vx * vx + vy * vy
    share = min(max(-(before[0] * vx + before[1] * vy) / length, 0.0), 1.0) if length else 1.0
    return math.hypot(before[0] + share * vx, before[1] + share * vy)


@pytest.mark.parametrize("engine", ["reference", "native"])
@given(
    st.lists(PLACE, min_size=1, max_size=2, unique=True),
    st.lists(PLACE, min_size=2, max_size=3, unique=True),
    st.sampled_from([0.3, 1.2]),
    st.tuples(st.sampled_from(MOVES[:2] + MOVES[4:]), st.sampled_from([*MOVES, "{toward: swan, speed: haste}"])),
    st.lists(st.tuples(st.integers(1, 70), st.integers(1, 2), PLACE), max_size=3),
)
@settings(deadline=None, max_examples=8)
def test_every_meeting_is_seen_in_its_step_and_no_other(
    engine: Any,
    swans: list[tuple[int, int]],
    ducks: list[tuple[int, int]],
    radius: float,
    moves: tuple[str, str],
    jumps: list[tuple[int, int, tuple[int, int]]],
) -> None:
    swan, duck = moves
    text = GAME.format(swans=where(swans), ducks=where(ducks), radius=radius, swan=swan, duck=duck, haste=0.8)
    script = [{"at": step / 10, "move": f"duck[{copy}]", "to": list(to)} for step, copy, to in jumps]
    game = mint.loads(text)
    run = game.run(engine=engine, script=script)
    names = [f"swan[{i + 1}]" if len(swans) > 1 else "swan" for i in range(len(swans))]
    names += [f"duck[{i + 1}]" for i in range(len(ducks))]
    radii = {name: radius if name.startswith("swan") else 0.4 for name in names}
    put: dict[int, set[str]] = {}
    for step, copy, _ in jumps:
        put.setdefault(step, set()).add(f"duck[{copy}]")
    rows = run.journal[run.journal["what"] == "contact"]
    seen = [(round(row.time / STEP), row.entity, row.by) for row in rows.itertuples()]
    assert sorted(seen) == sorted(meetings(places_of(game, names, script), radii, put))
