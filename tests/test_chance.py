from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

import mint_ledger as mint
from mint_ledger.chance.philox import philox, place_hash, uniform
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.errors import BrokenProgram
from mint_ledger.program.row import WHATS
from mint_ledger.program.statements import Draw
from mint_ledger.program.verify import verify
from mint_ledger.program.walking import nodes

N = 4000


@pytest.mark.parametrize(
    ("counter", "key", "words"),
    [
        # The known answers published with the generator (Random123, philox4x32, 10 rounds).
        ((0, 0, 0, 0), (0, 0), (0x6627E8D5, 0xE169C58D, 0xBC57AC4C, 0x9B00DBD8)),
        ((0xFFFFFFFF,) * 4, (0xFFFFFFFF,) * 2, (0x408F276D, 0x41C83B0E, 0xA20BC7C6, 0x6D5451FD)),
        (
            (0x243F6A88, 0x85A308D3, 0x13198A2E, 0x03707344),
            (0xA4093822, 0x299F31D0),
            (0xD16CFE09, 0x94FDCCEB, 0x5001E420, 0x24126EA1),
        ),
    ],
)
def test_philox_gives_its_published_answers(counter: tuple, key: tuple, words: tuple) -> None:
    assert philox(counter, key) == words


def test_uniform_numbers_fill_the_unit_interval_evenly() -> None:
    draws = [uniform(7, 12345, run, 1, 1, 0) for run in range(N)]
    assert min(draws) >= 0 and max(draws) < 1
    assert stats.kstest(draws, "uniform").pvalue > 0.001


def sample(formula: str) -> np.ndarray:
    text = f"""
title: Draws
clock: {{unit: turn, limit: {N}}}
stats: {{out: 0}}
rules: [{{name: draws, when: {{every: 1}}, do: ["out = {formula}"]}}]
"""
    run = mint.loads(text).run(seed=11)
    table = run.journal
    return table.loc[table["what"] == "posting", "after"].to_numpy()


@pytest.mark.parametrize(
    ("formula", "distribution"),
    [
        ("between(2, 5)", stats.uniform(2, 3)),
        ("normal(10, 3)", stats.norm(10, 3)),
    ],
)
def test_continuous_chance_has_scipys_distribution(formula: str, distribution: object) -> None:
    values = sample(formula)
    assert len(values) == N
    assert stats.kstest(values, distribution.cdf).pvalue > 0.001  # type: ignore[attr-defined]


def two_dice() -> dict[float, float]:
    counts: dict[float, float] = {}
    for one in range(1, 7):
        for other in range(1, 7):
            counts[one + other] = counts.get(one + other, 0) + 1 / 36
    return counts


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("whole(3, 6)", dict.fromkeys([3, 4, 5, 6], 0.25)),
        ("dice(2, 6)", two_dice()),
        ("1 if chance(0.3) else 0", {1: 0.3, 0: 0.7}),
        ("pick(4, 8, 15)", dict.fromkeys([4, 8, 15], 1 / 3)),
    ],
)
def test_discrete_chance_has_the_shares_worked_by_hand(formula: str, expected: dict[float, float]) -> None:
    values, counts = np.unique(sample(formula), return_counts=True)
    assert list(values) == sorted(expected)
    shares = [expected[value] * N for value in values]
    assert stats.chisquare(counts, shares).pvalue > 0.001


def test_successive_draws_are_independent() -> None:
    values = sample("between(0, 1)")
    assert abs(np.corrcoef(values[1:], values[:-1])[0, 1]) < 4 / np.sqrt(N)


def test_a_branch_that_is_not_taken_never_draws() -> None:
    # The second call's count moves only in turns when the first is below a half, so its own sequence is unbroken.
    with_branch = sample("between(10, 11) if chance(0.5) else 0")
    taken = with_branch[with_branch > 0]
    assert len(set(taken)) == len(taken)
    every = [10 + uniform(11, h, 0, 1, k, 0) for h in [_place("draws", 2)] for k in range(1, len(taken) + 1)]
    assert taken == pytest.approx(every, abs=1e-12)


def _place(title: str, call: int) -> int:
    return place_hash("", f"rule {title}", str(call))


LUCK = """
title: Luck
clock: {{unit: turn, limit: 30}}
stats: {{a: 0, b: 0}}
kinds:
  cart: {{copies: {copies}, stats: {{load: 0}}, rules: [{{name: loads, when: {{every: 1}}, do: ["load += dice(1, 6)"]}}]}}
rules:
{extra}
  - {{name: first, when: {{every: 1}}, do: ["a += dice(2, 6)"]}}
"""


