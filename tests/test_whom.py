"""Actions done to somebody: to whom, when they are refused or called off, and habits that choose, wait and go on.

Expected values are arithmetic on the games as they are written here.
"""

from __future__ import annotations

import pytest
from both_engines import assert_same
from scipy import stats

import mint_ledger as mint

WARD = """
title: Ward
clock: {{step: 0.5, limit: 6}}
kinds:
  sleeper:
    copies: [{{warmth: 9}}, {{warmth: 4}}, {{warmth: 4}}]
    stats: {{warmth: {{start: 9, min: 0}}, seen: 0}}
    gone_if: warmth <= 0
  nurse: {{stats: {{oil: {{start: 2, min: 0, whole: true}}, tea: 0}}}}
actions:
  blanket: {{by: nurse, to: {to}, costs: {{oil: {cost}}}, do: [other.warmth += 10]{more}}}
{rest}
"""


def game(rest: str = "", *, to: str = "sleeper", cost: str = "1", more: str = "") -> mint.Game:
    return mint.loads(WARD.format(rest=rest, to=to, cost=cost, more=f", {more}" if more else ""))


def warmth(run: mint.Run, at: float = 6) -> list[float]:
    run.reconcile()
    values = run.at(at)
    return [values[f"sleeper[{k}].warmth"] for k in (1, 2, 3)]


def habit(acts: str, more: str = "") -> str:
    return f"habits:\n  kind: {{by: nurse, reaction: 5{more}, acts: [{acts}]}}"


@pytest.mark.parametrize(
    ("act", "expected"),
    [
        ("{do: blanket}", [19, 4, 4]),  # nothing said: the first
        ("{do: blanket, to: {least: other.warmth}}", [9, 14, 4]),
        ("{do: blanket, to: {most: other.warmth, if: other.warmth < 9}}", [9, 14, 4]),
        ("{do: blanket, to: {if: other.warmth > 20}}", [9, 4, 4]),  # nobody of whom it holds: not begun
        ("{do: wait}, {do: blanket}", [9, 4, 4]),
        ("{do: wait, if: tea > 0}, {do: blanket}", [19, 4, 4]),
    ],
)
def test_a_habit_chooses_to_whom_an_action_is_done(act: str, expected: list[float]) -> None:
    run = game(habit(act)).run()
    assert warmth(run) == expected
    if sum(expected) > 17:
        assert f"nurse does blanket to sleeper[{1 if 19 in expected else 2}]" in run.story()
    assert run.at(6)["nurse.oil"] == (1 if sum(expected) > 17 else 2)


def test_whoever_goes_on_acts_until_nothing_can_be_done_any_more() -> None:
    run = game(habit("{do: blanket, to: {least: other.warmth}}", ", goes_on: true")).run()
    assert warmth(run) == [9, 14, 14] and run.at(6)["nurse.oil"] == 0


def test_a_player_that_goes_on_without_end_stops_the_run_and_says_so() -> None:
    with pytest.raises(mint.RunStopped, match="did 64 acts at once"):
        game(habit("{do: blanket}", ", goes_on: true"), cost="0").run()


def test_any_is_each_of_them_with_the_same_chance_also_in_exact_answers() -> None:
    text = habit("{do: blanket, to: any}") + "\nendings: {third: {result: win, if: 'sleeper[3].warmth > 9'}}"
    drawn = game(text)
    assert drawn.exact(habit="kind").rate("win") == pytest.approx(1 / 3, abs=1e-12)
    names = [f"sleeper[{k}]" for k in (1, 2, 3)]
    study = drawn.study(6_000, habit="kind", measures={name: f"highest({name}.warmth)" for name in names})
    counts = [int((study.to_frame()[name] > 9).sum()) for name in names]
    assert sum(counts) == 6_000 and stats.chisquare(counts).pvalue > 0.001


def test_what_is_needed_and_paid_may_depend_on_whom_it_is_done_to() -> None:
    by_warmth = game(habit("{do: blanket}"), cost="other.warmth / 2")
    run = by_warmth.run()  # the first costs 4.5, the second 2: only that one can be paid
    assert warmth(run) == [9, 14, 4] and run.at(6)["nurse.oil"] == 0
    needed = game(habit("{do: blanket}"), more="needs: other.warmth < 5")
    assert warmth(needed.run()) == [9, 14, 4]


