"""Shares of a difference: against hand arithmetic, all orders in exact fractions, and the changes that files have."""

from __future__ import annotations

import json
import re
import subprocess
from fractions import Fraction
from itertools import combinations, permutations
from math import factorial
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError
from mint_ledger.game.differing import file_changes
from mint_ledger.watching.change import change_between
from mint_ledger.watching.look import look_at

# What it comes to is known by hand: a + b, a * b and so on, with no chance in it.
SUM = """
title: Sum
clock: {{step: 1, limit: 3}}
numbers: {{a: {a}, b: {b}, c: {c}}}
stats: {{score: 0}}
rules:
  - {{name: adds, when: {{becomes: time >= 1}}, do: ["score += {formula}"]}}
measures: {{left: closing(score)}}
"""
LUCK = """
title: Luck
clock: {step: 1, limit: 20}
numbers: {hurt: 3, fix: 2, odds: 0.5}
stats: {health: {start: 10, min: 0}}
rules:
  - {name: hurts, when: {every: 1}, chance: odds, do: [health -= hurt]}
  - {name: fixes, when: {every: 2}, chance: 0.5, do: [health += fix]}
endings: {gone: {result: lose, if: health <= 0}, well: {result: win, if: time >= 15}}
"""


def _sum(formula: str, a: float, b: float, c: float) -> mint.Game:
    return mint.loads(SUM.format(formula=formula, a=a, b=b, c=c))


def _by_name(shares: object) -> dict[str, float]:
    return {part.changes[0].name: part.share.value for part in shares.parts}  # type: ignore[attr-defined]


def test_of_a_sum_each_has_its_own() -> None:
    one, other = _sum("a + 10 * b - c", 1, 2, 3), _sum("a + 10 * b - c", 4, 1, 8)
    shares = one.share_out(other, "mean(left)", runs=3)
    assert _by_name(shares) == {"b": -10.0, "c": -5.0, "a": 3.0}
    assert shares.difference.value == -12.0
    assert not shares.pairs
    assert all(part.alone == part.last for part in shares.parts)


def test_of_a_product_both_have_half_of_what_they_do_together() -> None:
    shares = _sum("a * b", 2, 3, 0).share_out(_sum("a * b", 5, 7, 0), "mean(left)", runs=2)
    # 2·3 to 5·7: a alone 9, a last 21; b alone 8, b last 20.
    assert _by_name(shares) == {"a": 15.0, "b": 14.0}
    [pair] = shares.pairs
    assert (pair.more.low, pair.more.value, pair.more.high) == (12.0, 12.0, 12.0)
    parts = {part.changes[0].name: part for part in shares.parts}
    assert (parts["a"].alone.value, parts["a"].last.value) == (9.0, 21.0)
    assert (parts["b"].alone.value, parts["b"].last.value) == (8.0, 20.0)


def test_three_that_do_something_together_agree_with_all_orders_in_fractions() -> None:
    before, after = {"a": 2, "b": 3, "c": 4}, {"a": 5, "b": 4, "c": 9}

    def worth(made: tuple[str, ...]) -> Fraction:
        v = {name: Fraction(after[name] if name in made else before[name]) for name in before}
        return v["a"] * v["b"] + v["b"] * v["c"] * v["c"] - v["a"] * v["c"]

    wanted = {name: Fraction(0) for name in before}
    for order in permutations(before):
        for place, name in enumerate(order):
            wanted[name] += (worth(order[: place + 1]) - worth(order[:place])) / factorial(3)
    games = [_sum("a * b + b * c * c - a * c", *side.values()) for side in (before, after)]
    found = _by_name(games[0].share_out(games[1], "mean(left)", runs=2))
    assert {name: pytest.approx(float(value), abs=1e-12) for name, value in wanted.items()} == found


