"""Formulas of the file's own are what is written out in their place, to the last bit, and are told of where they stand."""

from __future__ import annotations

from typing import Any

import pytest
from both_engines import assert_same

import mint_ledger as mint

CALLED = """
title: Bellows
clock: {step: 0.1, limit: 30}
numbers: {scale: 100}
tables: {ward: {columns: [rank, part], rows: [[1, 0.9], [2, 0.8]]}}
stats: {heat: {start: 2}}
formulas:
  soft: {of: [x], is: x / (x + scale)}
  hurt: {of: [power, who], is: "power * (1 - soft(who.armour)) * ward.part[heat]"}
  roll: {of: [n], is: "dice(n, 6)"}
  twice: {of: [x], is: x + x}
  cooled: {is: "heat > 1 and chance(0.5)"}
  ratio: {of: [x, y], is: x / y - 0.5}
kinds:
  smith:
    stats:
      health: {start: 300, min: 0}
      armour: {start: "40 + roll(3)"}
      keen: {formula: "soft(armour) * 2"}
  spark: {copies: 2, stats: {health: 30, armour: 0, bite: 12}}
attacks:
  sear: {from: spark, to: smith, when: {every: "0.5 + roll(1) / 10"}, damage: "hurt(bite, other) + twice(roll(1))"}
rules:
  - {name: cools, when: {every: 1}, if: cooled() or smith.keen > 5, do: ["smith.health += 1"]}
  - {name: low, when: {becomes: "soft(smith.health) < 0.4"}, do: ["heat = 1"]}
endings:
  out: {result: lose, if: smith.health < 1}
  done: {result: win, if: time > 20}
measures:
  ratio: ratio(closing(smith.health), 300)
  early: first_time(soft(smith.health) < 0.6)
"""
WRITTEN_OUT = {
    "soft(armour)": "armour / (armour + scale)",
    "soft(smith.health)": "smith.health / (smith.health + scale)",
    "hurt(bite, other)": "bite * (1 - other.armour / (other.armour + scale)) * ward.part[heat]",
    "twice(roll(1))": "2 * dice(1, 6)",
    "roll(1)": "dice(1, 6)",
    "roll(3)": "dice(3, 6)",
    "if: cooled()": 'if: "heat > 1 and chance(0.5)',
    "keen > 5": 'keen > 5"',
    "ratio(closing(smith.health), 300)": "closing(smith.health) / 300 - 0.5",
}


def written_out() -> str:
    head, _, rest = CALLED.partition("formulas:")
    text = head + rest[rest.index("kinds:") :]
    for call, formula in WRITTEN_OUT.items():
        assert call in text
        text = text.replace(call, formula)
    return text


def test_a_game_is_the_same_with_its_formulas_written_out() -> None:
    named, plain = mint.loads(CALLED), mint.loads(written_out())
    for run in range(20):
        one, other = (game.run(seed=4, run=run).journal for game in (named, plain))
        assert one.equals(other)
    one, other = (game.study(runs=300, seed=2) for game in (named, plain))
    assert one.measures.equals(other.measures)
    assert one.measures["early"].notna().any() and one.measures["ratio"].nunique() > 0


def test_both_engines_agree() -> None:
    assert_same(mint.loads(CALLED).lowered, None, runs=range(10))


def test_what_is_handed_over_is_worked_out_once() -> None:
    # Two dice that are the same one come to even sums alone.
    game = mint.loads(
        """
        title: Even
        clock: {step: 1, limit: 1}
        formulas: {twice: {of: [x], is: x + x}, roll: {is: "dice(1, 6)"}}
        stats: {one: {start: "twice(dice(1, 6))"}, two: {start: roll() + roll()}}
        """
    )
    frame = game.study(runs=2000, seed=1, measures={"one": "closing(one)", "two": "closing(two)"}).measures
    assert set(frame["one"]) == {2, 4, 6, 8, 10, 12}
    assert set(frame["two"]) == set(range(2, 13))


def test_its_constants_and_dials_are_those_of_the_game() -> None:
    game = mint.loads(CALLED)
    softer = game.with_dials({"scale": 300})
    assert softer.run(seed=1).at(3)["smith.health"] < game.run(seed=1).at(3)["smith.health"]
    again = mint.loads(softer.to_yaml())
    assert again.run(seed=1).at(99) == softer.run(seed=1).at(99)
    assert "soft: {of: [x], is: x / (x + scale)}" in softer.to_yaml()


def test_what_a_stat_is_read_by_goes_through_the_formula() -> None:
    unread = mint.loads(CALLED.replace("who.armour", "0").replace("soft(armour)", "1"))
    read = mint.loads(CALLED)
    found = [game.audit(only=["stat-never-read"]).summary(notes=True) for game in (unread, read)]
    assert "smith.armour" in found[0] and "smith.armour" not in found[1]


