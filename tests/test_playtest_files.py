"""The playtests worked by hand, in files as a designer would write them."""

from __future__ import annotations

from pathlib import Path

import pytest
from scipy import stats

import mint_ledger as mint
from mint_ledger.errors import GameError

FILES = sorted((Path(__file__).parent / "playtests").glob("*.yaml"))


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_every_expectation_worked_by_hand_is_found(file: Path) -> None:
    results = mint.load(file).play_tests()
    assert results
    for result in results:
        assert result.passed, (result.name, [(f.at, f.expected, f.values) for f in result.found if not f.held])


def test_a_playtest_can_fail_and_says_what_was_found() -> None:
    text = (Path(__file__).parent / "playtests" / "healing.yaml").read_text("utf-8")
    game = mint.loads(text.replace("that: baker.warmth == 100", "that: baker.warmth == 99"))
    failed = next(r for r in game.play_tests() if r.name == "healing stops at the cap")
    assert not failed.passed
    assert failed.found[0].values == "baker.warmth is 100"


TOSSES = """
title: Tosses
clock: {unit: turn, limit: 10}
numbers: {luck: 0.5}
stats: {heads: {start: 0, min: 0, whole: true}}
rules:
  - {name: toss, when: {every: 1}, if: chance(luck), do: [heads += 1]}
  - {name: gift, when: {cue: given}, do: [heads += 3]}
endings: {many: {result: win, if: heads >= 5}}
playtests:
  with a gift:
    start: {luck: 0.3}
    script: [{at: 1, cue: given}]
    expect:
      - {at: 1, that: heads >= 3}
      - {in: 2000 runs, that: LOW <= rate(win) <= HIGH}
      - {in: 500, that: mean(closing(heads)) >= 4}
"""


@pytest.mark.parametrize(("off", "passes"), [(-0.04, True), (0.1, False)])
def test_many_runs_of_a_playtest_are_held_against_a_range(off: float, passes: bool) -> None:
    # Three are given, so two of ten tosses have to show heads.
    chance = stats.binom.sf(1, 10, 0.3)
    text = TOSSES.replace("LOW", f"{chance + off:.4f}").replace("HIGH", f"{min(1, chance + off + 0.08):.4f}")
    (result,) = mint.loads(text).play_tests()
    assert result.passed is passes
    found = result.found[1]
    assert found.at == "in 2,000 runs"
    assert found.values.startswith("rate(win) is 8")
    assert [item.held for item in result.found] == [True, passes, True]
    # The same seed gives the same answer every time, and the file is written as it was read.
    assert mint.loads(text).play_tests() == [result]
    assert mint.Game(**mint.loads(text).model_dump(by_alias=True, exclude_unset=True)).play_tests() == [result]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("{in: 500 runs, that: heads > 3}", "what is expected of many runs is like 0.5 <= rate"),
        ("{at: end, that: rate(win) > 0.5}", "what is expected of many runs is like 0.5 <= rate"),
        ("{that: heads > 3}", "wants 'at: …', a time or end, or 'in: 500 runs'"),
        ("{at: 2, in: 500 runs, that: rate(win) > 0.5}", "wants 'at: …', a time or end, or 'in: 500 runs'"),
        ("{in: no runs, that: rate(win) > 0.5}", "'in' wants a number of runs like '500 runs'"),
        ("{in: 500 runs, that: 0.7 <= rate(win) <= 0.6}", "write the smaller number first"),
    ],
)
def test_what_cannot_be_expected_is_refused(line: str, said: str) -> None:
    text = TOSSES.replace("{in: 2000 runs, that: LOW <= rate(win) <= HIGH}", line)
    with pytest.raises(GameError) as refused:
        mint.loads(text)
    assert said in str(refused.value)


def test_a_measure_that_is_none_fails_the_playtest_in_words() -> None:
    text = TOSSES.replace("rate(win)", "mean(closing(hed))").replace("LOW", "0").replace("HIGH", "1")
    (result,) = mint.loads(text).play_tests()
    assert not result.passed
    assert "hed" in result.stopped