def test_shares_add_up_in_a_game_of_chance_and_the_strong_pair_is_told() -> None:
    one = mint.loads(LUCK)
    other = one.with_dials({"hurt": 4, "fix": 5, "odds": 0.7})
    shares = one.share_out(other, runs=400, seed=5)
    both = [game.study(400, seed=5) for game in (one, other)]
    gap = both[1].rate("win").value - both[0].rate("win").value
    assert shares.difference.value == pytest.approx(gap, abs=1e-12)
    assert sum(part.share.value for part in shares.parts) == pytest.approx(gap, abs=1e-12)
    # The whole of the sampled answer from the eight games themselves.
    dials = {"hurt": 4.0, "fix": 5.0, "odds": 0.7}
    wins = {
        some: one.with_dials({name: dials[name] for name in some}).study(400, seed=5).rate("win").value
        for size in range(4)
        for some in combinations(dials, size)
    }
    for part in shares.parts:
        name = part.changes[0].name
        told = 0.0
        for some, value in wins.items():
            if name not in some:
                weight = factorial(len(some)) * factorial(2 - len(some)) / factorial(3)
                told += weight * (wins[tuple(n for n in dials if n in (*some, name))] - value)
        assert part.share.value == pytest.approx(told, abs=1e-12)
    for pair in shares.pairs:
        assert pair.more.low > 0.0 or pair.more.high < 0.0


def test_more_than_six_changes_are_shared_out_by_orders_that_are_drawn() -> None:
    names = "pqrstuvw"
    text = """
title: Many
clock: {{step: 1, limit: 3}}
numbers: {{{numbers}}}
stats: {{score: 0}}
rules: [{{name: adds, when: {{becomes: time >= 1}}, do: ["score += {formula}"]}}]
measures: {{left: closing(score)}}
"""
    formula = " + ".join(f"{n} * {place + 1}" for place, n in enumerate(names)) + " + p * q"
    games = [
        mint.loads(text.format(numbers=", ".join(f"{n}: {value}" for n in names), formula=formula)) for value in (1, 3)
    ]
    shares = games[0].share_out(games[1], "mean(left)", runs=400)
    found = {part.changes[0].name: part.share for part in shares.parts}
    assert shares.orders == 8
    # p·q goes from 1 to 9: 4 for each, on average over all orders; an order with its reverse makes it just that.
    for place, name in enumerate(names):
        assert found[name].value == pytest.approx(2 * (place + 1) + (4 if name in "pq" else 0), abs=1e-12)
    assert sum(share.value for share in found.values()) == pytest.approx(shares.difference.value, abs=1e-12)
    assert all(share.low <= share.value <= share.high for share in found.values())
    # p and q depend on the order, the others do not; of those that do not nothing is uncertain.
    assert found["p"].high > found["p"].low
    assert shares.plot().axes


def test_rules_that_came_and_went_are_one_change_each_and_go_with_what_they_need() -> None:
    before = """
title: Well
clock: {step: 1, limit: 10}
stats: {score: 0}
rules:
  - {name: rain, when: {every: 2}, do: [score += 1]}
  - {name: frost, when: {every: 5}, do: [score -= 1]}
measures: {left: closing(score)}
"""
    after = """
title: Well
clock: {step: 1, limit: 10}
stats: {score: 0, snow: {start: 3}}
rules:
  - {name: thaw, when: {becomes: time >= 5}, do: [score += snow]}
  - {name: rain, when: {every: 2}, do: [score += 2]}
measures: {left: closing(score)}
"""
    shares = mint.loads(before).share_out(mint.loads(after), "mean(left)", runs=2)
    told = {part.name: part.share.value for part in shares.parts}
    rain = next(value for name, value in told.items() if "rain" in name)
    frost = told["rule 'frost' dropped"]
    [snow] = [value for name, value in told.items() if "thaw" in name]
    assert len(told) == 3, told
    assert any("snow" in name and "thaw" in name for name in told)
    assert (rain, frost, snow) == (5.0, 2.0, 3.0)


def test_what_cannot_be_shared_out_is_said() -> None:
    game = mint.loads(LUCK)
    with pytest.raises(BadRequest, match="differ in nothing that is played"):
        game.share_out(game)
    with pytest.raises(BadRequest, match="rates and means can"):
        game.share_out(game.with_dials({"hurt": 4}), "median(time)")
    with pytest.raises(BadRequest, match="not every run has"):
        game.share_out(game.with_dials({"hurt": 4}), "mean(first_time(health <= 0))", runs=200)


def test_the_changes_of_two_files_lead_from_one_to_the_other() -> None:
    files = [mint.demo_path(), *sorted((Path(__file__).parents[1] / "examples").glob("*.yaml"))]
    games = [mint.load(path) for path in files]
    for one, other in permutations(games, 2):
        found = file_changes(one.source.data, other.source.data)
        says_nothing = ("mint_ledger", "about", "variants", "readout", "playtests", "measures", "targets", "allow")
        for made, game in ((found.data(()), one), (found.data(range(len(found.changes))), other)):
            data = {**game.source.data, "title": one.title}
            wanted = {key: value for key, value in data.items() if key not in says_nothing}
            assert made == wanted
            assert [key for key in made if key in ("kinds", "attacks", "rules")] == [
                key for key in wanted if key in ("kinds", "attacks", "rules")
            ]


