from __future__ import annotations

from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.journal.wording import Words

WELL = """
title: Well
clock: {step: 0.5, limit: 60}
kinds:
  digger:
    when_hit: {through: [breath]}
    stats:
      breath: {start: 20, min: 0, max: 20, fade: {rate: 2}}
      mud: {start: 0, min: 0, whole: true}
    rules:
      - {name: digs, when: {every: 2}, do: [mud += 3]}
  rat: {copies: 2, stats: {health: 4}}
attacks:
  bite: {from: rat, to: digger, damage: "whole(1, 3)", lands: 0.5}
actions:
  rest: {by: digger, lasts: 1, do: [breath += 6]}
statuses:
  muddy: {lasts: 4, every: 1, do: [breath -= 1]}
rules:
  - {name: hears the bell, when: {cue: bell}, do: [digger.mud -= cue.tugs]}
endings:
  choked: {result: lose, if: digger.breath <= 0}
  a full bucket: {result: win, if: digger.mud >= 30}
"""


@pytest.fixture
def well() -> mint.Game:
    return mint.loads(WELL, "well")


def test_going_on_shows_the_end_of_each_step(well: mint.Game) -> None:
    session = well.play()
    session.go(2)
    assert session.time == 2.0
    # Fades by 2 a second, digs every 2 seconds.
    assert session.value("digger.breath") == 16.0
    assert session.value("digger.mud") == 3.0
    session.step(3)
    assert session.time == 3.5
    assert session.value("digger.breath") == 13.0


def test_what_happens_from_outside_takes_one_step_and_shows_its_rows(well: mint.Game) -> None:
    session = well.play()
    rows = session.do({"set": "digger.mud += 7"}, {"cue": "bell", "with": {"tugs": 2}})
    assert session.time == 0.5
    assert session.value("digger.mud") == 5.0
    assert [row.after for row in rows if row.what == 0.0] == [7.0, 5.0]
    session.give("muddy", "digger", 3)
    assert session.holds("has(digger, muddy)")
    assert "digger is muddy, 3 s left" in session.readout()
    session.act("rest")
    session.go(1)
    assert session.value("digger.breath") == 20.0 - 2.0 * 2.5 - 1.0 + 6.0


def test_it_goes_on_until_a_condition_holds(well: mint.Game) -> None:
    session = well.play()
    session.go_until("digger.breath < 10")
    assert session.time == 5.5
    assert session.go_until("digger.breath < 10") == []
    session.go_until("digger.mud > 1000")
    assert session.is_over
    assert session.outcome == ("lose", "choked")
    with pytest.raises(BadRequest, match="the run is over"):
        session.go()


def test_undo_and_redo_are_exact_any_number_of_times(demo: mint.Game) -> None:
    session = demo.play(seed=7, habit="careful")
    moments = [session.engine.snapshot()]
    for call in (
        lambda: session.go(7),
        lambda: session.hit("keeper", "pincer", "crab[1]"),
        lambda: session.set("keeper.health = 12"),
        lambda: session.habit("reckless"),
        lambda: session.go(12),
    ):
        call()
        moments.append(session.engine.snapshot())
    rows = list(session.rows)
    assert session.undo(99) == 5
    assert session.engine.snapshot().state[: len(moments[0].state)] == moments[0].state
    assert session.redo(3) == 3
    assert session.engine.snapshot().state[: len(moments[3].state)] == moments[3].state
    assert session.redo(3) == 2
    assert session.engine.snapshot() == moments[5]
    assert session.rows == rows
    assert session.redo() == 0
    session.undo()
    session.go(12)
    assert session.engine.snapshot() == moments[5]


def test_a_session_plays_the_same_game_as_a_script_of_the_same_happenings(demo: mint.Game) -> None:
    session = demo.play(seed=3)
    session.go(4)
    session.do({"act": "sip"}, {"cue": "landed", "with": {"speed": 8.5}})
    session.give("chill", "keeper")
    session.go(3)
    session.habit("careful")
    session.meet("oil_can[1]", "keeper")
    session.go(20)
    playtest = session.playtest()
    run = demo.run(3, script=playtest["script"], engine="reference")
    # Rows of flows are written as they close, so the first rows of the run are those of the session.
    told = [session.words.text(row) for row in session.rows]
    again = Words(run.program)
    assert [again.text(row) for row in run.rows][: len(told)] == told


def test_what_was_done_is_saved_as_a_playtest_that_passes(demo: mint.Game, tmp_path: Path) -> None:
    from mint_ledger.game.writing import yaml_of

    session = demo.play(seed=5, habit="careful", dials={"crab.bite": 14}, level="rocks")
    session.go(9)
    session.hit("keeper", "cudgel", "bosun", sure=True)
    session.set("keeper.shutters = 1")
    session.go(2.5)
    text = mint.demo_path().read_text(encoding="utf-8")
    before, _, _ = text.partition("playtests:")
    path = tmp_path / "night.yaml"
    path.write_text(before + yaml_of({"playtests": {"tried": session.playtest()}}, open_to=3), encoding="utf-8")
    [result] = mint.load(path).play_tests()
    assert result.passed, result
    assert len(result.found) >= 5
    # One number off, and it fails: the expectations do look.
    path.write_text(path.read_text(encoding="utf-8").replace("keeper.shutters = 1", "keeper.shutters = 9"))
    assert not mint.load(path).play_tests()[0].passed


def test_a_changed_game_is_played_again_in_the_same_way(well: mint.Game) -> None:
    session = well.play()
    session.go(2)
    session.set("digger.mud += 4")
    assert session.value("digger.mud") == 7.0
    changed = mint.loads(well.to_yaml().replace("mud += 3", "mud += 5"), "well")
    again = session.replayed(changed)
    assert again.time == session.time
    assert again.value("digger.mud") == 9.0
    again.undo()
    assert again.value("digger.mud") == 5.0


