"""What decided a run, in few lines: held against the journal of games whose course is known by hand."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger.playing.highlights import find_highlights

ROOT = Path(__file__).parent.parent
# A diver loses 3 of 10 breath each turn, and a lung when none is left; in turn 4, 8 and 12.
DIVE = """
title: Deep dive
clock: {unit: turn, limit: 60}
kinds:
  diver:
    stats: {breath: {start: 10, min: 0, max: 10}, lungs: {start: 3, min: 0}, pearls: {start: 0}}
    rules:
      - {name: a lung bursts, when: {becomes: breath <= 0}, do: [lungs -= 1, breath += 10]}
rules:
  - {name: deep water, when: {every: 1}, do: [diver.breath -= 3]}
  - {name: an eel, when: {every: 7}, do: [diver.breath -= 1, {tell: "An eel slips by."}]}
endings: {drowned: {result: lose, if: diver.lungs <= 0}}
readout: [{bar: diver.breath}]
"""


def test_a_name_with_brackets_in_it_is_named_whole() -> None:
    game = mint.loads(DIVE.replace("name: deep water", 'name: "deep (cold) water"'))
    assert "by deep (cold) water" in " ".join(game.run().summary().split())


def test_each_loss_is_told_with_what_brought_it_about() -> None:
    run = mint.loads(DIVE).run()
    found = find_highlights(run)
    losses = [one for one in found.picked if one.sort == "loss"]
    assert [(one.row.before, one.row.after) for one in losses] == [(3, 2), (2, 1), (1, 0)]
    assert [one.row.step for one in losses] == [
        row.step
        for row in run.rows
        if row.after < row.before and run.program.cause_labels[int(row.cause)] == "a lung bursts"
    ]
    assert list(found.losses) == ["a lung bursts"] and set(found.losses["a lung bursts"]) <= {"deep water", "an eel"}
    text = found.summary()
    assert text.splitlines()[2].startswith(f"Lost in turn {run.time:g}: drowned. A lung bursts 3 times, by ")
    assert "An eel slips by." in text and "diver.lungs 3 → 2" in text


def test_what_came_in_and_went_out_adds_up() -> None:
    run = mint.loads(DIVE).run()
    [breath] = find_highlights(run).accounts
    came, went = (sum(line.total for line in breath.lines if sign * line.total > 0) for sign in (1, -1))
    assert breath.opening + came + went == breath.closing
    assert f"+{came:g} a lung bursts" in run.summary() and f"−{-went:g} deep water" in run.summary()


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("name", ["saltmere", "glasshouse_nights", "orchard_dusk", "cellar_siege", "kite_race"])
def test_no_run_of_the_examples_takes_more_than_sixty_lines(name: str, seed: int) -> None:
    run = mint.load(next(ROOT.rglob(f"{name}.yaml"))).run(seed)
    found = find_highlights(run)
    assert len(found.summary().splitlines()) <= 58
    assert [one.number for one in found.picked] == sorted({one.number for one in found.picked})
    assert all(run.rows[one.number] is one.row for one in found.picked)
    json.dumps(found.as_json(), allow_nan=False)


def test_a_run_in_which_nothing_happens_says_how_it_ended() -> None:
    text = mint.loads("{title: Still, clock: {unit: turn, limit: 2}}").run().summary()
    assert text.splitlines()[2] == "Unfinished in turn 2, the clock's limit."


def test_the_lowest_point_is_told_where_it_is_not_the_end() -> None:
    run = mint.loads(DIVE.replace("diver.breath -= 3", "diver.breath -= 2")).run()
    [lowest] = [one for one in find_highlights(run).picked if one.sort == "lowest"]
    assert lowest.row.after == min(row.after for row in run.rows if row.stat == lowest.row.stat and row.entity == 1)