@pytest.fixture
def repository(tmp_path: Path) -> Path:
    """A game with a table in git, and the next version of both as files."""
    game = """
title: Steps
clock: {step: 1, limit: 5}
tables: {step: {file: steps.csv}}
stats: {score: 0, bonus: 1}
rules: [{name: adds, when: {becomes: time >= 2}, do: ["score += step.worth[1] + bonus"]}]
measures: {left: closing(score)}
"""
    folder = tmp_path / "work"
    folder.mkdir()
    (folder / "steps.yaml").write_text(game)
    (folder / "steps.csv").write_text("n,worth\n1,10\n2,20\n")
    for arguments in (
        ("init", "-q"),
        ("add", "."),
        ("-c", "user.name=A", "-c", "user.email=a@b.c", "commit", "-qm", "one"),
    ):
        subprocess.run(["git", *arguments], cwd=folder, check=True)
    (folder / "steps.yaml").write_text(game.replace("bonus: 1", "bonus: 4"))
    (folder / "steps.csv").write_text("n,worth\n1,17\n2,20\n")
    return folder


def test_a_revision_of_git_is_compared_with_its_tables(command: Command, repository: Path) -> None:
    done = command(
        "compare",
        "HEAD:./steps.yaml",
        "steps.yaml",
        "--shares",
        "--measure",
        "mean(left)",
        "--runs",
        2,
        "--json",
        cwd=repository,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert told["difference"]["value"] == 10.0
    assert {change["name"]: change["share"]["value"] for change in told["changes"]} == {
        "step.worth[1] 10 → 17": 7.0,
        "bonus 1 → 4": 3.0,
    }


@pytest.mark.parametrize(
    ("revision", "said"),
    [
        ("HEAD~7:./steps.yaml", "git has no HEAD~7:./steps.yaml"),
        ("HEAD:./stepps.yaml", "git has no HEAD:./stepps.yaml"),
        ("--output=x:./steps.yaml", "does not begin with -"),
        (":./steps.yaml", "write HEAD~3:./saltmere.yaml"),
    ],
)
def test_what_git_does_not_have_is_said_in_a_line(
    monkeypatch: pytest.MonkeyPatch, repository: Path, revision: str, said: str
) -> None:
    monkeypatch.chdir(repository)
    with pytest.raises(BadRequest, match=re.escape(said)):
        mint.load_revision(revision)


def test_a_table_of_a_revision_does_not_leave_the_folder(monkeypatch: pytest.MonkeyPatch, repository: Path) -> None:
    monkeypatch.chdir(repository)
    text = (repository / "steps.yaml").read_text().replace("steps.csv", "../steps.csv")
    (repository / "steps.yaml").write_text(text)
    subprocess.run(
        ["git", "-c", "user.name=A", "-c", "user.email=a@b.c", "commit", "-qam", "two"], cwd=repository, check=True
    )
    with pytest.raises(GameError, match="outside the folder"):
        mint.load_revision("HEAD:./steps.yaml")


def test_a_save_says_which_change_moved_wins() -> None:
    one = mint.loads(LUCK)
    change = change_between(look_at(one, 300), look_at(one.with_dials({"hurt": 5, "fix": 3}), 300))
    [(_, shares)] = change.shares
    assert {part.changes[0].name for part in shares.parts} == {"hurt", "fix"}
    assert not change_between(look_at(one, 100), look_at(one.with_dials({"hurt": 5}), 100)).shares


def test_two_studies_of_a_store_say_why_they_differ(command: Command, tmp_path: Path) -> None:
    (tmp_path / "luck.yaml").write_text(LUCK)
    for dials in ((), ("--set", "hurt=5", "--set", "fix=3")):
        assert command("study", "luck.yaml", "--runs", 200, "--store", "kept.db", *dials).returncode == 0
    done = command("history", "kept.db", 1, "--compare", 2, "--shares")
    assert done.returncode == 0, done.stderr
    assert "hurt 3 → 5" in done.stdout
    assert "fix 2 → 3" in done.stdout
    assert command("history", "kept.db", 1, "--shares").returncode == 2
