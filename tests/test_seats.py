"""Whether seats differ, and which difference would have been seen: against SciPy's binomial."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.studies.seats import Seats

# Whoever pours first is more often the first to fill the basin.
RACE = """
title: Two Ladles
clock: {unit: turn, limit: 80}
kinds:
  ladle: {copies: 2, stats: {basin: 0}, endings: {full: {result: win, if: basin >= 25}}, rules: [{name: pours, when: {every: 1}, do: ["basin += dice(1, 5)"]}]}
"""


@pytest.mark.parametrize(("count", "runs"), [(2, 400), (2, 1_600), (3, 600), (6, 3_000)])
def test_what_would_have_been_seen_is_seen_in_nine_of_ten(count: int, runs: int) -> None:
    even = Seats("s", dict.fromkeys(map(str, range(count)), 0), runs)
    # All counts of the first seat that its test calls unequal, by the test itself.
    seen = [n for n in range(runs + 1) if "0" in Seats("s", {**even.wins, "0": n}, runs).unequal]
    unequal = np.zeros(runs + 1, dtype=bool)
    unequal[seen] = True
    share = 1 / count
    power = stats.binom.pmf(np.arange(runs + 1), runs, share + even.would_have_seen)[unequal].sum()
    assert power == pytest.approx(0.9, abs=0.03)
    # Equal seats are called unequal in one of twenty studies at most, all seats together.
    false = stats.binom.pmf(np.arange(runs + 1), runs, share)[unequal].sum()
    assert false * count <= 0.05 * 1.2


def test_four_hundred_runs_of_two_seats_cannot_see_eight_points() -> None:
    assert 0.08 < Seats("s", {"a": 200, "b": 200}, 400).would_have_seen < 0.1
    assert Seats("s", {"a": 2, "b": 1}, 3).would_have_seen == 1.0
    assert Seats("s", {"a": 240, "b": 160}, 400).unequal == ("a", "b")


def test_a_study_and_an_audit_tell_seats_apart_or_what_they_would_have_seen(command: Command, tmp_path: Path) -> None:
    (tmp_path / "race.yaml").write_text(RACE)
    told = command("study", "race.yaml", "--runs", "2000")
    assert "the seats of ladle are not equal: ladle[1]" in told.stdout
    found = json.loads(command("study", "race.yaml", "--runs", "2000", "--json").stdout)["seats"][0]
    assert found["unequal"] == ["ladle[1]", "ladle[2]"]
    assert sum(found["wins"].values()) == found["runs"]
    # The order of the two changes from round to round: who comes home first is by the dice alone.
    fair = """
    title: Coin
    clock: {unit: turn, limit: 5}
    kinds: {side: {copies: 2, stats: {up: {start: 0}}, endings: {up: {result: win, if: up > 0}}}}
    rules:
      - {name: falls, when: {every: 1}, do: [{if: chance(0.5), do: ["side[1].up += 1"], else: ["side[2].up += 1"]}]}
    """
    (tmp_path / "coin.yaml").write_text(fair)
    told = command("study", "coin.yaml", "--runs", "1600")
    flat = " ".join(told.stdout.split())
    assert "the seats of side: no difference was seen; a seat that wins 4.4 points more often than 50 %" in flat
    assert all(len(line) <= 80 for line in told.stdout.splitlines())
    audit = mint.load(tmp_path / "coin.yaml").audit(runs=20, only=["seats-unfair"])
    assert not audit.findings
    assert "differ no more than chance makes them; a seat that wins" in audit.silences[0]
    assert "Not found, though these tests would have shown it:" in audit.summary()