@pytest.mark.parametrize(
    ("whom", "why"),
    [
        ("nurse", "it is not done to this one"),
        ("sleeper[3]", None),
        ("sleeper[2]", "whom it is done to is not there"),
    ],
)
def test_a_script_says_to_whom_and_what_is_refused_has_a_row(whom: str, why: str | None) -> None:
    text = WARD.format(rest="", to="sleeper", cost="1", more="").replace("oil: {", "warmth: 1, oil: {")
    run = mint.loads(text).run(script=[{"at": 1, "remove": "sleeper[2]"}, {"at": 2, "act": "blanket", "to": whom}])
    assert run.at(3)["sleeper[3].warmth"] == (4 if why else 14)
    if why is not None:
        assert why in run.story()


def test_nobody_does_it_to_oneself_unless_self_is_listed() -> None:
    def of(to: str) -> dict[str, float]:
        text = WARD.format(rest=habit("{do: blanket}"), to=to, cost="1", more="")
        return mint.loads(text.replace("oil: {", "warmth: 1, oil: {")).run().at(6)

    assert of("[nurse, sleeper]")["nurse.warmth"] == 1
    assert of("[self, sleeper]")["sleeper[1].warmth"] + of("[self, sleeper]")["nurse.warmth"] == 20
    assert of("self")["nurse.warmth"] == 11


def test_an_action_that_lasts_is_called_off_where_the_one_it_is_done_to_leaves_and_its_costs_are_lost() -> None:
    rest = (
        habit("{do: blanket, to: {least: other.warmth}}")
        + """
rules:
  - {when: {becomes: time >= 5.5}, do: [{remove: "sleeper[2]"}]}
  - {when: {act: blanket}, do: [other.seen += 1]}
"""
    )
    run = game(rest, more="lasts: 0.8").run()
    assert run.at(6)["nurse.oil"] == 1 and run.at(6)["sleeper[3].warmth"] == 4
    assert "calls blanket off" in run.story() or "called off" in run.story()


def test_a_rule_that_hears_of_it_knows_to_whom_it_was_done() -> None:
    rest = (
        habit("{do: blanket, to: {least: other.warmth}}") + "\nrules: [{when: {act: blanket}, do: [other.seen += 1]}]"
    )
    end = game(rest).run().at(6)
    assert [end[f"sleeper[{k}].seen"] for k in (1, 2, 3)] == [0, 1, 0]


def test_by_hand_an_action_is_done_to_whom_one_says() -> None:
    session = game().play()
    session.act("blanket", to="sleeper[3]")
    assert session.values()["sleeper[3].warmth"] == 14


@pytest.mark.parametrize(
    ("rest", "to", "message"),
    [
        (habit("{do: blanket, to: all}"), "sleeper", "wants 'any', or a choice like"),
        (habit("{do: blanket, to: {least: other.cold}}"), "sleeper", "sleeper has no stat 'cold'"),
        (habit("{do: wait, to: any}"), "sleeper", "'wait' is no action; only 'if' and 'weight'"),
        ("", "slepper", "unknown kind 'slepper', did you mean 'sleeper'"),
        ("actions2: {}", "sleeper", "unknown key 'actions2'"),
    ],
)
def test_what_cannot_be_is_refused(rest: str, to: str, message: str) -> None:
    with pytest.raises(mint.GameError, match=message):
        game(rest, to=to)


@pytest.mark.parametrize("acts", ["{do: blanket, to: any}", "{do: blanket, to: {least: floor(other.warmth)}}"])
def test_both_engines_agree(acts: str) -> None:
    rest = habit(acts, ", goes_on: true").replace("reaction: 5", "reaction: 0.5")
    rest += "\nrules: [{when: {every: 1}, do: [{each: sleeper, do: ['other.warmth -= between(0, 2)']}]}]"
    assert_same(game(rest).lowered, "kind", runs=range(4))
    assert_same(game(rest.replace(", goes_on: true", ""), more="lasts: 0.8").lowered, "kind", runs=range(4))
