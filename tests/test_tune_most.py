"""The best of all settings: against games whose best is known."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import run_command

import mint_ledger as mint

# Won with chance 4·p·(1 - p) with a hook, half as often with a net.
HILL = """
title: Hill
clock: {unit: turn, limit: 2}
numbers: {p: 0.2, idle: 3}
stats:
  tool: {one_of: [net, hook], start: net}
  good: {formula: "4 * p * (1 - p) * (1 if tool == hook else 0.5)"}
rules: [{name: tries, when: start, do: [{if: chance(good), do: [{finish: up}], else: [{finish: down}]}]}]
endings: {up: {result: win}, down: {result: lose}}
"""


def test_the_top_of_a_hill_is_found_and_told_with_luck_of_its_own() -> None:
    tuned = mint.loads(HILL).tune_most({"p": "0.1..0.9 by 0.1", "tool": "net,hook"}, "rate(win)", runs=600, seed=3)
    assert tuned.best[1] == "hook"
    assert tuned.best[0] in (0.4, 0.5, 0.6)
    known = 4 * tuned.best[0] * (1 - tuned.best[0])  # type: ignore[operator]
    low, high = tuned.estimate.interval(0.999)
    assert low <= known <= high
    low, high = tuned.today.interval(0.999)
    assert low <= 0.32 <= high
    assert tuned.changed == dict(zip(("p", "tool"), tuned.best, strict=True))
    assert all(values[1] == "hook" and 0.3 <= values[0] <= 0.7 for values in tuned.as_good)  # type: ignore[operator]
    assert (0.5, "hook") in tuned.as_good


def test_the_least_is_the_other_end() -> None:
    tuned = mint.loads(HILL).tune_most({"p": "0.1,0.5", "tool": "net,hook"}, "rate(win)", most=False, runs=400)
    assert tuned.best == (0.1, "net")
    assert tuned.gain is not None
    assert tuned.gain.high < 0.0


@pytest.mark.parametrize("seeds", [8, pytest.param(40, marks=pytest.mark.night)])
def test_what_changes_nothing_is_not_called_better_or_worse(seeds: int) -> None:
    game, claimed = mint.loads(HILL), 0
    for seed in range(seeds):
        tuned = game.tune_most({"idle": "1..6"}, "rate(win)", runs=100, seed=seed)
        claimed += len(tuned.as_good) < 6
        # Of those that are alike the one that changes nothing is best.
        assert tuned.best == (3.0,)
        assert not tuned.changed
    assert claimed == 0


# At 5 % each, more than 10 of 80 come in one of 300 such tests, and more than 4 of 16 in one of 1,000.
@pytest.mark.parametrize(("seeds", "most"), [(16, 4), pytest.param(80, 10, marks=pytest.mark.night)])
def test_false_bests_are_as_rare_as_they_are_said_to_be(seeds: int, most: int) -> None:
    # Each setting draws for itself, so that settings differ by chance alone.
    text = HILL.replace("chance(good)", "CHANCE").replace(
        "if: CHANCE,", 'if: "floor(1000003 * between(0, 1) * idle) % 2 == 0",'
    )
    game = mint.loads(text)
    claimed = sum(len(game.tune_most({"idle": "1..6"}, runs=80, seed=seed).as_good) < 6 for seed in range(seeds))
    assert claimed <= most


@pytest.mark.parametrize(
    ("dials", "words"),
    [({"p": "0.5"}, "2 to 400"), ({"q": "1..3"}, "did you mean|no dial"), ({"p": "0..1 by 0.001"}, "2 to 400")],
)
def test_what_makes_no_sense_is_refused(dials: dict[str, str], words: str) -> None:
    with pytest.raises(mint.MintError, match=words):
        mint.loads(HILL).tune_most(dials)


def test_the_command_tells_it(tmp_path: Path) -> None:
    game = tmp_path / "hill.yaml"
    game.write_text(HILL)
    command = ["mint-ledger", "tune", str(game), "--dial", "p=0.1,0.3,0.5", "--dial", "tool=net,hook", "--runs", "200"]
    told = run_command(*command[1:], "--most", "rate(win)").stdout
    assert "best   p=0.5, tool=hook" in told
    assert max(map(len, told.splitlines())) <= 80
    numbers = json.loads(run_command(*command[1:], "--least", "rate(win)", "--json").stdout)
    assert numbers["best"]["p"] == 0.1
    for wrong in (["--want", "0.5..0.6"], ["--least", "rate(win)"], ["--write"]):
        refused = run_command(*command[1:], "--most", "rate(win)", *wrong)
        assert refused.returncode == 2
        assert "does not go with --most" in refused.stderr
