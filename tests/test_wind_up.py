"""Attacks that take time: called off where the target is out of reach by then, and wound up by scripts as well."""

from __future__ import annotations

import pytest

import mint_ledger as mint

PEN = """
title: Pen
clock: {step: 0.1, limit: 5}
space: {}
kinds:
  goat: {where: [0, 0], stats: {health: 9}}
  girl: {where: [2, 0], stats: {health: {start: 10, min: 0}}, moves: {ahead: run}, faces: 0}
numbers: {run: 0}
attacks: {butt: {from: goat, to: girl, damage: 3, reach: 3, lasts: 1}}
playtests:
  it lands: {script: [{at: 1, hit: girl, with: butt, by: goat, sure: true}], expect: [{at: 1.9, that: girl.health == 10}, {at: 2.1, that: girl.health == 7}]}
"""


def whats(run: mint.Run) -> list[tuple[float, str, str]]:
    rows = run.journal[run.journal["cause"] == "butt"]
    return [(round(row.time, 2), row.what, row.text) for row in rows.itertuples() if row.what != "posting"]


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_scripted_hit_winds_up_as_in_the_game(engine: str) -> None:
    game = mint.loads(PEN)
    assert all(result.passed for result in game.play_tests())
    script = [
        {"at": 1, "hit": "girl", "with": "butt", "by": "goat"},
        {"at": 1.5, "hit": "girl", "with": "butt", "by": "goat"},
    ]
    run = game.run(script=script, engine=engine)
    assert [(time, what) for time, what, _ in whats(run)] == [(1.0, "act"), (1.5, "refused"), (2.0, "hit")]


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_target_that_is_out_of_reach_by_then_calls_it_off_with_a_row(engine: str) -> None:
    game = mint.loads(PEN).with_dials({"run": 2})
    run = game.run(script=[{"at": 0.2, "attack": "butt", "by": "goat"}], engine=engine)
    assert whats(run)[-1] == (1.2, "called off", "goat is called off from butt: out of reach")
    assert run.at(5)["girl.health"] == 10
    # It is free again: the next one is refused for its reach and not because it is busy.
    again = game.run(
        script=[{"at": 0.2, "attack": "butt", "by": "goat"}, {"at": 2, "hit": "girl", "with": "butt", "by": "goat"}]
    )
    assert whats(again)[-1][1:] == ("blocked", "goat cannot strike girl with butt: out of reach")


def test_who_strikes_all_strikes_those_within_reach() -> None:
    text = PEN.replace("girl: {where", "girl: {copies: [{}, {x: 9}, {y: 2.5, x: 0}], where").replace(
        "reach: 3,", "reach: 3, aims: all,"
    )
    text = text[: text.index("playtests")]
    run = mint.loads(text).run(script=[{"at": 1, "attack": "butt", "by": "goat"}])
    assert [run.at(3)[f"girl[{k}].health"] for k in (1, 2, 3)] == [7, 10, 7]


def test_habits_draw_among_what_they_can_do_by_weight() -> None:
    text = """
    title: Bench
    clock: {unit: turn, limit: 3001}
    kinds: {smith: {stats: {hammered: 0, filed: 0, rested: 0, iron: 1}}}
    actions:
      hammer: {by: smith, do: [hammered += 1]}
      file: {by: smith, needs: iron > 0, do: [filed += 1]}
      rest: {by: smith, needs: iron < 0, do: [rested += 1]}
    habits:
      any:
        by: smith
        reaction: 1
        choose: random
        sees: [iron]
        acts: [{do: hammer, weight: 3}, {do: file, weight: iron, if: hammered < 9e9}, {do: rest, weight: 100}]
    """
    from scipy import stats

    game = mint.loads(text)
    for engine in ("reference", "native"):
        end = game.run(2, engine=engine).at(3000)  # type: ignore[arg-type]
        assert end["smith.rested"] == 0
        assert end["smith.hammered"] + end["smith.filed"] == pytest.approx(3000, abs=2)
        assert stats.binomtest(int(end["smith.hammered"]), 3000, 0.75).pvalue > 1e-4
    for old, new, fault in (
        ("choose: random", "choose: first", "an act has a 'weight' where the habit has 'choose: random'"),
        ("sees: [iron]", "sees: [irn]", "there is no stat 'irn' to see, did you mean 'iron'"),
    ):
        with pytest.raises(mint.GameError, match=fault):
            mint.loads(text.replace(old, new))
    with pytest.raises(mint.RunStopped, match="a weight of the habit 'any' is below 0"):
        mint.loads(text.replace("weight: iron", "weight: 0 - iron")).run()
