"""Which dials matter, on games whose answers are known."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.balance.sensitivity import sobol
from mint_ledger.errors import BadRequest, NotFound

pytestmark = pytest.mark.slow

# The end comes after wide · 2 + narrow steps, whatever the luck.
SUM = """
title: Sum
clock: {step: 1, limit: 999}
numbers: {wide: 20, narrow: 10, idle: 5, nothing: 0}
stats: {left: {start: 0, min: 0}}
rules:
  - {name: goes on, when: {every: 1}, do: [left += 1]}
endings:
  over: {result: win, if: left >= 2 * wide + narrow}
"""
COIN = """
title: Coin
clock: {step: 1, limit: 3}
numbers: {luck: 0.5, idle: 3}
stats: {heads: {start: 0, min: 0, max: 1, whole: true}}
rules:
  - {name: the toss, when: {every: 1}, at_most: 1, if: chance(luck), do: [heads = 1]}
endings:
  heads: {result: win, if: heads == 1}
  tails: {result: lose, if: time >= 1 + 0 * idle}
"""


def test_the_effect_of_one_per_cent_is_the_derivative() -> None:
    found = mint.loads(SUM).sensitivity(["wide", "narrow", "idle", "nothing"], measure="mean(time)", runs=3)
    effects = {one.dial: one.effect.value for one in found.moved}
    # From 18 to 22: eight steps in 20 %; from 9 to 11: two.
    assert effects["wide"] == pytest.approx(8 / 20)
    assert effects["narrow"] == pytest.approx(2 / 20)
    assert effects["idle"] == 0.0
    assert [one.dial for one in found.moved][:2] == ["wide", "narrow"]
    assert [dial for dial, _ in found.skipped] == ["nothing"]
    assert "wide moves it most: +1 % gives +0.4 units" in found.summary()


def test_paired_luck_gives_the_chance_itself() -> None:
    found = mint.loads(COIN).sensitivity(["luck", "idle"], runs=2_000)
    luck, idle = found.moved
    # One per cent more of a half is half a point; only the runs between 0.45 and 0.55 differ.
    assert luck.effect.low <= 0.005 <= luck.effect.high
    assert luck.effect.half_width == pytest.approx(1.96 * (0.1 * 0.9 / 2_000) ** 0.5 / 20, rel=0.1)
    assert luck.is_certain and not idle.is_certain
    assert list(found.table().columns) == ["dial", "today", "down", "up", "effect", "low", "high"]
    assert found.plot().axes


def test_sobols_indices_are_those_of_a_sum() -> None:
    # The variances of 2 · wide and of narrow over ranges of the same length: 4 to 1.
    indices = sobol(mint.loads(SUM), {"wide": (20, 60), "narrow": (20, 60)}, measure="mean(time)", points=64, runs=1)
    assert [index.dial for index in indices] == ["wide", "narrow"]
    assert indices[0].total.value == pytest.approx(0.8, abs=0.1)
    assert indices[1].total.value == pytest.approx(0.2, abs=0.1)
    assert indices[0].first.low <= indices[0].first.value <= indices[0].first.high


def test_what_cannot_be_asked_is_refused() -> None:
    game = mint.loads(COIN)
    with pytest.raises(NotFound, match="did you mean 'luck'"):
        game.sensitivity(["lukc"], runs=5)
    with pytest.raises(BadRequest, match="paired by rate"):
        game.sensitivity(["luck"], runs=5, measure="median(time)")
    with pytest.raises(BadRequest, match="a share between 0 and 1"):
        game.sensitivity(["luck"], runs=5, share=2.0)
    with pytest.raises(BadRequest, match="a power of two"):
        sobol(game, {"luck": (0, 1), "idle": (0, 1)}, points=30)
    with pytest.raises(BadRequest, match="two dials or more"):
        sobol(game, {"luck": (0, 1)}, points=32)


@pytest.mark.slow
def test_the_command_ranks_and_draws(command: Command, tmp_path: Path) -> None:
    (tmp_path / "sum.yaml").write_text(SUM, "utf-8")
    wanted = ["--measure", "mean(time)", "--runs", 3, "--dial", "wide", "--dial", "narrow"]
    result = command("sensitivity", "sum.yaml", *wanted, "--plot", "sum.png")
    assert result.returncode == 0, result.stderr
    assert "wide moves it most" in result.stdout
    assert max(map(len, result.stdout.splitlines())) <= 80
    assert (tmp_path / "sum.png").exists()
    plain = json.loads(command("sensitivity", "sum.yaml", *wanted, "--json").stdout)
    assert plain["dials"][0]["dial"] == "wide"
    options = ["--sobol", 4, "--dial", "wide=20..60", "--dial", "narrow=20..60", "--measure", "mean(time)", "--runs", 1]
    indices = command("sensitivity", "sum.yaml", *options)
    assert indices.returncode == 0, indices.stderr
    assert indices.stdout.splitlines()[-2].split()[0] == "wide"
    assert max(map(len, indices.stdout.splitlines())) <= 80
