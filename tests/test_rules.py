from __future__ import annotations

import pytest

import mint_ledger as mint

pytestmark = pytest.mark.smoke


def play(
    rules: str, kinds: str = "{}", stats: str = "{n: 0}", limit: float = 10, step: float = 0.1, **more: object
) -> mint.Run:
    text = f"title: Rules\nclock: {{step: {step}, limit: {limit}}}\nstats: {stats}\nkinds: {kinds}\nrules: {rules}\n"
    run = mint.loads(text).run(**more)  # type: ignore[arg-type]
    run.reconcile()
    return run


def told(run: mint.Run) -> list[str]:
    return list(run.journal.loc[run.journal["what"] == "tell", "text"])


def times(run: mint.Run) -> list[float]:
    return [round(t, 6) for t in run.journal.loc[run.journal["what"] == "tell", "time"]]


def test_a_timer_fires_after_each_period_without_drift() -> None:
    run = play("[{when: {every: 0.7}, do: [{tell: x}]}]", limit=700)
    assert len(times(run)) == 1000
    assert times(run)[:3] == [0.7, 1.4, 2.1]
    assert times(run)[-1] == 700


def test_the_first_firing_may_be_earlier() -> None:
    assert times(play("[{when: {every: 3, first: 1}, do: [{tell: x}]}]")) == [1, 4, 7, 10]


def test_several_firings_that_fall_into_one_step_all_happen() -> None:
    assert play("[{when: {every: 0.025}, do: [n += 1]}]", limit=1).statement("n").closing == 40


def test_a_period_that_changes_counts_from_the_last_firing() -> None:
    rules = "[{when: {every: 100, first: 3}, do: [pace = 1]}, {when: {every: pace}, do: [{tell: x}]}]"
    assert times(play(rules, stats="{pace: 2}", limit=6)) == [2, 3, 4, 5, 6]


def test_a_period_of_nothing_stops_the_run() -> None:
    with pytest.raises(mint.RunStopped, match="a period has to be longer than 0"):
        play("[{when: {every: n}, do: [{tell: x}]}]")


@pytest.mark.parametrize("engine", ["reference", "native"])
@pytest.mark.parametrize(
    ("when", "at"),
    [
        ("{every: 1e-9}", 0.1),  # 100,000,000 times in the first step
        ("{every: 0.01, first: -150}", 0.1),  # 15,000 times before the play begins
        ("{every: 'between(1e-9, 2e-9)'}", 0.1),
        ("{every: pace}", 2.1),  # from 2 s on the period is a millionth of a second
    ],
)
def test_what_is_due_too_often_stops_the_run_and_is_never_late(when: str, at: float, engine: str) -> None:
    rules = f"[{{when: {when}, do: [n += 1]}}, {{when: {{every: 2}}, do: [pace = 1e-6]}}]"
    with pytest.raises(mint.RunStopped, match=f"due more than 10,000 times in one step: .* at {at} s"):
        play(rules, stats="{n: 0, pace: 1}", limit=5, engine=engine)


def test_ten_thousand_times_in_a_step_are_all_carried_out() -> None:
    assert play("[{when: {every: 0.00001}, do: [n += 1]}]", limit=1).statement("n").closing == 100_000


def test_timers_under_a_kind_count_from_the_appearance() -> None:
    kinds = "{bee: {copies: 0, room: 1, rules: [{when: {every: 2}, do: [{tell: buzz}]}]}}"
    assert times(play("[{when: {every: 100, first: 3}, do: [{spawn: bee}]}]", kinds)) == [5, 7, 9]


def test_becomes_fires_on_turning_true_and_not_for_what_held_at_the_opening() -> None:
    rules = "[{when: {becomes: n < 5}, do: [{tell: low}]}, {when: {every: 1}, do: [n = 10 - n]}]"
    assert times(play(rules, stats="{n: 2}", limit=5)) == [2, 4]


