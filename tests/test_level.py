from __future__ import annotations

import pytest
from conftest import postings

import mint_ledger as mint

GAME = """
title: Tower
clock: {step: 0.1, limit: 60}
stats: {score: 0, floor_score: {start: 0, resets: level}}
kinds:
  climber: {side: a, stats: {health: {start: 10, min: 0}, torch: {start: 5, resets: level}}}
  bat: {side: b, copies: 0, room: 3, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0, stays_gone: true}
  moth: {side: b, copies: 0, room: 3, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0}
attacks: {poke: {from: climber, to: [bat, moth], damage: 3}}
rules:
  - {name: counts, when: {every: 1}, do: [score += 1, floor_score += 1]}
  - {name: welcome, when: {level: attic}, do: [{tell: "the attic at {level_time}"}]}
  - {name: down, when: {cue: fall}, do: [{go: cellar}]}
  - {name: return, when: {cue: climb}, do: [{go: back}]}
levels:
  cellar: {present: {bat: 2, moth: 1}, until: level_time >= 5, next: [{if: score > 100, go: attic}, {go: hall}]}
  hall:   {present: {bat: 1, moth: 2}, again: as_left, start: {climber.health: 8}, until: level_time >= 20, next: attic}
  attic:  {present: {moth: 3}}
"""


def play(*script: dict, text: str = GAME, **more: object) -> mint.Run:
    run = mint.loads(text).run(script=list(script), **more)  # type: ignore[arg-type]
    run.reconcile()
    return run


def levels(run: mint.Run) -> list[tuple[float, str]]:
    found = run.journal[run.journal["what"] == "level"]
    return [(round(t, 3), c) for t, c in zip(found["time"], found["cause"], strict=True)]


def test_levels_are_played_in_order_and_until_is_judged() -> None:
    assert levels(play()) == [(0, "cellar"), (5, "hall"), (25, "attic")]


def test_a_counter_that_starts_anew_beside_one_that_is_carried() -> None:
    run = play()
    values = run.at(5)
    assert values["score"] == 5
    assert values["floor_score"] == 0
    assert run.at(7)["floor_score"] == 2 and run.at(7)["score"] == 7


def test_a_level_sets_what_it_starts_with() -> None:
    run = play()
    assert run.at(4)["climber.health"] == 10
    assert run.at(5)["climber.health"] == 8
    assert [r["cause"] for r in postings(run, "climber.health")] == ["hall"]


def test_who_is_there_is_who_the_level_names() -> None:
    text = GAME.replace("score += 1, f", "score += count(bat) * 10 + count(moth), f")
    assert [play(text=text).at(t)["score"] for t in (1, 4, 6)] == [
        21,
        84,
        84 + 21 + 3,
    ]  # more than 100 at 5 s, so the attic with its three moths comes next


def poke(at: float, whom: str) -> dict:
    return {"at": at, "hit": whom, "with": "poke", "sure": True}


def test_who_stays_gone_is_away_when_the_level_is_visited_again() -> None:
    run = play(
        poke(1, "bat[1]"),
        poke(1.5, "bat[1]"),
        poke(2, "moth[1]"),
        poke(2.5, "moth[1]"),
        {"at": 8, "cue": "fall"},
        {"at": 10, "hit": "bat[1]", "with": "poke"},
        {"at": 10, "hit": "moth[1]", "with": "poke"},
    )
    assert levels(run)[:3] == [(0, "cellar"), (5, "hall"), (8, "cellar")]
    texts = list(run.journal.loc[run.journal["time"].round(3) == 10, "what"])
    assert texts.count("blocked") == 1 and texts.count("hit") == 1  # the bat is away, the moth is back


def test_a_level_as_it_was_left() -> None:
    run = play(poke(6, "moth[2]"), {"at": 8, "cue": "fall"}, {"at": 9, "cue": "climb"})
    assert levels(run)[:4] == [(0, "cellar"), (5, "hall"), (8, "cellar"), (9, "hall")]
    assert run.at(10)["moth[2].health"] == 1
    assert run.at(10)["moth[1].health"] == 4


def test_rules_hear_of_levels_and_the_journal_names_them() -> None:
    run = play()
    assert "the attic at 0" in run.story()
    table = run.journal
    assert set(table.loc[table["time"].between(6, 20), "level"]) == {"hall"}


def test_statements_by_level_follow_one_another_and_add_up() -> None:
    run = play(
        text=GAME.replace(
            "stats: {health: {start: 10, min: 0}",
            "stats: {oil: {start: 90, min: 0, fade: {rate: 0.5}}, health: {start: 10, min: 0}",
        )
    )
    for account in ("climber.oil", "climber.torch", "score", "floor_score", "climber.health"):
        parts = run.statements_by_level(account)
        assert [part.title.rsplit(" · ", 1)[1] for part in parts] == ["cellar", "hall", "attic"]
        assert all(part.reconciles() for part in parts)
        assert [part.opening for part in parts[1:]] == [part.closing for part in parts[:-1]]
        whole = run.statement(account)
        assert (parts[0].opening, parts[-1].closing) == (whole.opening, whole.closing)
    assert [part.closing for part in run.statements_by_level("climber.oil")] == [87.5, 77.5, 60]
    with pytest.raises(mint.BadRequest, match="the game has no levels"):
        mint.loads("stats: {a: 1}\nclock: {limit: 1}").run().statements_by_level("a")


def test_a_playtest_begins_in_its_level() -> None:
    text = (
        GAME
        + """
playtests:
  the attic has three moths:
    level: attic
    expect: [{at: 1, that: count(moth) == 3 and count(bat) == 0}]
"""
    )
    assert all(r.passed for r in mint.loads(text).play_tests())


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("present: {bat: 2, moth: 1}", "present: {bat: 2, mouth: 1}", "unknown kind 'mouth', did you mean 'moth'?"),
        ("present: {bat: 2, moth: 1}", "present: {bat: 5}", "5 of bat, but there is room for 3"),
        ("{go: hall}]", "{go: hal}]", "unknown level 'hal', did you mean 'hall'?"),
        ("[{go: cellar}]}", "[{go: celar}]}", "unknown level 'celar', did you mean 'cellar'?"),
        (
            "  attic:  {present: {moth: 3}}",
            "  attic:  {present: {moth: 3}}\n  loft: {}",
            "the level 'loft' cannot be reached",
        ),
        ("until: level_time >= 20, next", "next", "has a 'next' and no 'until'"),
        ("start: {climber.health: 8}", "start: {climber.helth: 8}", "climber has no stat 'helth'"),
        ("{level: attic}", "{level: atic}", "unknown level 'atic', did you mean 'attic'?"),
    ],
)
def test_faults_of_levels(old: str, new: str, words: str) -> None:
    assert old in GAME
    with pytest.raises(mint.GameError) as caught:
        mint.loads(GAME.replace(old, new))
    assert words in str(caught.value)
