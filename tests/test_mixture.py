"""Shares of known habits among recorded plays."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.players.recorded import Plays, make_plays

SMITHY = """
title: Smithy
clock: {step: 0.05, limit: 30}
kinds:
  smith:
    stats:
      nails: {start: 0, min: 0, whole: true}
      arm: {start: 40, min: 0, max: 40, recover: {rate: 6, after: 0.5}}
actions: {strike: {by: smith, costs: {arm: 8}, do: [nails += 1]}}
rules: [{name: brittle iron, when: {every: 3}, chance: 0.3, do: [smith.nails -= 2]}]
endings: {filled: {result: win, if: smith.nails >= 16}, late: {result: lose, if: time >= 25}}
habits:
  steady: {by: smith, reaction: "between(0.4, 0.8)", acts: [{do: strike, if: arm >= 24}]}
  hasty: {by: smith, reaction: "between(0.3, 0.5)", slips: 0.2, acts: [{do: strike}]}
  idle: {by: smith, reaction: "between(2, 4)", slips: 0.5, acts: [{do: strike, if: arm >= 39}]}
measures: {nails: closing(smith.nails), arm: closing(smith.arm), strikes: "count_of(smith.arm, strike)"}
"""
HEADS = ["result", "time", "nails", "arm", "strikes"]


def _plays(game: mint.Game, shares: dict[str, int], seed: int, *, by_player: bool = False) -> Plays:
    rows = []
    for habit, count in shares.items():
        table = game.study(count, seed=seed, habit=habit, accounts=[]).measures[HEADS].to_numpy().tolist()
        rows += [[*row, f"{habit} {index // 5}"] for index, row in enumerate(table)]
    return make_plays(game, [*HEADS, "player"] if by_player else HEADS, rows if by_player else [r[:-1] for r in rows])


@pytest.mark.parametrize(
    ("repeats", "least"), [(range(6, 20, 6), 2), pytest.param(range(20), 15, marks=pytest.mark.night)]
)
def test_ninety_per_cent_intervals_hold_the_share_in_most_of_twenty(repeats: range, least: int) -> None:
    game, held = mint.loads(SMITHY), 0
    for repeat in repeats:
        steady = 15 + 6 * repeat
        mixture = game.mix_plays(
            _plays(game, {"steady": steady, "hasty": 150 - steady}, 700 + repeat), ["steady", "hasty"]
        )
        share = mixture.shares["steady"]
        held += share.low <= steady / 150 <= share.high
        assert sum(share.value for share in mixture.shares.values()) == pytest.approx(1.0)
    # Were they right, fewer than 15 of 20 came in one of a hundred times, and none or one of 3 in one of forty.
    assert held >= least


def test_plays_of_one_player_are_drawn_together() -> None:
    game = mint.loads(SMITHY)
    widths = [
        game.mix_plays(_plays(game, {"steady": 60, "hasty": 60}, 5, by_player=by_player), ["steady", "hasty"])
        .shares["steady"]
        .half_width
        for by_player in (False, True)
    ]
    assert widths[1] > 1.5 * widths[0]


def test_a_habit_that_is_missing_is_noticed_and_one_too_many_has_no_share() -> None:
    game = mint.loads(SMITHY)
    plays = _plays(game, {"steady": 90, "idle": 60}, 3)
    without = game.mix_plays(plays, ["steady", "hasty"])
    assert not without.fits
    assert "No mixture of these habits plays like the recorded plays" in " ".join(without.summary().split())
    all_three = game.mix_plays(plays, ["steady", "hasty", "idle"])
    assert all_three.fits
    assert all_three.shares["hasty"].value < 0.06
    assert all_three.shares["idle"].low < 0.4 < all_three.shares["idle"].high


def test_the_command_mixes_and_refuses(tmp_path: Path, command: Command) -> None:
    path = tmp_path / "smithy.yaml"
    path.write_text(SMITHY, "utf-8")
    game = mint.loads(SMITHY)
    table = game.study(40, seed=2, habit="hasty").measures[HEADS]
    table.to_csv(tmp_path / "plays.csv", index=False)
    asked = ("players", path, tmp_path / "plays.csv", "--mix", "steady")
    told = json.loads(command(*asked, "--mix", "hasty", "--json").stdout)
    assert told["shares"]["hasty"]["value"] > 0.8
    assert told["fits"]
    shown = command(*asked, "--mix", "hasty", "--plot", tmp_path / "mix.png", "-o", tmp_path / "mix.csv")
    assert shown.returncode == 0, shown.stderr
    assert (tmp_path / "mix.csv").read_text("utf-8").startswith("habit,share,low,high")
    assert "two habits at least" in command(*asked).stderr
    assert "no habit 'hasti'" in command(*asked, "--mix", "hasti").stderr
    assert "and no --fit" in command(*asked, "--mix", "hasty", "--fit", "x=0..1").stderr
