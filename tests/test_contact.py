from __future__ import annotations

import pytest

import mint_ledger as mint

GAME = """
title: Ponds
clock: {{step: 0.1, limit: 10}}
stats: {{greeted: 0}}
kinds:
  duck: {{copies: 2, stats: {{wet: 0, held: 0, hugs: 0}}, rules: {duck}}}
  reed: {{copies: 2, room: 3, stats: {{bent: 0}}, rules: {reed}}}
rules: {top}
"""


def play(*script: dict, duck: str = "[]", reed: str = "[]", top: str = "[]") -> mint.Run:
    run = mint.loads(GAME.format(duck=duck, reed=reed, top=top)).run(script=list(script))
    run.reconcile()
    return run


def meet(at: float, one: str, other: str, **more: object) -> dict:
    return {"at": at, "meet": [one, other], **more}


def test_contact_begins_once_however_long_it_lasts() -> None:
    run = play(
        meet(1, "duck[1]", "reed[2]", **{"for": 3}), duck="[{when: {meets: reed}, do: [wet += 1, other.bent += 2]}]"
    )
    values = run.at(9)
    assert (values["duck[1].wet"], values["duck[2].wet"], values["reed[1].bent"], values["reed[2].bent"]) == (
        1,
        0,
        0,
        2,
    )


def test_either_order_means_the_same_and_each_side_has_its_own_rule() -> None:
    rules = {"duck": "[{when: {meets: reed}, do: [wet += 1]}]", "reed": "[{when: {meets: duck}, do: [bent += 1]}]"}
    for pair in (("duck[1]", "reed[1]"), ("reed[1]", "duck[1]")):
        values = play(meet(1, *pair), **rules).at(9)
        assert (values["duck[1].wet"], values["reed[1].bent"]) == (1, 1)


def test_at_the_top_self_and_other_come_in_the_order_that_is_written() -> None:
    top = "[{when: {meet: [reed, duck]}, do: [self.bent += 5, other.wet += 3, greeted += 1]}]"
    values = play(meet(1, "duck[2]", "reed[1]"), top=top).at(2)
    assert (values["reed[1].bent"], values["duck[2].wet"], values["greeted"]) == (5, 3, 1)


def test_without_a_length_contact_lasts_one_step() -> None:
    run = play(meet(1, "duck[1]", "reed[1]"), duck="[{when: {in_contact: reed}, do: [held += 1]}]")
    assert run.at(9)["duck[1].held"] == 1


def test_contact_that_ended_can_begin_again() -> None:
    run = play(
        meet(1, "duck[1]", "reed[1]"), meet(3, "duck[1]", "reed[1]"), duck="[{when: {meets: reed}, do: [wet += 1]}]"
    )
    assert run.at(9)["duck[1].wet"] == 2


def test_two_of_one_kind_meet_and_each_is_self_once() -> None:
    run = play(meet(1, "duck[2]", "duck[1]"), duck="[{when: {meets: duck}, do: [hugs += 1]}]")
    values = run.at(9)
    assert (values["duck[1].hugs"], values["duck[2].hugs"]) == (1, 1)


def test_whoever_left_touches_nobody_and_a_new_one_of_its_number_starts_afresh() -> None:
    script = [meet(1, "duck[1]", "reed[1]", **{"for": 8}), {"at": 2, "remove": "reed[1]"}, {"at": 4, "spawn": "reed"}]
    run = play(*script, duck="[{when: {in_contact: reed}, do: [held += 1]}]")
    assert run.at(9)["duck[1].held"] == 10
    assert "reed[1] appears" in run.story()


def test_a_rule_lets_two_meet() -> None:
    top = "[{when: {cue: wind}, do: [{meet: ['duck[1]', 'reed[2]'], for: 0.5}]}]"
    run = play({"at": 1, "cue": "wind"}, top=top, duck="[{when: {in_contact: reed}, do: [held += 1]}]")
    assert run.at(9)["duck[1].held"] == 5


def test_an_attack_by_contact_strikes_as_it_begins_or_while_it_lasts() -> None:
    text = """
title: Nettles
clock: {{step: 0.1, limit: 5}}
kinds:
  nettle: {{side: a}}
  hare: {{side: b, stats: {{health: 50}}, when_hit: {{safe_for: {safe}}}}}
attacks: {{sting: {{from: nettle, to: hare, when: {when}, damage: 1}}}}
"""
    script = [{"at": 1, "meet": ["hare", "nettle"], "for": 2}]
    for when, safe, left in (("meets", 0, 49), ("in_contact", 0, 30), ("in_contact", 0.5, 46)):
        run = mint.loads(text.format(when=when, safe=safe)).run(script=script)
        assert run.at(5)["hare.health"] == left


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_meeting_that_follows_of_a_touch_is_seen_in_the_next_step(engine: str) -> None:
    game = """
title: Stage
clock: {step: 0.5, limit: 6}
space: {}
kinds:
  host: {where: [0, 0], radius: 1, stats: {calls: 0}}
  guest: {copies: [{x: 50}, {x: 8}], where: [0, 0], radius: 1, moves: {toward: host, speed: 3}}
rules:
  - {when: {meet: [guest, host]}, do: [host.calls += 1, {meet: ["guest[1]", host]}]}
"""
    run = mint.loads(game).run(engine=engine)
    # The second guest sets off at 0.5 s and touches two seconds later. That lets the first meet the host, which is
    # seen in the next step; it lets them meet again, but they still touch, so that it is one meeting.
    assert [run.at(time)["host.calls"] for time in (2, 2.5, 3, 6)] == [0, 1, 2, 2]
