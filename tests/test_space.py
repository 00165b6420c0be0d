from __future__ import annotations

import math

import pytest

import mint_ledger as mint

FIELD = """
title: Field
clock: {{step: {step}, limit: 10}}
space: {{}}
stats: {{met: 0}}
kinds:
  hen: {{side: a, where: [0, 0], radius: 0.5, {hen}, stats: {{health: 20, pace: 3}}}}
  fox: {{side: b, where: [10, 0], radius: 0.5, {fox}, stats: {{health: 20}}}}
rules: [{{name: meets, when: {{meet: [hen, fox]}}, do: [met += 1]}}]
{more}
"""


def play(
    hen: str = "faces: 0", fox: str = "faces: 180", step: float = 0.05, more: str = "", script: tuple = ()
) -> mint.Run:
    run = mint.loads(FIELD.format(hen=hen, fox=fox, step=step, more=more)).run(script=list(script))
    run.reconcile()
    return run


def place(run: mint.Run, time: float, who: str = "hen") -> tuple[float, float]:
    values = run.at(time)
    return values[f"{who}.x"], values[f"{who}.y"]


@pytest.mark.parametrize("step", [0.01, 0.05, 0.25])
def test_motion_at_a_constant_speed_is_exact_at_any_step(step: float) -> None:
    # from the second step on; the first moves nothing, as a course is set at the end of step 1
    run = play("moves: {ahead: 2}", "faces: 0", step)
    assert place(run, 5) == (pytest.approx(2 * (5 - step), abs=1e-12), 0)


def test_whoever_goes_to_a_place_arrives_there_exactly_and_stops() -> None:
    run = play("moves: {along: [[3, 4]], speed: 2}")
    assert place(run, 2.55) == (pytest.approx(3, abs=1e-9), pytest.approx(4, abs=1e-9))
    assert place(run, 5) == (3, 4)
    assert run.at(5)["hen.faces"] == pytest.approx(math.degrees(math.atan2(4, 3)))


def test_between_two_points_it_goes_back_and_forth() -> None:
    run = play("moves: {between: [[0, 0], [0, 4]], speed: 4}", "faces: 0")
    heights = [place(run, t)[1] for t in (0.55, 1.05, 1.55, 2.05)]
    assert [round(h) for h in heights] == [2, 4, 2, 0]


def test_a_plot_shows_the_turns_that_make_no_row() -> None:
    run = play("moves: {between: [[0, 0], [0, 4]], speed: 4}", "faces: 0")
    times, values = run.path("hen.y")
    at = dict(zip([round(t, 2) for t in times], values, strict=True))
    assert [round(at[t]) for t in (0.55, 1.05, 1.55, 2.05)] == [2, 4, 2, 0]
    assert (times[0], values[0], times[-1]) == (0, 0, 10)


def test_toward_meets_and_away_flees() -> None:
    toward = play("moves: {toward: fox, speed: 3}")
    assert toward.at(5)["met"] == 1 and place(toward, 5) == (10, 0)
    away = play("moves: {away: fox, speed: 2}")
    assert away.at(5)["met"] == 0
    assert place(away, 5)[0] == pytest.approx(-2 * 4.95)


def test_moves_are_chosen_by_condition_and_speed_is_a_stat_that_goes_back_below_zero() -> None:
    moves = "moves: [{if: time < 2, still: true}, {ahead: self.pace}]"
    run = play(moves, script=({"at": 4, "set": "hen.pace = -1"},))
    assert place(run, 2)[0] == 0
    assert place(run, 4)[0] == pytest.approx(6)
    assert place(run, 6)[0] == pytest.approx(4, abs=0.2)


@pytest.mark.parametrize("rate", [20, 200])
def test_a_fast_thrown_thing_hits_the_same_target_at_20_and_at_200_steps_a_second(rate: int) -> None:
    # 60 a second is 3 a step at 20 steps a second; the target is 1 across
    run = play(
        "moves: {ahead: 60}", "faces: 0", 1 / rate, "attacks: {knock: {from: hen, to: fox, when: meets, damage: 5}}"
    )
    assert run.at(2)["fox.health"] == 15
    assert run.at(2)["met"] == 1


