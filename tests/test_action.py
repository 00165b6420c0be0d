from __future__ import annotations

import pytest

import mint_ledger as mint

GAME = """
title: Kitchen
clock: {step: 0.1, limit: 30}
kinds:
  cook: {side: a, stats: {health: 50, breath: {start: 10, min: 0}, bread: {start: 1, min: 0, whole: true}, gap: 2, eaten: 0, done: 0}}
  fly:  {side: b, copies: 2, stats: {health: 6}, gone_if: health <= 0}
attacks:
  swat: {from: cook, to: fly, damage: 3}
  throw: {from: cook, to: fly, damage: 6, lasts: 1, breaks_if: other.health > 100, costs: {breath: 1}}
actions:
  eat:   {by: cook, needs: bread > 0, lasts: 0.6, during: chewing, breaks_if: breath < 1, do: [bread -= 1, eaten += 1]}
  hit:   {by: cook, costs: {breath: 4}, cooldown: self.gap, do: [{attack: swat}]}
statuses:
  chewing: {}
  dazed: {blocks: [eat, hit, throw]}
  quick: {changes: {gap: {times: 0.5}}}
rules:
  - {when: {act: hit}, do: [self.done += 1]}
"""


def play(*script: dict, text: str = GAME) -> mint.Run:
    run = mint.loads(text).run(script=list(script))
    run.reconcile()
    return run


def act(at: float, name: str) -> dict:
    return {"at": at, "act": name}


def refused(run: mint.Run) -> list[str]:
    return list(run.journal.loc[run.journal["what"] == "refused", "text"])


def test_an_action_does_what_it_does_as_it_ends() -> None:
    run = play(act(1, "eat"))
    assert [run.at(t)["cook.eaten"] for t in (1.5, 1.6)] == [0, 1]


def test_a_consumable_with_none_left_is_refused() -> None:
    run = play(act(1, "eat"), act(2, "eat"))
    assert run.at(5)["cook.eaten"] == 1
    assert refused(run) == ["cook cannot use eat: what it needs does not hold"]


def test_a_cost_that_cannot_be_paid_refuses_the_action_and_posts_nothing() -> None:
    run = play(act(1, "hit"), act(4, "hit"), act(7, "hit"))
    assert run.at(9)["cook.breath"] == 2
    assert refused(run) == ["cook cannot use hit: too little breath to pay for it"]
    assert run.at(9)["cook.done"] == 2


def test_a_cooldown_that_a_status_halves() -> None:
    slow = play(act(1, "hit"), act(2.5, "hit"))
    assert refused(slow) == ["cook cannot use hit: not ready again"]
    quick = play({"at": 0.5, "give": "quick", "to": "cook"}, act(1, "hit"), act(2.5, "hit"))
    assert refused(quick) == [] and quick.at(5)["cook.done"] == 2


def test_whoever_is_busy_begins_nothing_else() -> None:
    run = play(act(1, "eat"), act(1.3, "hit"))
    assert refused(run) == ["cook cannot use hit: busy"]


def test_the_status_of_the_meantime_comes_and_goes() -> None:
    run = play(act(1, "eat"))
    found = [
        (round(t, 1), text)
        for t, text in zip(run.journal["time"], run.journal["text"], strict=True)
        if "chewing" in text
    ]
    assert found == [(1.0, "cook: chewing begins"), (1.6, "cook: chewing ends")]


def test_what_is_blocked_is_refused_and_what_is_under_way_is_called_off() -> None:
    run = play(act(1, "eat"), {"at": 1.2, "give": "dazed", "to": "cook", "for": 1}, act(1.5, "hit"), act(3, "hit"))
    assert run.at(5)["cook.eaten"] == 0 and run.at(5)["cook.bread"] == 1
    assert "called off" in set(run.journal["what"])
    assert refused(run) == ["cook cannot use hit: a status blocks it"]
    assert run.at(5)["cook.done"] == 1


def test_an_action_is_called_off_where_breaks_if_holds() -> None:
    run = play(act(1, "eat"), {"at": 1.3, "set": "cook.breath = 0"})
    assert run.at(5)["cook.eaten"] == 0


def test_ready_asks_whether_it_could_begin() -> None:
    text = GAME.replace(
        "  cook: {side: a,", "  cook: {rules: [{when: {becomes: not ready(hit)}, do: [eaten += 10]}], side: a,"
    )
    run = play(act(1, "hit"), text=text)
    assert run.at(2)["cook.eaten"] == 10


def test_a_wind_up_strikes_as_it_ends() -> None:
    run = play({"at": 1, "attack": "throw"})
    assert [run.at(t)["fly[1].health"] for t in (1.9, 2)] == [6, 0]


def test_a_target_that_leaves_during_the_wind_up_calls_it_off_and_the_cost_is_lost() -> None:
    run = play({"at": 1, "attack": "throw"}, {"at": 1.5, "remove": "fly[1]"})
    assert "called off" in set(run.journal["what"])
    assert run.at(5)["fly[2].health"] == 6
    assert run.at(5)["cook.breath"] == 9


def test_a_cast_that_breaks_off() -> None:
    run = play({"at": 1, "attack": "throw"}, {"at": 1.5, "set": "fly[1].health = 200"})
    assert "called off" in set(run.journal["what"]) and run.at(5)["fly[1].health"] == 200


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("needs: bread > 0", "need: bread > 0", "eat: unknown key 'need', did you mean 'needs'?"),
        ("{act: hit}", "{act: hitt}", "unknown action 'hitt', did you mean 'hit'?"),
        ("during: chewing", "during: chewin", "unknown status 'chewin', did you mean 'chewing'?"),
        ("costs: {breath: 4}", "costs: {breth: 4}", "cook has no stat 'breth' to pay with, did you mean 'breath'?"),
        ("eat:   {by: cook,", "eat:   {by: cooks,", "unknown kind 'cooks', did you mean 'cook'?"),
        ("lasts: 0.6, during", "during", "'during' wants 'lasts'"),
        ("fly:  {side: b, copies: 2", "ghost: {copies: 0}\n  fly:  {side: b, copies: 2", ""),
        ("hit:   {by: cook, costs: {breath: 4}", "hit:   {by: nobody", "unknown kind 'nobody'"),
    ],
)
def test_faults_of_actions(old: str, new: str, words: str) -> None:
    text = GAME.replace(old, new)
    assert text != GAME
    if not words:
        text = text.replace(
            "hit:   {by: cook, costs: {breath: 4}, cooldown: self.gap, do: [{attack: swat}]}",
            "hit: {by: ghost, do: [cook.done += 1]}",
        )
        words = "nobody can do 'hit': there is no ghost"
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    assert words in str(caught.value)
