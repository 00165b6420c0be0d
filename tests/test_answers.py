"""Of many entities those alone are asked, and carried out, that something has happened to; all others keep their answers."""

from __future__ import annotations

import os
import secrets
from typing import Any

import invariants
import pytest
from both_engines import assert_same
from hypothesis import HealthCheck, given, seed, settings
from random_games import games

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.engines.native import quiet
from mint_ledger.engines.native.answers import FEW_ASKED
from mint_ledger.facts.apart import free_locals, rounds_stand_apart
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st

MANY = FEW_ASKED + 4

WIND = """
clock: {step: 0.5, limit: 12}
stats: {wind: 0, gone_out: 0}
kinds:
  lamp:
    copies: [NUMBERS]
    stats: {number: 0, flame: 1}
    rules:
      - name: blows
        when: {while: "(number == 4 and time == 3) or (wind > 0 and flame > 0)"}
        do: [{if: number == 4, do: [wind = 5], else: [flame -= 1, wind -= 1, gone_out += 1]}]
"""


def test_what_one_does_wakes_those_behind_it_in_the_same_round() -> None:
    """The fourth lamp lets a wind of 5 in at 3 s; it blows out the five behind it, at once and one by one."""
    numbers = ", ".join(f"{{number: {i + 1}}}" for i in range(MANY))
    game = mint.loads(WIND.replace("NUMBERS", numbers))
    for engine in ("reference", "native"):
        journal = game.run(engine=engine).journal  # type: ignore[arg-type]
        out = journal[journal["stat"] == "flame"]
        assert list(out["time"].astype(float)) == [3.0] * 5
        assert list(out["entity"]) == [f"lamp[{i}]" for i in range(5, 10)]
    assert_same(game.lowered, None)


TREES = """
clock: {step: 0.25, limit: 40}
stats: {jars: 0}
kinds:
  tree:
    copies: [RATES]
    stats:
      flow: 1
      sap: {start: 60, min: 0, max: 100, recover: {rate: flow, after: 2}}
      cups: 0
    rules:
      - {name: full, when: {becomes: sap >= 100}, do: [jars += 1]}
rules:
  - {name: taps, when: {every: 7}, do: ["tree[3].sap -= 20", "tree[11].sap = 96"]}
"""


