"""What commands do for others as calls: comparisons, reports, numbers for engines, books, stores."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint

DEMO = str(mint.demo_path())


def test_compare_is_the_command(command: Command, demo: mint.Game) -> None:
    words = ["compare", DEMO, "--habit", "careful", "--with", "crab.bite=15", "--runs", "200", "--json"]
    told = json.loads(command(*words).stdout)
    called = demo.compare(runs=200, habit="careful", dials={"crab.bite": 15}).as_json()
    assert json.loads(json.dumps(called)) == {key: told[key] for key in called}


def test_compare_takes_another_game_and_another_habit(demo: mint.Game) -> None:
    weak = demo.with_dials({"crab.bite": 0})
    one = demo.compare(weak, 200, habit="careful")
    alike = demo.compare(runs=200, habit="careful", dials={"crab.bite": 0})
    assert one.as_json()["differences"] == alike.as_json()["differences"]
    against = demo.compare(runs=200, habit="careful", other_habit="reckless")
    wins = {name: demo.study(200, habit=name).estimate("rate(win)").value for name in ("careful", "reckless")}
    row = next(row for row in against.as_json()["differences"] if row["name"] == "wins")
    assert row["difference"]["value"] == pytest.approx(wins["reckless"] - wins["careful"])


def test_export_is_the_command(command: Command, demo: mint.Game) -> None:
    told = json.loads(command("export", DEMO, "--variant", "calm").stdout)
    assert demo.export(["calm"]) == {key: told[key] for key in demo.export(["calm"])}


@pytest.mark.slow
def test_a_report_is_a_page(demo: mint.Game) -> None:
    page = demo.with_dials({"clock.limit": 20}).report(50)
    assert page.startswith("<!DOCTYPE html>") and "Saltmere Light" in page


def test_a_book_is_written_and_read_back(tmp_path: Path, demo: mint.Game) -> None:
    demo.with_dials({"crab.bite": 15}).write_book(tmp_path / "book.xlsx")
    back = demo.read_book(tmp_path / "book.xlsx")
    assert isinstance(back, mint.Game)
    assert back.dials["crab.bite"] == 15
    assert {name for name in demo.dials if demo.dials[name] != back.dials[name]} == {"crab.bite"}
    plain, changed = demo.to_yaml().splitlines(), back.to_yaml().splitlines()
    assert [new for old, new in zip(plain, changed, strict=True) if old != new] == [
        "  crab: {like: foe, copies: 3, room: 5, stats: {bite: 15}}"
    ]


@pytest.mark.filterwarnings("error")
def test_sobols_indices_say_which_dial_alone_decides() -> None:
    # The one wins where it is above 5, the other does nothing: all of the spread is the first one's.
    game = mint.loads("title: X\nclock: {limit: 1}\nstats: {a: 1, b: 1}\nendings: {up: {if: a > 5, result: win}}\n")
    one, other = game.sobol({"a": (0, 10), "b": "0..10"}, 32, 1)
    assert one.dial == "a" and one.first.value == pytest.approx(1.0, abs=0.2)
    assert other.total.value == pytest.approx(0.0, abs=0.05)
    assert all(0 <= known.low <= known.high for known in (one.first, one.total, other.first, other.total))


def test_a_store_is_a_call(tmp_path: Path, demo: mint.Game) -> None:
    short = demo.with_dials({"clock.limit": 20})
    study = short.study(60, store=tmp_path / "s.sqlite")
    with mint.Store(tmp_path / "s.sqlite") as store:
        [entry] = store.entries()
        assert store.show(entry.number).rate("lose") == study.rate("lose")
        assert all(one.is_sound for one in store.verify())


def test_all_that_is_named_is_there_and_nothing_else() -> None:
    for name in mint.__all__:
        assert getattr(mint, name) is not None
    with pytest.raises(AttributeError, match="no attribute 'nope'"):
        mint.nope  # type: ignore[attr-defined]  # noqa: B018


def test_all_long_calls_tell_their_progress_in_one_way(demo: mint.Game) -> None:
    short = demo.with_dials({"clock.limit": 20})
    told: list[tuple[int, int]] = []

    def tell(done: int, total: int) -> None:
        told.append((done, total))

    calls = {
        "study": lambda: short.study(120, habit="careful", progress=tell),
        "judge": lambda: short.judge(60, progress=tell),
        "compare": lambda: short.compare(runs=60, dials={"crab.bite": 1}, progress=tell),
        "sweep": lambda: short.sweep({"crab.bite": [1, 2]}, 20, progress=tell),
        "ends": lambda: short.ends(60, progress=tell),
        "audit": lambda: short.audit(5, only=["never-happened"], progress=tell),
        "sensitivity": lambda: short.sensitivity(["crab.bite"], 50, progress=tell),
        "matchups": lambda: short.matchups(progress=tell),
        "tune_most": lambda: short.tune_most({"crab.bite": "1..3"}, "rate(win)", runs=400, progress=tell),
    }
    for name, call in calls.items():
        told.clear()
        call()
        assert told, name
        assert all(0 <= done <= total for done, total in told), name
        assert told[-1][0] == told[-1][1], name


def test_what_is_done_of_a_study_knows_how_many_were_won() -> None:
    game = mint.loads(
        "title: X\nclock: {limit: 1}\nendings: {up: {result: win}}\n"
        "rules: [{when: start, do: [{if: chance(0.5), do: [{finish: up}]}]}]\n"
    )
    won: list[int] = []
    study = game.study(300, progress=lambda done, total: won.append(done.wins))  # type: ignore[attr-defined]
    assert won == sorted(won)
    assert won[-1] == round(300 * study.estimate("rate(win)").value)
