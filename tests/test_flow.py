from __future__ import annotations

import pytest
from conftest import postings

import mint_ledger as mint

LAMP = """
title: Lamp
clock: {{step: {step}, limit: {limit}}}
kinds: {{lamp: {{stats: {{oil: {oil}, on: true, pace: 2}}}}}}
rules: {rules}
"""


def play(oil: str, rules: str = "[]", step: float = 0.05, limit: float = 20) -> mint.Run:
    run = mint.loads(LAMP.format(oil=oil, rules=rules, step=step, limit=limit)).run()
    run.reconcile()
    return run


@pytest.mark.parametrize("step", [0.05, 0.01, 0.25, 1])
def test_a_fade_is_exact_at_any_number_of_steps_a_second(step: float) -> None:
    run = play("{start: 90, min: 0, fade: {rate: 0.3}}", step=step)
    for time in (1, 5, 13, 20):
        assert run.at(time)["lamp.oil"] == 90 - 0.3 * time


def test_a_flow_makes_one_row_however_many_steps_it_took() -> None:
    rows = postings(play("{start: 90, min: 0, fade: {rate: 0.5}}"), "lamp.oil")
    assert [(r["since"], r["time"], r["applied"], r["waste"]) for r in rows] == [(0, 20, -10, 0)]


def test_a_flow_stops_at_its_end_and_wastes_nothing() -> None:
    rows = postings(play("{start: 3, min: 0, fade: {rate: 0.5}}"), "lamp.oil")
    assert [(r["time"], r["after"], r["waste"]) for r in rows] == [(6, 0, 0)]


def test_reading_a_flow_never_closes_it() -> None:
    rules = "[{when: {every: 1}, do: [{tell: 'oil {lamp.oil}'}]}]"
    run = play("{start: 90, min: 0, fade: {rate: 0.5}}", rules)
    assert len(postings(run, "lamp.oil")) == 1
    assert "oil 89.5" in run.story()


def test_recovery_waits_from_the_opening_too() -> None:
    run = play("{start: 10, max: 20, recover: {rate: 1, after: 3}}")
    assert run.at(3)["lamp.oil"] == 10
    assert run.at(5)["lamp.oil"] == 12


def test_any_change_starts_the_wait_again_gains_as_well_as_losses() -> None:
    gain = "[{when: {every: 100, first: 2}, do: [lamp.oil += 1]}]"
    loss = "[{when: {every: 100, first: 2}, do: [lamp.oil -= 1]}]"
    stat = "{start: 10, min: 0, max: 50, recover: {rate: 1, after: 3}}"
    assert play(stat, gain).at(5)["lamp.oil"] == 11
    assert play(stat, gain).at(6)["lamp.oil"] == 12
    assert play(stat, loss).at(5)["lamp.oil"] == 9
    assert play(stat, loss).at(6)["lamp.oil"] == 10


def test_a_hit_that_the_floor_refuses_whole_starts_the_wait_again() -> None:
    rules = "[{when: {every: 1, first: 1}, at_most: 3, do: [lamp.oil -= 5]}]"
    run = play("{start: 5, min: 0, max: 50, recover: {rate: 1, after: 4}}", rules)
    assert run.at(7)["lamp.oil"] == 0  # the third hit, at 3 s, took nothing and was tried all the same
    assert run.at(9)["lamp.oil"] == 2


def test_a_combo_at_its_cap_holds_while_beads_come() -> None:
    rules = "[{when: {every: 1}, at_most: 9, do: [lamp.oil += 1]}]"
    run = play("{start: 0, min: 0, max: 3, fade: {at_once: true, after: 2}}", rules)
    assert [run.at(t)["lamp.oil"] for t in (3, 9, 10.95, 11)] == [3, 3, 3, 0]


def test_recover_only_gives_and_fade_only_takes() -> None:
    gift = "[{when: {every: 100, first: 10}, do: [lamp.oil += 40]}]"
    # 5 and 10 s of 2 are 25; the gift makes 65, and it goes on from there
    assert play("{start: 5, recover: {rate: 2}}", gift).at(15)["lamp.oil"] == 75
    assert play("{start: 5, recover: {rate: 2, to: 30}}", gift).at(15)["lamp.oil"] == 65
    assert play("{start: 5, fade: {rate: 2}}").at(15)["lamp.oil"] == -25
    both = "{start: 5, recover: {rate: 2, to: 30}, fade: {rate: 1, to: 60}}"
    assert [play(both, gift).at(t)["lamp.oil"] for t in (10, 13, 20)] == [65, 62, 60]