def test_while_fires_in_each_step() -> None:
    assert play("[{when: {while: time < 0.55}, do: [n += 1]}]").statement("n").closing == 5


def test_guards_stand_beside_a_rule() -> None:
    assert times(play("[{when: {every: 1}, at_most: 2, do: [{tell: x}]}]")) == [1, 2]
    assert times(play("[{when: {every: 1}, cooldown: 3, do: [{tell: x}]}]")) == [1, 4, 7, 10]
    assert times(play("[{when: {every: 1}, if: time > 8.5, do: [{tell: x}]}]")) == [9, 10]
    assert times(play("[{when: {every: 1}, chance: 0, do: [{tell: x}]}]")) == []


def test_let_values_are_worked_out_once_and_in_order() -> None:
    rules = (
        '[{when: {every: 1}, at_most: 1, let: {a: 3, b: a * 2}, if: b == 6, do: [n += b, n += b, {tell: "{a} {b}"}]}]'
    )
    run = play(rules)
    assert told(run) == ["3 6"]
    assert run.statement("n").closing == 12


def test_each_goes_over_those_present_in_copy_order() -> None:
    kinds = "{pot: {copies: 3, stats: {heat: 0}}}"
    rules = "[{when: start, do: [{remove: 'pot[2]'}, {each: pot, do: [other.heat += 5, {tell: '{other}'}]}]}]"
    run = play(rules, kinds)
    assert told(run) == ["pot[1]", "pot[3]"]
    assert run.at(1)["pot[2].heat"] == 0


def test_if_and_else() -> None:
    rules = "[{when: {every: 1}, at_most: 2, do: [{if: time < 1.5, do: [{tell: early}], else: [{tell: late}]}]}]"
    assert told(play(rules)) == ["early", "late"]


def test_a_reaction_follows_at_once_and_depth_first() -> None:
    rules = """
  - {name: go, when: {every: 1}, at_most: 1, do: [n = 1, {cue: done}, {tell: go}]}
  - {name: one, when: {becomes: n == 1}, do: [n = 2, {tell: one}]}
  - {name: two, when: {becomes: n == 2}, do: [{tell: two}]}
  - {name: heard, when: {cue: done}, do: [{tell: heard}]}
"""
    assert told(play(rules)) == ["go", "one", "two", "heard"]


def test_a_reaction_loop_is_stopped_and_named() -> None:
    rules = """
  - {name: start it, when: {every: 1}, do: [n = 1]}
  - {name: ping, when: {becomes: n == 1}, do: [n = 2]}
  - {name: pong, when: {becomes: n == 2}, do: [n = 1]}
"""
    with pytest.raises(mint.RunStopped, match=r"64 deep .* ping → pong → ping|64 deep .* pong → ping → pong"):
        play(rules)


def test_what_came_and_went_within_one_do_is_not_seen() -> None:
    assert told(play("[{when: {every: 5}, do: [n = 9, n = 0]}, {when: {becomes: n > 5}, do: [{tell: x}]}]")) == []


def test_a_cue_brings_its_values() -> None:
    rules = "[{when: {cue: landed}, if: cue.speed > 6, do: [n += 4 * (cue.speed - 6)]}]"
    script = [{"at": 1, "cue": "landed", "with": {"speed": 5}}, {"at": 2, "cue": "landed", "with": {"speed": 9}}]
    assert play(rules, script=script).statement("n").closing == 12


def test_whoever_has_gone_is_readable_in_its_gone_rules_and_names_who_did_it() -> None:
    text = """
title: Fair
clock: {step: 0.1, limit: 5}
kinds:
  archer: {copies: 2, side: blue, stats: {score: 0}}
  target:
    side: red
    stats: {health: {start: 5, min: 0}, worth: 7}
    gone_if: health <= 0
    rules: [{name: prize, when: gone, do: [other.score += worth]}]
attacks: {arrow: {from: archer, to: target, damage: 5}}
"""
    run = mint.loads(text).run(script=[{"at": 1, "hit": "target", "with": "arrow", "by": "archer[2]", "sure": True}])
    assert run.at(2)["archer[2].score"] == 7
    assert run.at(2)["archer[1].score"] == 0


