"""Rules that fire at each multiple that a value reaches: `{every: 500, of: score}`. Expected counts are by hand."""

from __future__ import annotations

import math

import pytest
from both_engines import assert_same
from hypothesis import given, settings
from hypothesis import strategies as st

import mint_ledger as mint

GAME = """
title: Extra
clock: {{unit: turn, limit: {turns}}}
stats: {{score: {{start: {start}}}, lives: 0}}
rules:
  - {{name: extra life, when: {{every: {every}, of: score{first}}}, do: [lives += 1]}}
"""


def lives(posts: list[float], *, start: float = 0, every: float = 500, first: float | None = None) -> float:
    text = GAME.format(
        turns=len(posts) + 1, start=start, every=every, first="" if first is None else f", first: {first}"
    )
    script = [{"at": k + 1, "set": f"score += {points}"} for k, points in enumerate(posts)]
    run = mint.loads(text).run(script=script)
    run.reconcile()
    return run.at(len(posts))["lives"]


@pytest.mark.parametrize(
    ("posts", "options", "count"),
    [
        ([499], {}, 0),
        ([500], {}, 1),
        ([1100], {}, 2),  # two at once
        ([499, 1, 499, 1], {}, 2),
        ([700, -300, 300], {}, 1),  # a multiple is reached once
        ([400], {"start": 1200}, 1),  # what it starts with is passed already
        ([1000], {"first": 1000}, 1),
        ([2100], {"first": 1000}, 3),  # 1,000, 1,500 and 2,000
        ([999], {"first": 1000}, 0),
        ([-2000, 2000], {}, 0),
    ],
)
def test_a_rule_fires_once_for_each_multiple_that_is_reached_for_the_first_time(
    posts: list[float], options: dict[str, float], count: float
) -> None:
    assert lives(posts, **options) == count


@settings(max_examples=15, deadline=None)
@given(st.lists(st.integers(-900, 900), min_size=1, max_size=8), st.integers(0, 2000), st.integers(100, 600))
def test_the_number_of_firings_is_that_of_the_multiples_between_the_start_and_the_highest_value(
    posts: list[int], start: int, every: int
) -> None:
    values = [start]
    for points in posts:
        values.append(values[-1] + points)
    expected = max(math.floor(max(values) / every), 0) - math.floor(start / every)
    assert lives([float(p) for p in posts], start=start, every=every) == expected


def test_a_value_that_flows_is_counted_in_both_engines_to_the_bit() -> None:
    game = mint.loads("""
title: Kettle
clock: {step: 0.5, limit: 60}
stats: {heat: {start: 0, max: 100, recover: {rate: 3.3}}, puffs: 0}
kinds:
  mug:
    copies: 3
    room: 5
    stats: {tea: {start: 4, max: 60, recover: {rate: 1.7}}, marks: 0}
    rules: [{when: {every: 5, of: tea}, do: [marks += 1]}]
rules:
  - {when: {every: 7, of: heat, first: 10}, do: [puffs += 1]}
  - {when: {every: 40, first: 9}, do: [{spawn: mug, set: {tea: 33}}]}
""")
    assert_same(game.lowered, None)
    end = game.run().at(60)
    assert end["puffs"] == 13  # 10, 17, … 94
    assert end["mug[1].marks"] == 12  # 5, 10, … 60
    assert end["mug[4].marks"] == 6  # 35, 40, … 60


@pytest.mark.parametrize(
    ("every", "more", "message"),
    [("0", "", "a period has to be longer than 0"), ("1e-9", "", "due more than 10,000 times")],
)
def test_a_step_that_is_no_length_stops_the_run_and_says_where(every: str, more: str, message: str) -> None:
    game = mint.loads(GAME.format(turns=3, start=0, every=f"score * 0 + {every}", first=more))
    with pytest.raises(mint.RunStopped, match=message):
        game.run(script=[{"at": 1, "set": "score += 100"}])


def test_of_without_every_is_refused_with_the_line_as_it_should_read() -> None:
    with pytest.raises(mint.GameError, match=r"'of' belongs to 'every': \{every: 500, of: score\}"):
        mint.loads(GAME.format(turns=3, start=0, every=5, first="").replace("every: 5, of", "start: true, of"))
