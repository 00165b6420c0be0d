"""All tests of an audit together: Holm's rule by hand, and how seldom equal seats are called unequal."""

from __future__ import annotations

import pytest
import scipy  # its stats are loaded by the tests that ask for them, as collecting shall be quick

from mint_ledger.audit.chance import LEVEL, Chances
from mint_ledger.studies.seats import Seats


def test_holm_by_hand() -> None:
    # Of five tests at 1 %: 0.0019 < 0.01/5, 0.0024 < 0.01/4, 0.0034 > 0.01/3, so it and the next fall.
    assert Chances(tests=5).stands([0.0034, 0.0019, 0.0024, 0.0035]) == [False, True, True, False]
    # The same with a hundred tests: none stands.
    assert Chances(tests=100).stands([0.0034, 0.0019, 0.0024]) == [False, False, False]
    assert Chances(tests=1).stands([]) == []


@pytest.mark.parametrize(("wins", "runs"), [(850, 1600), (800, 1600), (740, 1500), (60, 200)])
def test_the_chance_of_a_seat_is_that_of_the_binomial(wins: int, runs: int) -> None:
    seats = Seats("side", {"a": wins, "b": runs - wins}, runs)
    assert seats.chance == pytest.approx(scipy.stats.binomtest(wins, runs).pvalue, rel=0.1, abs=0.03)
    z = abs(wins - runs / 2) / (runs / 4) ** 0.5
    assert seats.chance == pytest.approx(2 * scipy.stats.norm.sf(z), rel=1e-9)


def test_what_silence_would_have_seen_is_seen_in_nine_of_ten() -> None:
    chances = Chances(tests=40)
    chances.seats.append(Seats("side", {"a": 800, "b": 800}, 1600))
    [text] = chances.silences([])
    points = float(text.split("wins ")[1].split(" points")[0])
    limit = scipy.stats.norm.isf(LEVEL / 40 / 2) * (1600 / 4) ** 0.5
    power = scipy.stats.binom.sf(800 + limit, 1600, 0.5 + points / 100)
    assert 0.87 < power < 0.93
    # With fewer tests less is needed; where the kind has a finding nothing is said.
    chances.tests = 2
    assert float(chances.silences([])[0].split("wins ")[1].split(" points")[0]) < points
    assert chances.silences(["side"]) == []