def test_nothing_is_simultaneous_whoever_is_defeated_no_longer_strikes() -> None:
    text = """
title: Duel
clock: {step: 0.1, limit: 5}
kinds:
  a: {side: a, stats: {health: {start: 3, min: 0}}, gone_if: health <= 0}
  b: {side: b, stats: {health: {start: 3, min: 0}}, gone_if: health <= 0}
attacks:
  first: {from: a, to: b, when: {every: 1}, damage: 3}
  second: {from: b, to: a, when: {every: 1}, damage: 3}
"""
    run = mint.loads(text).run()
    assert run.at(5)["a.health"] == 3
    assert run.at(5)["b.health"] == 0


def test_a_spawn_takes_the_lowest_free_number_and_a_full_room_refuses() -> None:
    kinds = "{bee: {copies: 2, room: 3, stats: {honey: 4}, rules: [{when: {cue: sting}, if: honey > 4, do: [{remove: self}]}]}}"
    rules = """
  - {when: {every: 100, first: 1}, do: ["bee[1].honey = 9", {remove: "bee[1]"}, {spawn: bee}]}
  - {when: {every: 1, first: 2}, at_most: 2, do: [{spawn: bee}]}
"""
    run = play(rules, kinds)
    spawned = run.journal[run.journal["what"] == "spawn"]
    # in the step in which bee[1] left its number is not free yet
    assert list(spawned["entity"]) == ["bee[3]", "bee[1]"]
    assert run.at(2)["bee[1].honey"] == 4
    refused = run.journal[run.journal["what"] == "refused"]
    assert list(refused["text"]) == ["no room for one more bee"]


def test_an_absent_entity_refuses_postings_and_reads_as_last_known() -> None:
    kinds = "{bee: {copies: 2, stats: {honey: 4}}}"
    rules = "[{when: start, do: ['bee[2].honey = 6', {remove: 'bee[2]'}, 'bee[2].honey += 1', 'n = bee[2].honey']}]"
    run = play(rules, kinds)
    assert run.statement("n").closing == 6
    assert "refused" in set(run.journal["what"])


def test_untouched_counts_from_the_last_change() -> None:
    rules = "[{when: {every: 3}, at_most: 1, do: [n += 1]}, {when: {becomes: n.untouched >= 4}, do: [{tell: quiet}]}]"
    assert times(play(rules)) == [7]


def test_finish_ends_the_run_after_the_present_do_without_reactions() -> None:
    text = """
title: Stop
clock: {step: 0.1, limit: 5}
stats: {n: 0}
rules:
  - {when: {every: 1}, do: [{finish: enough}, n = 7]}
  - {when: {becomes: n == 7}, do: [n = 8]}
endings: {enough: {result: draw}}
"""
    run = mint.loads(text).run()
    assert (run.result, run.ending, run.time, run.statement("n").closing) == ("draw", "enough", 1, 7)


def test_at_the_clocks_limit_a_run_is_unfinished() -> None:
    run = play("[{when: {every: 1}, do: [n += 1]}]", limit=3)
    assert (run.result, run.ending, run.time) == ("unfinished", "", 3)


def test_an_ending_under_a_kind_names_the_winner() -> None:
    kinds = "{runner: {copies: 3, stats: {metres: 0, pace: 1}, endings: {home: {result: win, if: metres >= 5}}}}"
    run = play(
        "[{when: start, do: ['runner[2].pace = 2']}, {when: {every: 1}, do: [{each: runner, do: [other.metres += other.pace]}]}]",
        kinds,
    )
    assert (run.result, run.winner, run.time) == ("win", "runner[2]", 3)
