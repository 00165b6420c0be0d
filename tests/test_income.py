"""What comes in and goes out: against hand arithmetic, the books of the same runs, and both engines."""

from __future__ import annotations

import json

import numpy as np
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import GameError, NotFound

WELL = """
title: Well
clock: {step: 0.5, limit: 40}
stats: {water: {start: 0, min: 0, max: 25, recover: {rate: 1}}}
rules:
  - {name: spill, when: {every: 17}, do: [water -= 3]}
endings: {done: {result: win, if: time >= 38}}
"""
# Ten coins every third turn; the shop is open in turns 5 to 9, 15 to 19 and so on. A lamp costs 25, a bun 5.
SHOP = """
title: Shop
clock: {unit: turn, limit: 30}
numbers: {pay: 10}
stats: {open: 0}
kinds:
  clerk: {stats: {coins: {start: 0, min: 0}, lamps: 0, buns: 0}}
actions:
  buy_lamp: {by: clerk, needs: open == 1, costs: {coins: 25}, do: [lamps += 1]}
  buy_bun: {by: clerk, needs: open == 1, costs: {coins: 5}, do: [buns += 1]}
rules:
  - {name: wages, when: {every: 3}, do: [clerk.coins += pay]}
  - {name: opens, when: {becomes: "time % 10 >= 5"}, do: [open = 1]}
  - {name: shuts, when: {becomes: "time % 10 < 5"}, do: [open = 0]}
habits: {thrifty: {by: clerk, reaction: 1, acts: [{do: buy_lamp}]}}
"""


def test_what_flows_is_shared_out_over_the_intervals() -> None:
    income = mint.loads(WELL).income("water", 2)
    # 38 s in intervals of 5: the last one ends with the run. At 25 it is full from 28 s on, until 3 spill at 34; again from 37 on.
    assert income.edges.tolist() == [0.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0]
    moves = [income.moves(place) for place in range(8)]
    assert [moved["recover"][0] for moved in moves] == pytest.approx([5, 5, 5, 5, 5, 3, 1, 2])
    assert [moved["spill"][1] for moved in moves] == pytest.approx([0, 0, 0, -3, 0, 0, -3, 0])
    assert [income.bands(place)[1] for place in range(7)] == pytest.approx([5, 10, 15, 17, 22, 25, 23])
    assert income.total().value == pytest.approx(25.0)
    assert income.total(sign=1).value == pytest.approx(31.0)
    assert income.full is not None
    assert income.full[0] == pytest.approx(7.0)
    assert (income.opening.tolist(), income.closing.tolist()) == ([0.0, 0.0], [25.0, 25.0])


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_offers_are_counted_with_what_there_was(engine: str) -> None:
    income = mint.loads(SHOP).income("clerk.coins", 2, habit="thrifty", engine=engine)
    offers = {offer.action: offer for offer in income.offers}
    lamp, bun = offers["buy_lamp"], offers["buy_bun"]
    # 10 to 30 coins come by turns 3, 6, 9; the shop opens three times; no bun is ever bought.
    assert lamp.each("times").value == bun.each("times").value == 3.0
    assert bun.each("taken").value == 0.0
    assert bun.each("could").value == bun.each("left").value == 3.0
    coins = income.gains["wages"][0]
    lamps = -income.losses["buy_lamp"][0] / 25
    assert coins == 100.0
    assert lamps == lamp.each("taken").value >= 1.0
    assert lamp.each("could").value >= lamp.each("taken").value
    assert income.closing[0] == coins - 25 * lamps


def test_an_action_that_lasts_is_taken_as_it_begins() -> None:
    text = SHOP.replace("costs: {coins: 5}", "costs: {coins: 5}, lasts: 2").replace("buy_lamp}]", "buy_bun}]")
    bun = {offer.action: offer for offer in mint.loads(text).income("clerk.coins", 2, habit="thrifty").offers}[
        "buy_bun"
    ]
    begun = -mint.loads(text).income("clerk.coins", 2, habit="thrifty").losses["buy_bun"][0] / 5
    assert bun.each("taken").value == begun > 1.0
    assert bun.each("could").value >= begun


def test_the_demo_adds_up_to_its_books(demo: mint.Game) -> None:
    for account in ("keeper.oil", "keeper.health", "keeper.stamina", "keeper.broth"):
        income = demo.income(account, 40, habit="careful")
        books = demo.study(40, habit="careful", accounts=[account]).by_cause(account).set_index("cause")
        for cause, row in books.iterrows():
            assert income.total(str(cause)).value == pytest.approx(row["total"], abs=1e-9)
        change = income.closing - income.opening
        assert income.total().value == pytest.approx(float(change.mean()), abs=1e-9)
        assert income.thirds.sum(axis=1) == pytest.approx(change, abs=1e-9)
        each = sum(float(points.sum()) for points in income.flows.values()) / 40
        assert each == pytest.approx(income.total().value, abs=1e-9)


def test_it_says_when_a_stock_runs_away_or_dries_up() -> None:
    rises = "title: R\nclock: {step: 1, limit: 60}\nstats: {gold: {start: 5, min: 0}}\n"
    rises += (
        "rules: [{name: mine, when: {every: 1}, do: [gold += 2]}, {name: tools, when: {every: 5}, do: [gold -= 1]}]\n"
    )
    assert mint.loads(rises).income("gold", 20).runs_away
    held = rises.replace("min: 0}", "min: 0, max: 30}")
    assert not mint.loads(held).income("gold", 20).runs_away
    falls = "title: F\nclock: {step: 1, limit: 60}\nstats: {gold: {start: 20, min: 0, fade: {rate: 1}}}\n"
    dry = mint.loads(falls).income("gold", 20)
    assert dry.ends_dry
    assert dry.dry_at is not None
    assert np.unique(dry.dry_at).tolist() == [20.0]
    # It is empty from 20 to 60 s: two thirds of the time, by hand.
    assert "first after 20 s (median), and 66.7 % of the time." in " ".join(dry.summary().split())
    slower = mint.loads(falls.replace("rate: 1", "rate: 0.2")).income("gold", 20)
    assert not slower.ends_dry
    assert not slower.runs_away


def test_the_command_tells_it_within_eighty_letters(command: Command) -> None:
    done = command(
        "study", mint.demo_path(), "--habit", "careful", "--runs", 60, "--income", "keeper.stamina", "--plot", "in.png"
    )
    assert done.returncode == 0, done.stderr
    assert "offered, except for its price" in done.stdout
    assert max(map(len, done.stdout.splitlines())) <= 80
    told = json.loads(
        command(
            "study", mint.demo_path(), "--runs", 40, "--habit", "careful", "--income", "keeper.oil", "--json"
        ).stdout
    )
    assert told["net"]["value"] == pytest.approx(told["comes_in"]["value"] + told["goes_out"]["value"])
    assert command("study", mint.demo_path(), "--income", "keeper.oil", "--ends").returncode == 2


def test_what_is_wrong_is_said(demo: mint.Game) -> None:
    with pytest.raises(NotFound, match=r"did you mean 'keeper\.oil'"):
        demo.income("keeper.oill", 2)
    for text, said in (
        ("offers(swimg)", "did you mean 'swing'"),
        ("offers(swing, prices)", "offers tells times, held, could, taken"),
        ("offers(sip)", "costs nothing"),
    ):
        with pytest.raises(GameError, match=said):
            demo.study(1, measures=[text])
