"""Lots: branches by weight, guarantees, drawings without repeats; and their odds, against closed forms and sampling."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint

CHEST = """
title: Chest
clock: {unit: turn, limit: 1001}
kinds:
  hero:
    stats: {blade: 0, broth: 0, luck: 3, got: 0}
    rules: [{name: opens, when: {every: 1}, do: [{lot: drop}]}]
lots:
  drop:
    of:
      broth: {weight: 60, do: [broth += 1]}
      blade: {weight: luck, sure_by: 40, do: [blade += 1]}
      nothing: {weight: 37}
"""


def drawn(run: mint.Run) -> list[str]:
    """The branches that came, one after another."""
    rows = run.journal[run.journal["what"] == "lot"]
    return [cause.partition(": ")[2] for cause in rows["cause"]]


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_branch_comes_at_the_latest_as_it_says_and_is_the_cause(engine: str) -> None:
    game = mint.loads(CHEST)
    came = [drawn(game.run(9, run=k, engine=engine)) for k in range(3)]
    for branches in came:
        gaps = np.diff([-1, *(place for place, name in enumerate(branches) if name == "blade")])
        assert max(gaps) <= 40
        assert 40 in gaps
    run = game.run(9, engine=engine)
    [line] = list(run.statement("hero.blade").lines)
    assert (line.cause, line.changes) == ("drop: blade", came[0].count("blade"))
    run.reconcile()


def test_the_odds_are_those_of_the_closed_forms() -> None:
    lot = mint.loads(CHEST).odds().lot("drop")
    p, n = 0.03, 40
    blade = lot.branch("blade")
    mean = (1 - (1 - p) ** n) / p
    assert blade.mean == pytest.approx(mean, rel=1e-12)
    assert blade.long_run == pytest.approx(1 / mean, rel=1e-12)
    assert blade.latest == 40
    assert blade.half == stats.geom(p).median()
    # It would take 99 drawings in nineteen of twenty cases; the guarantee makes it 40.
    assert (stats.geom(p).ppf(0.95), blade.most) == (99, 40)
    assert blade.at[:39] == pytest.approx([p] * 39, rel=1e-12)
    assert blade.at[39] == pytest.approx(p + (1 - p) * (1 - p) ** 39, rel=1e-12)
    # The others share what is left as their weights say.
    left = 1 - blade.long_run
    assert lot.branch("broth").long_run == pytest.approx(left * 60 / 97, rel=1e-12)
    assert sum(branch.long_run for branch in lot.branches) == pytest.approx(1, rel=1e-12)


def test_without_a_guarantee_the_drawings_are_geometric() -> None:
    text = "kinds: {a: {stats: {h: 1}}}\nlots: {d: {of: {x: 1, y: 3, z: 16, never: 0}}}"
    lot = mint.loads(text).odds().lot("d")
    for name, p in (("x", 0.05), ("y", 0.15), ("z", 0.8)):
        branch, truth = lot.branch(name), stats.geom(p)
        assert (branch.long_run, branch.mean) == (pytest.approx(p), pytest.approx(1 / p))
        assert (branch.half, branch.most) == (truth.ppf(0.5), truth.ppf(0.95))
        assert branch.latest is None
    assert lot.branch("never").mean == math.inf
    assert lot.branch("never").half is None


def test_of_two_that_are_due_the_first_in_the_file_comes_and_the_other_next() -> None:
    text = """
    clock: {unit: turn, limit: 13}
    kinds: {a: {stats: {h: 1}, rules: [{name: r, when: {every: 1}, do: [{lot: d}]}]}}
    lots: {d: {of: {none: 1, first: {weight: 0, sure_by: 4}, second: {weight: 0, sure_by: 4}}}}
    """
    game = mint.loads(text)
    expected = ["none", "none", "none", "first", "second", "none", "none"]
    expected += ["first", "second", "none", "none", "first"]
    assert drawn(game.run())[:12] == expected
    lot = game.odds().lot("d")
    assert [lot.branch("first").at[k] for k in range(8)] == [0, 0, 0, 1, 0, 0, 0, 1]
    assert lot.branch("second").latest == 5
    assert lot.branch("first").long_run == pytest.approx(1 / 4)


def test_two_guarantees_against_many_drawings() -> None:
    text = """
    clock: {unit: turn, limit: 2001}
    kinds: {hero: {stats: {h: 1}, rules: [{name: r, when: {every: 1}, do: [{lot: d}]}]}}
    lots: {d: {of: {a: {weight: 3, sure_by: 12}, b: {weight: 1, sure_by: 30}, n: 96}}}
    """
    game = mint.loads(text)
    lot = game.odds().lot("d")
    study = game.study(60, measures={"a": "count_of('d: a')", "b": "count_of('d: b')"})
    for name in ("a", "b"):
        low, high = study.estimate(f"mean({name})").interval(0.9999)
        # The first drawings are of a self that has drawn nothing yet.
        branch = game.odds(drawings=2000).lot("d").branch(name)
        assert low <= sum(branch.at) <= high
        assert branch.at[-1] == pytest.approx(lot.branch(name).long_run, rel=1e-3)


def test_a_guarantee_counts_for_each_self_or_for_the_game_and_across_levels() -> None:
    text = """
    clock: {unit: turn, limit: 10}
    kinds: {a: {copies: 2, stats: {h: 0}, rules: [{name: r, when: {every: 1}, do: [{lot: d}]}]}}
    levels: {one: {until: level_time >= 2, next: two}, two: {}}
    lots: {d: {of: {none: 1, sure: {weight: 0, sure_by: 4, do: [h += 1]}}%s}}
    """
    apart, together = (mint.loads(text % more).run() for more in ("", ", shared: true"))
    assert [apart.at(t)["a[1].h"] + apart.at(t)["a[2].h"] for t in (3, 4, 7, 8)] == [0, 2, 2, 4]
    assert [together.at(t)["a[1].h"] + together.at(t)["a[2].h"] for t in (2, 4, 6, 8)] == [1, 2, 3, 4]


def test_several_drawings_without_repeats_are_all_different() -> None:
    text = """
    clock: {unit: turn, limit: 300}
    kinds: {a: {stats: {h: 0}, rules: [{name: r, when: {every: 1}, do: [{lot: d, times: 3, without: repeats}]}]}}
    lots: {d: {of: {w: 1, x: 1, y: 1, z: 1}}}
    """
    came = drawn(mint.loads(text).run())
    hands = [came[k : k + 3] for k in range(0, len(came), 3)]
    assert all(len(set(hand)) == 3 for hand in hands)
    assert stats.chisquare([came.count(name) for name in "wxyz"]).pvalue > 1e-4
    more = text.replace("times: 3", "times: 5")
    with pytest.raises(mint.GameError, match="draws 5 without repeats, and the lot 'd' has 4 branches"):
        mint.loads(more)
    with pytest.raises(mint.GameError, match="draws 1e"):
        mint.loads(text.replace("times: 3, without: repeats", "times: 1e12"))
    with pytest.raises(mint.RunStopped, match="10,000 times at most"):
        mint.loads(text.replace("times: 3, without: repeats", "times: h + 1e12")).run()
    with pytest.raises(mint.RunStopped, match="too few branches"):
        mint.loads(text.replace("times: 3", "times: 3 + h + 2")).run()


def test_self_and_other_are_those_of_whoever_draws_and_weights_read_them() -> None:
    text = """
    clock: {unit: turn, limit: 40}
    kinds:
      hero: {stats: {health: 9, broth: 0, luck: 0}}
      crate: {copies: 30, room: 30, stats: {rich: 1}, gone_if: time >= rich * 3, rules: [{name: g, when: gone, do: [{lot: drop}]}]}
    rules: [{name: feeds, when: {every: 1}, do: [{each: crate, do: [{lot: fed}]}]}]
    lots:
      drop: {of: {broth: {weight: self.rich, do: [hero.broth += 1]}, none: {weight: 1 - self.rich}}}
      fed: {of: {yes: {weight: other.rich, do: [hero.luck += other.rich]}}}
    """
    run = mint.loads(text).run()
    assert run.at(39)["hero.broth"] == 30
    assert run.at(1)["hero.luck"] == 30


def test_all_weights_of_0_stop_the_run_and_are_named() -> None:
    with pytest.raises(mint.RunStopped, match="all weights of the lot 'drop' are 0"):
        mint.loads(
            CHEST.replace("60", "luck - 3").replace("luck, sure", "luck - 3, sure").replace("37", "0 * luck")
        ).run()
    with pytest.raises(mint.RunStopped, match="the weight of 'broth' in the lot 'drop' is below 0"):
        mint.loads(CHEST.replace("60", "0 - luck")).run()


@pytest.mark.parametrize(
    ("old", "new", "fault"),
    [
        ("{lot: drop}", "{lot: drops}", "unknown lot 'drops', did you mean 'drop'"),
        ("weight: 60", "weight: -1", "a weight is 0 or more, not -1"),
        ("weight: luck", "weight: luk", "unknown name 'luk', did you mean 'luck'"),
        ("weight: luck", "weight: chance(0.5)", "chance (chance) may not stand in a weight"),
        ("sure_by: 40", "sure_by: 0", "greater than or equal to 1"),
        ("broth += 1", "{lot: drop}", "lots draw each other without end: drop → drop"),
        ("{lot: drop}", "{lot: drop, without: luck}", "'luck' is not one of repeats"),
    ],
)
def test_what_is_no_lot_is_told(old: str, new: str, fault: str) -> None:
    with pytest.raises(mint.GameError) as error:
        mint.loads(CHEST.replace(old, new, 1))
    assert fault in str(error.value)


def test_weights_are_dials_and_accounts_can_be_asked_about(command: Command, tmp_path: object) -> None:
    game = mint.loads(CHEST)
    assert {"drop.broth.weight", "drop.blade.sure_by", "drop.nothing.weight"} <= set(game.dials.names)
    assert game.odds(dials={"drop.blade.sure_by": 10}).lot("drop").branch("blade").latest == 10
    assert game.odds(at={"hero.luck": 97}).lot("drop").branch("blade").at[0] == pytest.approx(0.5)
    (tmp_path / "chest.yaml").write_text(CHEST, encoding="utf-8")  # type: ignore[operator]
    answer = command("odds", "chest.yaml", "--at", "hero.luck=97", "--json")
    [lot] = json.loads(answer.stdout)["lots"]
    assert lot["branches"][1]["at"][0] == pytest.approx(0.5)
    told = command("odds", "chest.yaml").stdout
    assert "blade" in told
    assert "40" in told
    assert max(map(len, told.splitlines())) <= 80
    assert command("odds", "chest.yaml", "--at", "hero.luk=1").returncode == 2


def test_the_exact_answer_knows_lots() -> None:
    text = """
    clock: {unit: turn, limit: 6}
    kinds: {a: {stats: {h: 0}, rules: [{name: r, when: {every: 1}, do: [{lot: d}]}]}}
    lots: {d: {of: {none: 2, sure: {weight: 1, sure_by: 4, do: [h += 1]}}}}
    endings: {done: {result: win, if: a.h >= 1}}
    """
    exact = mint.loads(text).exact()
    assert exact.rate("win") == pytest.approx(1)
    assert exact.mean_time == pytest.approx(1 + 2 / 3 + 4 / 9 + 8 / 27)


def test_pick_takes_weights() -> None:
    text = """
    clock: {unit: turn, limit: 4001}
    stats: {hue: {one_of: [red, blue]}, reds: 0, roll: 0, low: 0}
    kinds: {a: {stats: {h: 1}}}
    rules:
      - {name: r, when: {every: 1}, do: ["hue = pick(red, blue, weights=(3, h))", "roll = pick(1, 2, 9, weights=[1, 0, 4])"]}
      - {name: c, when: {every: 1}, do: [{if: hue == red, do: [reds += 1]}, {if: roll < 3, do: [low += roll]}]}
    """
    game = mint.loads(text.replace("weights=(3, h)", "weights=(3, a.h)"))
    run = game.run()
    assert stats.binomtest(int(run.at(4000)["reds"]), 4000, 0.75).pvalue > 1e-4
    assert stats.binomtest(int(run.at(4000)["low"]), 4000, 0.2).pvalue > 1e-4
    for formula, fault in (
        ("pick(1, 2, weights=(1, 2, 3))", "2 values and 3 weights"),
        ("weights(1, 2)", "stands at the end of pick"),
        ("pick(1, 2, weight=(1, 2))", "takes no named values"),
    ):
        with pytest.raises(mint.GameError, match=fault):
            mint.loads(f'kinds: {{a: {{stats: {{h: 1}}, rules: [{{when: start, do: ["h = {formula}"]}}]}}}}')
    with pytest.raises(mint.RunStopped, match=r"all weights of pick\(\) are 0"):
        mint.loads(text.replace("weights=(3, h)", "weights=(a.h - 1, 0)")).run()