def test_who_passes_at_a_distance_does_not_touch() -> None:
    assert play("moves: {ahead: 60}", "faces: 0", 0.05, "").at(3)["met"] == 1
    missed = FIELD.format(hen="moves: {ahead: 60}", fox="faces: 0", step=0.05, more="").replace(
        "where: [10, 0]", "where: [10, 1.01]"
    )
    assert mint.loads(missed).run().at(3)["met"] == 0


def test_contact_begins_lasts_and_ends() -> None:
    more = "  - {name: again, when: {every: 100}, do: [met += 0]}\n"
    text = FIELD.format(hen="moves: {ahead: 2}", fox="faces: 0", step=0.1, more="").replace(
        "do: [met += 1]}]", "do: [met += 1]}, {name: held, when: {every: 100}, do: [met += 0]}]"
    )
    text = text.replace("  fox: {side: b,", "  fox: {rules: [{when: {in_contact: hen}, do: [health -= 1]}], side: b,")
    run = mint.loads(text).run()
    # 1 on either side of 10: from 9 to 11 at 2 a second is 1 s, or 11 steps with both ends
    assert more and run.at(9)["fox.health"] == 9
    assert run.at(9)["met"] == 1


@pytest.mark.parametrize(("angle", "struck"), [(29.9, True), (30.1, False), (-29.9, True), (-30.1, False)])
def test_an_angle_just_inside_and_just_outside_the_arc(angle: float, struck: bool) -> None:
    run = play(
        f"faces: {angle}",
        "faces: 0",
        more="attacks: {peck: {from: hen, to: fox, when: {every: 1}, arc: 60, damage: 1}}",
    )
    assert (run.at(5)["fox.health"] < 20) == struck


@pytest.mark.parametrize(("reach", "struck"), [(9.99, False), (10, True)])
def test_reach_is_the_distance_between_centres(reach: float, struck: bool) -> None:
    run = play(more=f"attacks: {{peck: {{from: hen, to: fox, when: {{every: 1}}, reach: {reach}, damage: 1}}}}")
    assert (run.at(5)["fox.health"] < 20) == struck


@pytest.mark.parametrize(("faces", "left"), [(0, 14), (180, 16), (89, 14), (91, 16)])
def test_a_strike_from_behind_does_more_and_skips_the_dodge(faces: float, left: float) -> None:
    # the hen stands at 0 and the fox at 10: a fox that looks along x has its back to the hen
    more = "attacks: {peck: {from: hen, to: fox, damage: 4, behind: {times: 1.5, skips: [dodge]}}}"
    run = play(fox=f"faces: {faces}", more=more, script=({"at": 1, "hit": "fox", "with": "peck"},))
    assert run.at(2)["fox.health"] == left


def test_a_cast_ends_when_its_target_leaves_the_reach() -> None:
    more = "attacks: {gaze: {from: hen, to: fox, lasts: 2, damage: 5, breaks_if: 'distance(self, other) > 11'}}"
    near = play(more=more, script=({"at": 1, "attack": "gaze"},))
    assert near.at(4)["fox.health"] == 15
    left = play(more=more, script=({"at": 1, "attack": "gaze"}, {"at": 2, "move": "fox", "to": [12, 0]}))
    assert left.at(4)["fox.health"] == 20
    assert "hen is called off from gaze" in left.story()


def test_distance_facing_and_behind_in_formulas() -> None:
    more = """playtests:
  geometry:
    script: [{at: 1, move: hen, to: [7, 4]}, {at: 2, set: hen.faces = 90}]
    expect:
      - {at: 0.5, that: "distance(hen, fox) == 10 and facing(hen, fox) == 0 and not behind(hen, fox)"}
      - {at: 1, that: "distance(hen, fox) == 5"}
      - {at: 2, that: "facing(hen, fox) > 143 and facing(hen, fox) < 143.2"}
"""
    game = mint.loads(FIELD.format(hen="faces: 0", fox="faces: 180", step=0.05, more=more))
    result = game.play_tests()[0]
    assert result.passed, result


