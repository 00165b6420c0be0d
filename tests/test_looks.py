"""What is only compared is looked at again where a comparison turns; each turn is seen, whatever it is compared with."""

from __future__ import annotations

import operator
from itertools import pairwise

import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.engines.native.looks import ANYBODY, MOST_THRESHOLDS, Look, Threshold, concerning, thresholds_of
from mint_ledger.program import expressions as ex

HOLDS = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
# As it is written, and what it is: a number, a dial, one that levels do not meet.
BOUNDS = {"1": 1.0, "goal": 2.0, "0.75": 0.75}
# Each for a kind of its own, all of which share the stat.
CONDITIONS = [(sign, bound, mirrored) for sign in HOLDS for bound in BOUNDS for mirrored in (False, True)]


def gauge(condition: str) -> str:
    return (
        f"{{stats: {{level: {{start: 1}}, seen: 0}}, rules: [{{name: see, when: {{becomes: '{condition}'}}, "
        "do: [seen += 1]}, {name: walk, when: {every: 1}, do: ['level += pick(-1, -0.5, 0, 0.5, 1)']}]}"
    )


@pytest.mark.parametrize(
    ("conditions", "engine"),
    [
        (CONDITIONS[::3], "native"),
        (CONDITIONS, "reference"),
        pytest.param(CONDITIONS, "native", marks=pytest.mark.night),
    ],
)
def test_every_turn_of_a_comparison_is_seen_when_it_turns(conditions: list[tuple[str, str, bool]], engine: str) -> None:
    turning(conditions, [engine])


def turning(conditions: list[tuple[str, str, bool]], engines: list[str]) -> mint.Game:
    """A walk of 150 steps about the bounds: a rule that waits for a comparison fires where the level before does not
    hold and the level after does, by Python's own operators.
    """
    kinds = "".join(
        f"  k{i}: {gauge(f'{bound} {sign} level' if mirrored else f'level {sign} {bound}')}\n"
        for i, (sign, bound, mirrored) in enumerate(conditions)
    )
    game = mint.loads(f"clock: {{limit: 150}}\nnumbers: {{goal: 2}}\nkinds:\n{kinds}")
    for engine in engines:
        journal = game.run(seed=4, engine=engine).journal  # type: ignore[arg-type]
        turned = 0
        for i, (sign, bound, mirrored) in enumerate(conditions):
            mine = journal[journal["entity"] == f"k{i}"]
            levels = mine[(mine["stat"] == "level") & (mine["time"] > 0)]
            walk = [(0.0, 1.0), *zip(levels["time"].astype(float), levels["after"].astype(float), strict=True)]
            sides = [(BOUNDS[bound], level) if mirrored else (level, BOUNDS[bound]) for _, level in walk]
            flags = [HOLDS[sign](*side) for side in sides]
            times = [
                time for (time, _), (before, after) in zip(walk[1:], pairwise(flags), strict=True) if after > before
            ]
            seen = mine[(mine["stat"] == "seen") & (mine["time"] > 0)]
            assert list(seen["time"].astype(float)) == times, (sign, bound, mirrored)
            turned += len(times)
        assert turned > 3 * len(conditions)
    return game


@pytest.mark.night
def test_all_comparisons_are_the_same_in_both_engines() -> None:
    assert_same(turning(CONDITIONS, ["native"]).lowered, None)


WELL = """
clock: {step: 0.5, limit: 30}
stats: {falls: 0, lows: 0, tilts: 0}
kinds:
  bucket:
    copies: [{leak: 1}, {leak: 2}, {leak: 3}]
    stats: {leak: 1, water: {start: 9, min: 0, whole: true}, rope: {start: 4, min: 0}}
    gone_if: rope <= 0
    rules:
      - {name: tips, when: {becomes: water + rope <= 4}, do: [falls += 1]}
      - {name: lands, when: gone, do: [falls += 10]}
      - {name: leaks, when: {every: 3}, do: [water -= leak]}
  scale:
    stats: {left: 0, right: 0}
    rules:
      - {name: fills, when: {every: 2}, do: [left += 1, right += 2]}
      - {name: tilts, when: {becomes: left + right >= 10}, do: [tilts += 1]}
rules:
  - {name: wear, when: {every: 5}, do: ["bucket[2].rope -= 3"]}
BANDS
endings:
  dry: {result: lose, if: all(bucket.water <= 1)}
"""


def test_what_is_read_otherwise_too_and_what_many_compare_is_seen() -> None:
    """Bucket i loses i at 3, 6, 9 …; the second's rope goes from 4 to 1 at 5 and to 0 at 10, when it is gone.

    Water and rope of the second are 9 - 2 (3) + 4 = 11, then 5 (6) + 1 = 6, then 3 (9) + 1 = 4: it tips at 9. Those of
    the third are 9 - 3 · 3 + 4 = 4 at 9. The first stands at 0 + 4 at 27. All that are there have 1 or less from 24 on,
    which is the end, so the first does not tip. The scale holds 3 k at 2 k, and so tilts at 8, with 4 and 8.
    """
    # More thresholds than are asked for in a posting.
    bands = "".join(
        f"  - {{name: at {n}, when: {{becomes: 'bucket[1].water <= {n}'}}, do: [lows += 1]}}\n"
        for n in range(MOST_THRESHOLDS + 1)
    )
    game = mint.loads(WELL.replace("BANDS\n", bands))
    for engine in ("reference", "native"):
        outcome = game.run(engine=engine)  # type: ignore[arg-type]
        journal = outcome.journal
        falls = journal[journal["stat"] == "falls"]
        assert list(zip(falls["time"].astype(float), falls["asked"].astype(float), strict=True)) == [
            (9.0, 1.0),
            (9.0, 1.0),
            (10.0, 10.0),
        ]
        lows, tilts = (list(journal[journal["stat"] == stat]["time"].astype(float)) for stat in ("lows", "tilts"))
        assert (lows, tilts) == ([3.0 * k for k in range(1, 9)], [8.0])
        assert (outcome.ending, outcome.time) == ("dry", 24.0)
    assert_same(game.lowered, None)


def test_a_comparison_has_a_threshold_where_the_other_side_stands_still_all_run() -> None:
    level, other = ex.Local(0), ex.Local(1)
    four, dial = ex.Constant(4.0), ex.Dial(2)
    assert thresholds_of(ex.Compare("<", level, four)) == (Threshold(">=", four), None)
    assert thresholds_of(ex.Compare("<", four, level)) == (None, Threshold("<=", four))
    assert thresholds_of(ex.Compare("!=", level, dial)) == (Threshold("==", dial), None)
    assert thresholds_of(ex.Compare(">", level, other)) == (None, None)


def test_whose_account_it_is_says_which_looks_are_concerned() -> None:
    threshold = Threshold(">=", ex.Constant(4.0))
    looks = {Look(1, 3), Look(4, 2, threshold), Look(6, 1)}
    assert concerning(((2, 2),), looks) == {Look(*ANYBODY)}
    assert concerning(((3, 2),), looks) == {Look(1, 3), Look(4, 2, threshold)}
    assert concerning(((9, 1),), looks) == set()