def test_a_gate_holds_the_flow_and_lets_it_go_on() -> None:
    rules = (
        "[{when: {every: 100, first: 2}, do: [lamp.on = false]}, {when: {every: 100, first: 5}, do: [lamp.on = true]}]"
    )
    run = play("{start: 50, min: 0, fade: {rate: 1, if: on}}", rules)
    assert [run.at(t)["lamp.oil"] for t in (2, 4, 5, 7)] == [48, 48, 48, 46]


def test_a_rate_that_changes_anchors_the_flow_anew_without_a_row() -> None:
    rules = "[{when: {every: 100, first: 2}, do: [lamp.pace = 4]}]"
    run = play("{start: 50, min: 0, fade: {rate: pace}}", rules, limit=6)
    assert [run.at(t)["lamp.oil"] for t in (2, 3, 6)] == [46, 42, 30]
    assert len(postings(run, "lamp.oil")) == 1


def test_a_whole_stat_gains_whole_points_and_keeps_what_has_built_up() -> None:
    # half a point a second: +1 every 2 s; a shot at 3 s does not cost the half point built up since 2 s
    rules = "[{when: {every: 100, first: 3}, do: [lamp.oil -= 1]}]"
    run = play("{start: 4, min: 0, max: 9, whole: true, recover: {rate: 0.5}}", rules)
    assert [run.at(t)["lamp.oil"] for t in (1.95, 2, 3, 3.95, 4, 6)] == [4, 5, 4, 4, 5, 6]


def test_a_negative_rate_stops_the_run_and_names_the_flow() -> None:
    with pytest.raises(mint.RunStopped, match=r"lamp\.oil\.fade"):
        play("{start: 4, min: 0, fade: {rate: pace - 5}}")


def test_a_flow_at_once_without_an_end_is_a_fault_of_the_file() -> None:
    with pytest.raises(mint.GameError, match="at_once wants an end to go to"):
        play("{start: 4, fade: {at_once: true}}")
    with pytest.raises(mint.GameError, match="both have a 'rate', or both are 'at_once'"):
        play("{start: 4, recover: {rate: 1}, fade: {to: 0, at_once: true}}")


def test_conditions_see_a_flow_cross_their_value() -> None:
    rules = "[{name: low, when: {becomes: lamp.oil < 40}, do: [{tell: low}]}]"
    run = play("{start: 50, min: 0, fade: {rate: 1}}", rules)
    told = run.journal[run.journal["what"] == "tell"]
    assert list(told["time"]) == [10.05]  # at 10 s it is 40, and 39.95 one step later


@pytest.mark.parametrize("engine", ["reference", "native"])
@pytest.mark.parametrize(
    ("stat", "rule", "at"),
    [
        # 40 and 5 s of recovery are 45; 75 lies past the end, and stays there unless it fades as well.
        ("{start: 40, max: 100, recover: {to: 50, rate: 1}}", "lamp.oil += 30", {5: 75, 8: 75, 20: 75}),
        (
            "{start: 40, max: 100, recover: {to: 50, rate: 1}, fade: {to: 50, rate: 1}}",
            "lamp.oil += 30",
            {5: 75, 8: 72, 20: 60},
        ),
        (
            "{start: 40, max: 100, recover: {to: 50, rate: 1, after: 2}, fade: {to: 50, rate: 1, after: 2}}",
            "lamp.oil += 30",
            {5: 73, 7: 73, 8: 72},
        ),
        ("{start: 40, max: 100, recover: {to: 50, rate: 1}}", "lamp.oil = 50", {5: 50, 20: 50}),
        ("{start: 60, min: 0, fade: {to: 50, rate: 1}}", "lamp.oil -= 30", {5: 25, 8: 25, 20: 25}),
        (
            "{start: 60, min: 0, whole: true, fade: {to: 50, rate: 1}, recover: {to: 50, rate: 1}}",
            "lamp.oil -= 30",
            {5: 25, 8: 28, 20: 40},
        ),
    ],
)
def test_what_is_moved_past_the_end_of_its_flow_comes_back_only_by_a_flow_of_the_other_way(
    stat: str, rule: str, at: dict[float, float], engine: str
) -> None:
    rules = f"[{{when: {{every: 5}}, at_most: 1, do: ['{rule}']}}]"
    game = mint.loads(LAMP.format(oil=stat, rules=rules, step=0.05, limit=20))
    run = game.run(engine=engine)
    run.reconcile()
    assert {time: run.at(time)["lamp.oil"] for time in at} == at