def test_adding_a_rule_or_a_copy_leaves_the_luck_of_all_others_as_it_was() -> None:
    plain = mint.loads(LUCK.format(copies=2, extra="")).run(seed=3)
    extra = "  - {name: new, when: {every: 1}, do: [b += whole(1, 9)]}".replace("[b", '["b').replace(")]", ')"]')
    more = mint.loads(LUCK.format(copies=3, extra=extra)).run(seed=3)
    for account in ("a", "cart[1].load", "cart[2].load"):
        assert plain.statement(account).closing == more.statement(account).closing
    assert more.statement("b").closing > 0


def test_runs_and_seeds_differ_and_repeat() -> None:
    game = mint.loads(LUCK.format(copies=1, extra=""))
    closings = {(seed, run): game.run(seed, run=run).statement("a").closing for seed in (1, 2) for run in (0, 1)}
    assert len(set(closings.values())) > 1
    assert closings[2, 1] == game.run(2, run=1).statement("a").closing


AHEAD = """
title: Draws ahead
clock: {unit: turn, limit: 150}
stats: {out: 0, coin: 0, rare: 0}
kinds:
  cart: {copies: 3, stats: {load: 0}, rules: [{name: loads, when: {every: 1}, do: ["load = between(0, 1)"]}]}
  bird: {copies: 9, stats: {sung: 0}, rules: [{name: sings, when: {every: 7}, do: ["sung = between(0, 1)"]}]}
rules:
  - {name: draws, when: {every: 1}, do: ["out = between(0, 1)", "coin = 1 if chance(0.5) else 0"]}
  - {name: seldom, when: {every: 40}, do: ["rare = between(0, 1)"]}
"""


@pytest.mark.parametrize("thorough", [False, True])
@pytest.mark.parametrize(("seed", "run"), [(1, 0), (2**63 - 1, 7), (-5, 2**31 - 1), (12345678901234, 2**32 - 1)])
def test_draws_that_are_made_ahead_are_those_of_their_place(seed: int, run: int, thorough: bool) -> None:
    """What machine code posts is, draw by draw, what Philox in plain Python gives, of which the published answers are
    known; of few copies and of many, of what draws often and seldom.
    """
    game = mint.loads(AHEAD)
    player = NativePlayer(make_code(game.lowered.program, thorough=thorough), seed=seed)
    # Runs before leave nothing behind; and draws go on where a run was interrupted.
    player.play(0 if run else 1)
    player.play(run, until_step=20)
    player.go_on(10**6)
    interrupted = player.state.copy()
    rows = [row for row in player.journal(run) if WHATS[int(row.what)] == "posting"]
    assert player.state.tobytes() == interrupted.tobytes()
    for kind, rule, copies, every in (("cart", "loads", 3, 1), ("bird", "sings", 9, 7)):
        place = place_hash(kind, kind, f"rule {rule}", "1")
        for copy in range(1, copies + 1):
            entity = game.lowered.program.cast.members[kind].first + copy - 1
            after = [row.after for row in rows if row.entity == entity]
            assert after == [uniform(seed, place, run, copy, k, 0) for k in range(1, 150 // every + 1)]
    first, second = _place("draws", 1), _place("draws", 2)
    out, coin, rare = ([row.after for row in rows if row.entity == 0 and row.stat == stat] for stat in range(3))
    assert out == [uniform(seed, first, run, 1, k, 0) for k in range(1, 151)]
    assert coin == [float(uniform(seed, second, run, 1, k, 0) < 0.5) for k in range(1, 151)]
    assert rare == [uniform(seed, _place("seldom", 1), run, 1, k, 0) for k in (1, 2, 3)]


def test_draws_that_one_column_counts_stand_at_one_place() -> None:
    """Draws are kept by their count alone, so a program in which another place is counted there is refused."""
    program = mint.loads(AHEAD).lowered.program
    verify(program)
    (draw,) = {
        node
        for p in program.procedures.values()
        for node in nodes(p.body)
        if isinstance(node, Draw) and node.count.handle.owner[:2] == ("rules", 1)
    }
    moved = replace(draw, places=tuple((first, count, place ^ 1) for first, count, place in draw.places))
    handle = next(h for h, p in program.procedures.items() if draw in nodes(p.body))
    procedure = program.procedures[handle]
    twice = replace(procedure, body=(*procedure.body, moved))
    with pytest.raises(BrokenProgram, match="draws elsewhere than others"):
        verify(replace(program, procedures={**program.procedures, handle: twice}))