@pytest.mark.parametrize(
    ("formulas", "call", "told"),
    [
        ("{a: {of: [x], is: b(x)}, b: {of: [x], is: a(x)}}", "1", "'a' goes round in a circle"),
        ("{log: {of: [x], is: x}}", "1", "'log' is a call that formulas know without the file"),
        ("{a: {of: [x], is: x + self.armour}}", "1", "'self' is known only where the formula is called"),
        ("{a: {of: [x], is: x + armour}}", "1", "'armour' is a stat of smith; hand it over: 'of: [x, armour]'"),
        ("{a: {of: [x], is: z + 1}}", "1", "unknown name 'z'"),
        ("{a: {of: [x], is: sqr(x)}}", "1", "unknown call 'sqr', did you mean 'sqrt'?"),
        ("{a: {of: [x, x], is: x + 1}}", "1", "'x' stands twice in 'of'"),
        ("{a: {of: [time], is: time + 1}}", "1", "'time' has a meaning of its own"),
        ("{a: {of: [smith], is: 1 + smith}}", "1", "'smith' is a kind; choose another name"),
        ("{a: {is: 5}}", "1", "this is a number and no formula; under 'numbers:' it is a dial"),
        ("{a: {of: [x]}}", "1", "'is' is missing"),
        ("{a: {of: 5, is: x + 1}}", "1", "wants a name or a list of names"),
        ("{}", "a(3)", "unknown call 'a'"),
        ("{soft: {of: [x], is: x + 1}}", "sofd(3)", "unknown call 'sofd', did you mean 'soft'?"),
        ("{soft: {of: [x], is: x + 1}}", "soft()", "soft() wants 1 value (x), not 0"),
        ("{soft: {of: [x], is: x + 1}}", "soft(1, 2)", "soft() wants 1 value (x), not 2"),
        ("{soft: {is: time + 1}}", "soft(1)", "soft() wants no values, not 1"),
        ("{soft: {of: [x], is: x.armour + 1}}", "soft(3)", "in 'soft': unknown entity 'x'"),
        ("{soft: {of: [x], is: x + 1}}", "soft(self)", "in 'soft': 'x' is an entity; a number is wanted here"),
        ("{soft: {is: 'chance(0.5)'}}", "soft()", "in 'soft': chance (chance) may not stand in"),
    ],
)
def test_what_is_wrong_is_told_once_where_it_stands(formulas: str, call: str, told: str) -> None:
    text = f"""
    title: Faults
    clock: {{step: 1, limit: 3}}
    formulas: {formulas}
    kinds: {{smith: {{stats: {{armour: 5, y: {{formula: "{call}"}}}}}}}}
    """
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    faults = caught.value.faults
    assert sum(told in fault.message for fault in faults) == 1, str(caught.value)
    assert len(faults) == (2 if "goes round" in told else 1), str(caught.value)
    assert faults[0].place.line == (4 if call == "1" else 5)


def test_formulas_that_only_lead_into_a_circle_are_not_blamed() -> None:
    text = """
    title: Circle
    clock: {step: 1, limit: 3}
    formulas: {a: {of: [x], is: a(x)}, b: {of: [x], is: a(x)}}
    stats: {s: {formula: b(1)}}
    """
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    assert [fault.path for fault in caught.value.faults] == ["formulas.a.is"]


@pytest.mark.parametrize("body", ["f{0}(x + 1) + f{0}(x + 2)", "f{0}(f{0}(x) + 1)"])
def test_calls_that_grow_without_end_are_refused(body: str) -> None:
    formulas: dict[str, object] = {"f0": {"of": ["x"], "is": "x * 1.1"}}
    formulas |= {f"f{i}": {"of": ["x"], "is": body.format(i - 1)} for i in range(1, 19)}
    with pytest.raises(mint.GameError, match="formulas are called more than 1,000 times"):
        mint.Game(title="Deep", formulas=formulas, stats={"s": {"formula": "f18(time)"}}).play()


def test_what_is_called_often_with_the_same_is_written_out_once() -> None:
    formulas: dict[str, object] = {"f0": {"of": ["x"], "is": "x / 2"}}
    formulas |= {f"f{i}": {"of": ["x"], "is": f"f{i - 1}(x) + f{i - 1}(x)"} for i in range(1, 15)}
    game = mint.Game(title="Wide", clock={"limit": 1}, formulas=formulas, stats={"s": {"start": "f14(3)"}})
    assert game.run().at(99)["s"] == 3 / 2 * 2**14


def test_no_formula_is_missed_where_it_is_deep() -> None:
    formulas = {f"f{i}": {"of": ["x"], "is": f"f{i - 1}(x)" if i else "x + 1"} for i in range(25)}
    with pytest.raises(mint.GameError, match="'f20' calls others 21 deep, and 20 deep is the most"):
        mint.Game(title="Deep", formulas=formulas).play()


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_measures_and_their_formulas_read_the_numbers_of_the_file(engine: Any) -> None:
    game = mint.loads(
        """
title: Lamp oil
clock: {limit: 4, step: 1}
numbers: {soft: 3}
kinds: {lamp: {stats: {oil: {start: 6}}}}
formulas: {eased: {of: [v], is: v / (v + soft)}}
measures: {left: eased(closing(lamp.oil)), worth: closing(lamp.oil) * soft}
"""
    )
    for soft in (3, 2, 6):
        measured = game.study(3, dials={"soft": soft}, engine=engine).measures
        assert list(measured["left"]) == [6 / (6 + soft)] * 3
        assert list(measured["worth"]) == [6.0 * soft] * 3
    with pytest.raises(mint.GameError, match="unknown measure 'sofd', did you mean 'soft'"):
        game.study(1, measures=["time * sofd"])