def test_nearest_aim_a_shot_that_spares_its_maker_and_credits_it() -> None:
    text = """
title: Archery
clock: {step: 0.05, limit: 6}
space: {}
kinds:
  archer:
    side: a
    where: [0, 0]
    radius: 0.5
    stats: {score: 0, health: 9}
    rules: [{when: {every: 100, first: 1}, do: [{spawn: arrow, where: [0, 0]}]}]
  arrow:
    copies: 0
    room: 2
    where: [0, 0]
    radius: 0.1
    moves: {ahead: 8}
    stats: {}
    rules: [{name: credit, when: {hit: pierces}, do: [maker.score += 1]}]
  butt: {side: b, copies: [{x: 12}, {x: 6}], where: [0, 0], radius: 0.5, stats: {health: 3}}
attacks:
  pierces: {from: arrow, to: [archer, butt], when: meets, spares: maker, damage: 2, uses_up: self}
  stares: {from: archer, to: butt, when: {every: 2}, aims: nearest, damage: 0.25}
"""
    run = mint.loads(text).run()
    run.reconcile()
    values = run.at(6)
    assert values["archer.health"] == 9 and values["archer.score"] == 1
    assert values["butt[2].health"] == pytest.approx(3 - 2 - 3 * 0.25)
    assert values["butt[1].health"] == 3


def test_what_blocks_moves_stops_and_lives_put_back() -> None:
    more = "statuses: {rooted: {blocks: moves}}"
    run = play("moves: {ahead: 1}", "faces: 0", 0.1, more, ({"at": 2, "give": "rooted", "to": "hen", "for": 3},))
    assert place(run, 3)[0] == pytest.approx(1.9) and place(run, 4.5)[0] == pytest.approx(1.9)
    assert place(run, 7)[0] == pytest.approx(1.9 + 2, abs=0.11)
    lives = "lives: {stat: pace, spent_if: health <= 0, fill: [health], where: [5, 5]}, moves: {ahead: 1}"
    back = play(lives, "faces: 0", 0.1, "", ({"at": 2, "set": "hen.health = 0"},))
    assert place(back, 2) == (5, 5) and back.at(3)["hen.pace"] == 2


def test_a_habit_carries_moves() -> None:
    text = FIELD.format(
        hen="moves: {ahead: 1}",
        fox="faces: 0",
        step=0.1,
        more="habits: {timid: {by: hen, reaction: 1, moves: [{if: health < 10, away: fox, speed: 2}, {toward: fox, speed: 1}]}}",
    )
    run = mint.loads(text).run(habit="timid", script=[{"at": 2, "set": "hen.health = 5"}])
    assert place(run, 2)[0] == pytest.approx(1.9)
    assert place(run, 4)[0] == pytest.approx(1.9 - 4, abs=0.21)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("space: {}\n", "", "'where' wants a game with space"),
        ("faces: 0,", "moves: {toward: fx, speed: 1},", "unknown kind 'fx'"),
        ("faces: 0,", "moves: {toward: fox},", "'toward' wants 'speed: …'"),
        ("faces: 0,", "moves: {toward: fox, ahead: 3, speed: 1},", "wants one of toward, away, ahead"),
        ("faces: 0,", "moves: {wander: 3},", "wants one of toward"),
        ("where: [0, 0],", "where: [0],", "has 1 entries; it wants 2 at least"),
        ("where: [0, 0],", "moves: {ahead: 2},", "hen moves, but it is nowhere"),
    ],
)
def test_faults_of_space(old: str, new: str, words: str) -> None:
    text = FIELD.format(hen="faces: 0", fox="faces: 180", step=0.05, more="")
    assert old in text
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text.replace(old, new, 1))
    assert words in str(caught.value)