def test_each_of_many_flows_ends_when_arithmetic_says_whatever_happens_to_others() -> None:
    """Sap flows from 2 s on; tree i makes i / 2 a second and is full at 2 + 80 / i seconds, but for two of them.

    Every 7 s the third loses 20 and waits for 2: it holds 60 + 1.5 · 5 - 20 = 47.5 at 7, 47.5 + 1.5 · 5 - 20 = 35 at 14,
    and never fills. The eleventh holds 87.5 at 7 and is lifted to 96, a change like any other: it waits, and is full at
    7 + 2 + 4 / 5.5. At 14 it falls to 96, and is full at 14 + 2 + 4 / 5.5, and so on.
    """
    rates = ", ".join(f"{{flow: {(i + 1) / 2:g}}}" for i in range(MANY))
    game = mint.loads(TREES.replace("RATES", rates))
    step = 0.25

    def seen(at: float) -> float:
        return -(-at // step) * step

    full = {i: [seen(2 + 80 / i)] for i in range(1, MANY + 1) if 2 + 80 / i <= 40}
    full[3] = []
    full[11] = [seen(7 * k + 2 + 4 / 5.5) for k in range(1, 6)]
    for engine in ("reference", "native"):
        journal = game.run(engine=engine).journal  # type: ignore[arg-type]
        jars = journal[(journal["stat"] == "jars") & (journal["what"] == "posting")]
        found: dict[int, list[float]] = {i: [] for i in full}
        for time, by in zip(jars["time"].astype(float), jars["by"], strict=True):
            found[int(str(by)[5:-1])].append(time)
        assert found == full
    assert_same(game.lowered, None)


COMERS = f"""
clock: {{step: 0.2, limit: 30}}
stats: {{count: 0, tide: {{start: 0, min: 0, max: 10, recover: {{rate: 1}}}}}}
kinds:
  shell:
    copies: 2
    room: {MANY + 8}
    stats: {{weight: {{start: 1, min: 0, max: 9, recover: {{rate: 0.7, if: tide >= 4}}}}, near: 0}}
    gone_if: weight >= 9
    rules:
      - {{name: heavy, when: {{becomes: "weight >= 5"}}, do: [count += 1]}}
      - {{name: crowd, when: {{becomes: "count(shell) > 4 and near > 2"}}, do: [count += 100, near = 0]}}
      - {{name: rolls, when: {{every: "between(0.5, 3)"}}, do: [near += 1, "tide -= 0.5"]}}
rules:
  - {{name: washes, when: {{every: 0.9}}, do: [{{spawn: shell, count: "whole(0, 2)"}}]}}
  - {{name: counts, when: {{every: 2.5}}, do: [{{each: shell, if: "other.near > 1", do: [other.weight += 1]}}]}}
"""


@pytest.mark.parametrize("few", [0, FEW_ASKED])
def test_who_comes_and_goes_gates_and_counts_of_all_are_the_same_in_both_engines(
    monkeypatch: pytest.MonkeyPatch, few: int
) -> None:
    monkeypatch.setattr(quiet, "FEW_ASKED", few)
    assert_same(mint.loads(COMERS).lowered, None, runs=range(6))


def test_games_of_few_are_the_same_if_they_are_asked_one_by_one(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(quiet, "FEW_ASKED", 0)
    game = mint.loads(demo_text())
    assert_same(game.lowered, next(iter(game.habits)))


def agree(number: int, many: int) -> None:
    @seed(number if os.environ.get("CI") else secrets.randbits(32))
    @given(games())
    @settings(max_examples=many, deadline=None, suppress_health_check=list(HealthCheck))
    def one(data: dict[str, Any]) -> None:
        invariants.both_engines_agree(data)
        data["kinds"]["ants"] |= {"copies": MANY, "room": MANY + 2}
        invariants.both_engines_agree(data)

    one()


@pytest.mark.slow
def test_three_random_games_are_the_same_however_many_are_asked_one_by_one(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(quiet, "FEW_ASKED", 0)
    agree(1, 3)


@pytest.mark.slow
def test_random_games_are_the_same_however_many_are_asked_one_by_one(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(quiet, "FEW_ASKED", 0)
    agree(2, 10)


@pytest.mark.night
def test_many_random_games_are_the_same_however_many_are_asked_one_by_one(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(quiet, "FEW_ASKED", 0)
    agree(3, 200)


def test_a_loop_whose_rounds_know_of_each_other_does_not_stand_apart() -> None:
    one, two, three = ex.Local(1), ex.Local(2), ex.Local(3)

    def loop(*body: st.Statement) -> st.Each:
        return st.Each(1, ((1, 20),), body)

    def if_(condition: ex.Expr, *then: st.Statement) -> st.If:
        return st.If(condition, then)

    set_two = st.Let(2, one)
    assert rounds_stand_apart(loop(set_two, if_(two, st.Let(3, two))))
    assert rounds_stand_apart(loop(st.Each(4, (), (if_(one, st.Leave("each")),), ex.ONE)))
    # What an earlier round may have set, at once, in a branch, behind one that may not have been gone, in a loop.
    assert not rounds_stand_apart(loop(if_(two, st.Let(3, one)), set_two))
    assert not rounds_stand_apart(loop(if_(one, set_two), st.Let(3, two)))
    assert not rounds_stand_apart(loop(st.Each(4, (), (st.Let(3, two), set_two), ex.ONE)))
    assert not rounds_stand_apart(loop(st.Each(4, (), (set_two,), ex.ONE), st.Let(3, two)))
    # Who leaves the loop, or the procedure.
    assert not rounds_stand_apart(loop(if_(one, st.Leave("each"))))
    assert not rounds_stand_apart(loop(st.Each(4, (), (if_(one, st.Leave("procedure")),), ex.ONE)))
    assert free_locals(ex.Fold("sum", 2, ((1, 3),), two, ex.Binary("+", two, three))) == {3}
    assert free_locals(ex.Fold("nth", 2, ((1, 3),), two, two)) == {2}
    assert free_locals(ex.With(2, one, ex.Binary("+", two, three))) == {1, 3}