def test_why_names_the_posting_the_rule_and_its_line(demo: mint.Game) -> None:
    session = demo.play(seed=7, only_script=True)
    session.cue("landed", speed=9)
    why = session.why("keeper.health")
    assert why.value == "88"
    [reason] = why.reasons
    assert (reason.before, reason.after, reason.cause) == (100.0, 88.0, "a hard landing")
    line = demo.source.text.splitlines()[reason.place.line - 1]
    assert "a hard landing" in line
    assert any("cue.speed > stair_limit" in text for text in reason.lines)
    assert reason.told == ("just before: cue landed (9)",)
    session.go(4)
    oil = session.why("keeper.oil")
    assert oil.flowing is not None
    assert oil.flowing.rate == -0.5
    # The flow that is under way is told, and stays as it was.
    assert oil.reasons[0].after == pytest.approx(70 - 0.5 * session.time)
    assert session.why("keeper.oil") == oil


def test_why_of_a_finished_run_looks_back_at_a_time(demo: mint.Game) -> None:
    run = demo.run(7, habit="careful")
    at = run.why("keeper.health", at=41.2)
    [last] = demo.run(7, habit="careful").statement("keeper.health", 0, 41.2).lines
    assert at.reasons[0].after == 100 + last.total
    assert str(at).startswith("keeper.health is 96.1232 at 41.20 s")
    with pytest.raises(BadRequest, match="nothing to be seen"):
        run.why("keeper.health", at=10_000)
    with pytest.raises(NotFound, match="did you mean"):
        run.why("keeper.helth")


def test_the_statement_of_a_session_counts_the_flow_under_way(well: mint.Game) -> None:
    session = well.play()
    session.go(3)
    statement = session.statement("digger.breath")
    assert statement.reconciles()
    assert (statement.opening, statement.closing) == (20.0, 14.0)
    assert isinstance(session.engine, ReferenceEngine)
    assert session.engine.value(session.engine.program.accounts[0].column, 1) == session.value("digger.breath")


@pytest.mark.parametrize(
    ("happening", "message"),
    [
        ({"hit": "digger", "with": "bte", "by": "rat[1]"}, "did you mean 'bite'"),
        ({"act": "rst"}, "unknown action 'rst', did you mean 'rest'"),
        ({"set": "digger.mudd = 1"}, "did you mean 'mud'"),
        ({"set": "digger.mud"}, "is no change to a stat"),
        ({"meet": ["rat[1]", "digger"]}, "nothing in the game happens as rat and digger meet"),
        ({"habit": "careful"}, "the game has no habits"),
        ({"hti": "digger"}, "did you mean 'hit'"),
        ({"give": "muddy"}, "it is not known whom"),
    ],
)
def test_what_is_no_happening_of_the_game_changes_nothing(well: mint.Game, happening: dict, message: str) -> None:
    session = well.play()
    before = session.engine.snapshot()
    with pytest.raises(BadRequest, match=message):
        session.do(happening)
    assert session.engine.snapshot() == before
    session.go()
    assert session.time == 1.0


def test_a_session_that_cannot_go_on_stays_where_it_was() -> None:
    game = mint.loads(
        "title: Loop\nclock: {step: 1, limit: 9}\nstats: {heat: 0}\nrules:\n"
        "  - {name: boils, when: {every: 3}, do: ['heat = 1 / (heat - heat)']}\n"
        "endings: {never: {result: win, if: heat > 9}}\n"
    )
    session = game.play()
    session.go(2)
    with pytest.raises(mint.RunStopped):
        session.go(2)
    assert session.time == 2.0
    session.undo()
    assert session.time == 0.0


def test_two_statements_stand_side_by_side(demo: mint.Game) -> None:
    one, other = (demo.run(7, habit=habit).statement("keeper.health") for habit in ("careful", "reckless"))
    compared = one.beside(other)
    for index, side in enumerate((one, other)):
        assert sum(line.totals[index] for line in compared.lines) == pytest.approx(side.closing - side.opening)
    assert {line.cause for line in compared.lines} == {line.cause for side in (one, other) for line in side.lines}
    assert all(len(text) <= 80 for text in str(compared).splitlines())
    with pytest.raises(BadRequest, match="different accounts"):
        one.beside(demo.run(7).statement("keeper.oil"))


def test_figures_of_a_statement_and_a_timeline(demo: mint.Game) -> None:
    run = demo.run(7, habit="careful")
    waterfall = run.statement("keeper.health").plot()
    [axis] = waterfall.axes
    labels = [text.get_text().replace("\n", " ") for text in axis.get_xticklabels()]
    assert labels == ["opening", *(line.cause for line in run.statement("keeper.health").lines), "closing"]
    heights = [bar.get_height() for bar in axis.patches]
    assert heights[0] + sum(heights[1:-1]) == pytest.approx(heights[-1])
    [timeline] = run.plot_timeline().axes
    names = [text.get_text() for text in timeline.get_yticklabels()]
    assert names[:3] == ["level", "lantern_swing", "pincer"]
    assert "keeper dazed" in names


def test_a_wrong_question_leaves_no_trace() -> None:
    session = mint.loads("clock: {limit: 5}\nstats: {a: 1}\n").play()
    for text in ("nope > 1", "a and 'x'", "a > nope"):
        with pytest.raises(mint.BadRequest):
            session.holds(text)
    assert session.holds("a > 0")
    with pytest.raises(mint.BadRequest):
        session.set("nope = 3")
    session.set("a = 3")
    assert session.value("a") == 3