def test_a_radius_that_nothing_asks_for_may_be_faulty_all_the_same() -> None:
    game = """
title: Pond
clock: {limit: 5}
space: {}
kinds:
  ring: {where: [0, 0], radius: "sise * 2", stats: {size: 3}}
"""
    with pytest.raises(mint.GameError, match=r"ring.radius: unknown name 'sise', did you mean 'size'"):
        mint.loads(game)
    assert mint.loads(game.replace("sise", "size")).run().time == 5.0


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_whoever_takes_the_number_of_one_that_left_appears_where_it_is_put(engine: str) -> None:
    game = """
title: Track
clock: {step: 0.1, limit: 6}
space: {}
kinds:
  post: {where: [0, 0]}
  runner: {copies: 0, room: 1, where: [5, 0], moves: {toward: post, speed: 1}}
rules:
  - {when: {every: 3, first: 1}, do: [{spawn: runner, where: [-5, 0]}]}
  - {when: {every: 3, first: 2}, do: [{remove: "runner[1]"}]}
"""
    run = mint.loads(game).run(engine=engine)
    run.reconcile()
    # Each sets off in the step after it appears; the second begins at -5 as the first did, on that side of the post.
    assert [run.at(time)["runner.x"] for time in (1, 2, 4, 5)] == [-5, -4.1, -5, -4.1]


@pytest.mark.parametrize("engine", ["reference", "native"])
@pytest.mark.parametrize(
    ("moves", "status"),
    [
        ("{toward: post, speed: 1}", True),
        ("{along: [[0, 0]], speed: 1}", True),
        ("{between: [[0, 0], [9, 0]], speed: 1}", True),
        ("[{if: time >= 2 and time < 3, still: true}, {toward: post, speed: 1}]", False),
    ],
)
def test_whoever_stood_still_goes_on_to_the_goal_that_it_had(moves: str, status: bool, engine: str) -> None:
    game = f"""
title: Track
clock: {{step: 0.1, limit: 8}}
space: {{}}
kinds:
  post: {{where: [0, 0]}}
  runner: {{where: [9, 0], moves: {moves}}}
statuses:
  dazed: {{lasts: 1, blocks: [moves]}}
rules:
  - {{when: {{every: 2}}, at_most: {int(status)}, do: [{{give: dazed, to: runner}}]}}
"""
    run = mint.loads(game).run(engine=engine)
    run.reconcile()
    # From point to point it sets out as it appears, else in the first step; then it loses what it stood for.
    places = [run.at(time)["runner.x"] for time in (1, 2, 3, 8)]
    assert places[:2] == ([8.1, 7.1] if "toward" in moves else [8.0, 7.0])
    assert places[3] == pytest.approx(places[2] - 5, abs=1e-9)
    assert places[2] >= 6.9 - 1e-9


WALK = """
title: Walk
clock: {{step: {step}, limit: 40}}
space: {{}}
kinds:
  ant: {{copies: 1, room: 2, where: [0, 0], moves: {{along: [[1.05, 0], [1.05, 1.05], [3.15, 1.05], [3.15, 20]], speed: 0.7}}}}
rules:
  - {{name: second ant, when: {{every: 99, first: 3}}, do: [{{spawn: ant, where: [0, 0]}}]}}
"""


def walked(distance: float) -> tuple[float, float]:
    """Where somebody is on the way of WALK after a distance."""
    if distance <= 1.05:
        return distance, 0.0
    if distance <= 2.1:
        return 1.05, distance - 1.05
    if distance <= 4.2:
        return 1.05 + distance - 2.1, 1.05
    return 3.15, 1.05 + distance - 4.2


@pytest.mark.parametrize("engine", ["reference", "native"])
@pytest.mark.parametrize("step", [0.05, 0.1, 0.3, 1.5, 3])
def test_who_walks_along_a_way_is_as_far_as_its_time_at_any_step(step: float, engine: str) -> None:
    run = mint.loads(WALK.format(step=step)).run(engine=engine)
    run.reconcile()
    for time in (3.0, 6.0, 9.0, 18.0, 24.0):
        now = run.at(time)
        assert (now["ant[1].x"], now["ant[1].y"]) == pytest.approx(walked(0.7 * time), abs=1e-9)
        assert (now["ant[2].x"], now["ant[2].y"]) == pytest.approx(walked(0.7 * (time - 3)), abs=1e-9)
