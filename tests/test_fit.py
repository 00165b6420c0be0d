"""Numbers of a habit fitted to recorded plays: against closed forms, and what is said where plays do not tell."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from scipy.stats import beta

import mint_ledger as mint
from mint_ledger.players import fitting
from mint_ledger.players.fit import Fit
from mint_ledger.players.recorded import make_plays
from mint_ledger.players.surrogate import Surrogate, functions_of_rows

TOSS = """
title: Toss
clock: {step: 1, limit: 20}
numbers: {p: 0.5, idle: 0.5, gift: 0}
stats: {chips: {start: 0, min: 0, whole: true}}
rules:
  - {name: toss, when: start, do: [{if: chance(p + gift), do: [{finish: heads}]}]}
  - {name: chip, when: {every: 1}, do: ["chips += whole(1, 6)"]}
endings:
  heads: {result: win}
  tails: {result: lose, if: time >= 2}
measures: {left: closing(chips)}
"""
# Who reacts late and who slips often swings as seldom.
SMITH = """
title: Smithy
clock: {step: 0.05, limit: 30}
numbers: {wait: 0.5, miss: 0.2}
kinds: {smith: {stats: {nails: {start: 0, min: 0, whole: true}}}}
actions: {strike: {by: smith, do: [nails += 1]}}
endings: {filled: {result: win, if: smith.nails >= 33}, late: {result: lose, if: time >= 25}}
habits: {steady: {by: smith, reaction: "between(0.8 * wait, 1.2 * wait)", slips: miss, acts: [{do: strike}]}}
measures: {nails: closing(smith.nails)}
"""


def _fit(game: mint.Game, wins: int, plays: int, **more: object) -> Fit:
    rows = [["win"]] * wins + [["lose"]] * (plays - wins)
    return game.fit_plays(make_plays(game, ["result"], rows), {"p": "0.05..0.95"}, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(("wins", "plays"), [(20, 100), pytest.param(41, 60, marks=pytest.mark.slow)])
def test_a_share_of_wins_is_fitted_as_in_closed_form(wins: int, plays: int) -> None:
    # All shares alike before: a beta distribution after, cut to the range.
    dial = _fit(mint.loads(TOSS), wins, plays).dials[0]
    low, high = beta.ppf((0.05, 0.95), wins + 1, plays - wins + 1)
    assert dial.value.value == pytest.approx(wins / plays, abs=0.025)
    assert dial.value.low == pytest.approx(low, abs=0.03)
    assert dial.value.high == pytest.approx(high, abs=0.03)
    assert dial.how_told == ("told" if plays >= 60 else "partly")


@pytest.mark.slow
def test_what_was_told_together_fits_as_the_rows_do(tmp_path: Path) -> None:
    game = mint.loads(TOSS)
    (tmp_path / "told.yaml").write_text("win: 41 of 60", "utf-8")
    told = game.fit_plays(game.read_plays(tmp_path / "told.yaml"), {"p": "0.05..0.95"}).dials[0].value
    rows = _fit(game, 41, 60).dials[0].value
    assert (told.value, told.low, told.high) == pytest.approx((rows.value, rows.low, rows.high), abs=0.015)


@pytest.mark.slow
def test_the_order_of_rows_does_not_matter_and_the_same_seed_says_the_same(tmp_path: Path) -> None:
    game, heads = mint.loads(TOSS), ["result", "left"]
    rows = game.study(40, seed=3).measures[heads].to_numpy().tolist()
    store = tmp_path / "kept.sqlite"
    one, other = (
        game.fit_plays(make_plays(game, heads, r), {"p": "0.1..0.9"}, store=store).as_json() for r in (rows, rows[::-1])
    )
    assert one == other
    with mint.Store(store) as opened:
        assert opened.banks() == 1


@pytest.mark.slow
def test_a_dial_that_does_nothing_is_not_told() -> None:
    game = mint.loads(TOSS)
    rows = [["win"]] * 30 + [["lose"]] * 30
    fit = game.fit_plays(make_plays(game, ["result"], rows), {"p": "0.05..0.95", "idle": "0..1"})
    told = {dial.name: dial.how_told for dial in fit.dials}
    assert told == {"p": "told", "idle": "not told"}
    assert "These plays do not determine idle" in fit.summary()


@pytest.mark.slow
def test_who_reacts_late_is_not_told_from_who_slips_often() -> None:
    game = mint.loads(SMITH)
    heads = ["result", "time", "nails"]
    rows = game.study(60, seed=9, dials={"wait": 0.5, "miss": 0.3}).measures[heads].to_numpy().tolist()
    fit = game.fit_plays(make_plays(game, heads, rows), {"wait": "0.2..1", "miss": "0..0.6"})
    assert "told" not in [dial.how_told for dial in fit.dials]
    assert [pair[:2] for pair in fit.tied] == [("wait", "miss")]
    assert fit.tied[0][2] < -0.7
    # What is told is how seldom a strike comes off: a reaction of so long, in so many that come off.
    rate = (1 - fit.draws[:, 1]) / fit.draws[:, 0]
    assert np.quantile(rate, 0.05) < 0.7 / 0.5 < np.quantile(rate, 0.95)
    assert np.std(rate) / np.mean(rate) < 0.15
    assert fit.fits


@pytest.mark.slow
def test_what_does_not_fit_is_said_and_no_change_is_told_for_it() -> None:
    game = mint.loads(TOSS)
    rows = [["win", 0]] * 30 + [["lose", 90]] * 30
    fit = game.fit_plays(make_plays(game, ["result", "left"], rows), {"p": "0.05..0.95"})
    assert not fit.fits
    assert "left" in fit.likeness.differs
    assert "No setting of these dials plays like the recorded plays" in fit.summary()
    with pytest.raises(mint.BadRequest, match="does not play like the recorded plays"):
        game.change_for(fit, {"gift": 0.1})
    told = game.change_for(fit, {"gift": 0.1}, anyway=True)
    assert "does not play like the recorded plays" in " ".join(told.summary().split())


@pytest.mark.slow
def test_a_change_for_real_players_is_that_of_the_closed_form() -> None:
    game = mint.loads(TOSS)
    changed = game.change_for(_fit(game, 40, 100), {"gift": 0.2})
    before, after, gap = changed.measures["win"]
    assert gap.low < 0.2 < gap.high
    assert gap.value == pytest.approx(0.2, abs=0.02)
    low, high = beta.ppf((0.05, 0.95), 41, 61)
    assert before.value == pytest.approx(0.4, abs=0.03)
    assert before.low < low + 0.03
    assert before.high > high - 0.03
    assert after.value == pytest.approx(before.value + 0.2, abs=0.02)
    with pytest.raises(mint.BadRequest, match="is fitted and cannot be changed"):
        game.change_for(_fit(game, 40, 100), {"p": 0.2})


@pytest.mark.parametrize(
    ("rows", "ranges", "message"),
    [
        ([["win", 3]] * 7 + [["lose", 4]] * 7, {"p": "0..1"}, "14 plays are too few"),
        ([["win", 3]] * 20, {"p": "0..1"}, "'left' is 3 in all plays"),
        ([["win", 3], ["lose", 4]] * 20, {"q": "0..1"}, "no dial 'q'"),
        ([["win", 3], ["lose", 4]] * 20, {"p": "0.5"}, "one value"),
        ([["win", 3], ["lose", 4]] * 20, {}, "1 to 5 dials"),
    ],
)
def test_what_cannot_be_fitted_is_refused(rows: list[list[object]], ranges: dict[str, str], message: str) -> None:
    game = mint.loads(TOSS)
    with pytest.raises(mint.MintError, match=message):
        game.fit_plays(make_plays(game, ["result", "left"], rows), ranges)


def test_few_plays_and_poor_ones_warn() -> None:
    warnings = " ".join(_fit(mint.loads(TOSS), 10, 20).warnings)
    assert "20 plays are few" in warnings
    assert "only results and times" in warnings


def test_settings_are_drawn_as_a_normal_likelihood_makes_them() -> None:
    # Means that are lines of two dials, with known noise: what is drawn is the normal distribution of least squares.
    luck = np.random.default_rng(1)
    theta = luck.random((400, 2)) * 2 - 1
    slopes = np.array([[1.0, 1.0], [1.0, -1.0]])
    bank = {name: (theta @ slopes[i])[:, None] + luck.normal(size=(400, 300)) for i, name in enumerate("ab")}
    functions = functions_of_rows({name: values.ravel() for name, values in bank.items()})[::4]
    model = Surrogate(np.full(2, -1.0), np.full(2, 1.0), theta, bank, functions)
    seen = np.array([f.of(np.full(1, (np.array([0.2, -0.1]) @ slopes[i])))[0] for i, f in enumerate(functions)])
    draws = model.draw(model.reduced(seen), 200.0, 4)
    assert draws.mean(axis=0) == pytest.approx([0.2, -0.1], abs=0.02)
    # Each sum and difference has the variance 1/200, so each dial a half of that.
    assert draws.std(axis=0) == pytest.approx(np.full(2, (1 / 400) ** 0.5), rel=0.15)


@pytest.mark.slow
def test_the_command_fits_and_writes_the_numbers(tmp_path: Path, command: Command) -> None:
    game = tmp_path / "smithy.yaml"
    game.write_text(SMITH, "utf-8")
    table = mint.loads(SMITH).study(80, seed=9, dials={"miss": 0.4}).measures[["result", "time", "nails"]]
    table.to_csv(tmp_path / "plays.csv", index=False)
    asked = ("players", game, tmp_path / "plays.csv", "--fit", "miss=0..0.8", "--store", tmp_path / "kept.sqlite")
    told = json.loads(command(*asked, "--with", "wait=0.3", "--json").stdout)
    dial = told["dials"][0]
    assert dial["low"] < 0.4 < dial["high"]
    assert told["fits"]
    assert told["change"]["measures"]["win"]["difference"]["value"] > 0
    done = command(*asked, "--write", "steady", "--plot", tmp_path / "fit.png", "-o", tmp_path / "fit.csv")
    assert done.returncode == 0, done.stderr
    assert max(len(line) for line in done.stdout.split("\n") if str(tmp_path) not in line) <= 80
    assert mint.load(game).dials.value("miss") == pytest.approx(dial["value"], rel=1e-6)
    assert "# " not in game.read_text("utf-8")
    assert (tmp_path / "fit.csv").read_text("utf-8").startswith("dial,today,value")
    assert "--write steady" in command(*asked, "--write", "other").stderr
    # With the numbers that were written it is another game.
    assert "holds 2 banks of runs for fits" in command("history", tmp_path / "kept.sqlite").stdout
    (tmp_path / "kept.sqlite").write_bytes(b"no store")
    assert "no store" in command(*asked).stderr


@pytest.mark.slow
def test_runs_that_are_kept_are_taken_and_damaged_ones_are_played_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    game, store = mint.loads(TOSS), tmp_path / "kept.sqlite"
    rows = game.study(40, seed=3).measures[["result", "left"]].to_numpy().tolist()
    plays, played = make_plays(game, ["result", "left"], rows), []
    real = fitting.simulated

    def counted(*arguments):  # type: ignore[no-untyped-def]
        played.append(1)
        return real(*arguments)

    monkeypatch.setattr(fitting, "simulated", counted)

    def fit() -> tuple[int, dict[str, object]]:
        played.clear()
        told = game.fit_plays(plays, {"p": "0.1..0.9"}, store=store).as_json()
        return len(played), told

    first, told = fit()
    kept, again = fit()
    assert kept <= first - 128
    assert told == again
    for change in ("update banks set content = zeroblob(40)", "update banks set checksum = zeroblob(32)"):
        with sqlite3.connect(store) as connection:
            connection.execute(change)
        assert fit() == (first, told)
