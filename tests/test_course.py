"""The course of a game by level, visit and wave: against hand arithmetic, and against the study of the same runs."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import run_command

import mint_ledger as mint
from mint_ledger.errors import Partial

WELL = """
title: Well
clock: {step: 0.5, limit: 40}
stats: {wave: {start: 1, whole: true}, water: {start: 0, min: 0, max: 25, recover: {rate: 1}}}
rules:
  - {name: next wave, when: {every: 10}, do: [wave += 1]}
  - {name: spill, when: {every: 17}, do: [water -= 3]}
endings: {done: {result: win, if: time >= 38}}
"""
TIDES = """
title: Tides
clock: {step: 1, limit: 90}
stats: {steps: 0, shells: 0}
levels:
  shore: {until: level_time >= 3, next: [{go: cave}]}
  cave: {until: level_time >= 2, next: [{go: shore}]}
rules:
  - {name: walks, when: {every: 1}, do: [steps += 1]}
  - {name: finds, when: {level: cave}, do: [shells += 2]}
endings: {home: {result: win, if: steps >= 39}}
"""
# In each wave one is caught with chance 1/4.
CHAIN = """
title: Chain
clock: {step: 1, limit: 60}
stats: {wave: {start: 1, whole: true}, caught: 0}
rules:
  - {name: hunts, when: {every: 4}, do: [{if: chance(0.25), do: [caught = 1], else: [wave += 1]}]}
endings: {caught: {result: lose, if: caught == 1}, safe: {result: win, if: wave >= 6}}
"""


def test_what_flows_over_the_border_of_two_waves_is_shared_out_by_time() -> None:
    course = mint.loads(WELL).course("wave", 3, accounts=["water"])
    told = [(part.name, part.time.value, dict(_values(part, "water"))) for part in course.stretches]
    assert told == [
        ("wave 1", 10.0, {"recover": 10.0}),
        ("wave 2", 10.0, {"spill": -3.0, "recover": 10.0}),
        ("wave 3", 10.0, {"recover": 8.0}),
        ("wave 4", 8.0, {"spill": -3.0, "recover": 3.0}),
    ]
    assert [part.quantile("water", 0.5).value for part in course.stretches] == [10.0, 17.0, 25.0, 25.0]


def _values(part: object, account: str) -> list[tuple[str, float]]:
    return [(cause, estimate.value) for cause, estimate in part.causes(account)]  # type: ignore[attr-defined]


def test_a_level_that_comes_back_eight_times_is_eight_visits() -> None:
    visits = mint.loads(TIDES).course("visit", 2, accounts=["shells"])
    names = [part.name for part in visits.stretches]
    assert names == [name for k in range(1, 9) for name in (f"shore, visit {k}", f"cave, visit {k}")]
    assert [part.time.value for part in visits.stretches[:4]] == [3.0, 2.0, 3.0, 2.0]
    assert visits.stretches[3].change("shells").value == 2.0
    levels = mint.loads(TIDES).course("level", 2, accounts=["shells"])
    shore, cave = levels.stretches
    # Eight times three seconds, seven times two, and the one that is left of 39 steps.
    assert (shore.time.value, cave.time.value) == (24.0, 15.0)
    assert cave.change("shells").value == 16.0
    assert cave.ended == ("win", "win")


def test_the_waves_of_a_chain_are_come_to_and_ended_in_as_its_chances_say() -> None:
    course = mint.loads(CHAIN).course("wave", 3_000, 5, accounts=["caught"])
    for wave, part in enumerate(course.stretches, 1):
        known = 0.75 ** (wave - 1)
        low, high = part.reached.interval(0.999)
        assert low <= known <= high
        if wave < 6:
            low, high = part.ends("lose").interval(0.999)
            assert low <= 0.25 <= high
            assert part.time.value == 4.0
    assert [part.name for part in course.stretches] == [f"wave {wave}" for wave in range(1, 7)]
    assert set(course.stretches[-1].ended) == {"win"}


@pytest.mark.parametrize("per", ["level", "visit", "ships"])
def test_all_stretches_add_up_to_the_study_of_the_same_runs(demo: mint.Game, per: str) -> None:
    course, study = demo.course(per, 60, 3, habit="careful"), demo.study(60, 3, habit="careful")
    assert course.accounts == study.accounts
    for account in course.accounts:
        totals: dict[str, float] = {}
        for part in course.stretches:
            for (name, cause), points in part.changes.items():
                if name == account:
                    totals[cause] = totals.get(cause, 0.0) + float(points.sum()) / 60
        known = study.by_cause(account).set_index("cause")["total"]
        assert totals == pytest.approx(known[known != 0.0].to_dict(), abs=1e-9)
    assert sum(float(part.times.sum()) for part in course.stretches) == pytest.approx(study.values("time").sum())
    ended = [result for part in course.stretches for result in part.ended]
    assert ended.count("win") == round(60 * study.rate("win").value)
    assert len(ended) == 60


def test_both_engines_tell_the_same_course(demo: mint.Game) -> None:
    one, other = (demo.course("ships", 3, 4, habit="careful", engine=engine) for engine in ("native", "reference"))
    assert one.as_json() == other.as_json()


def test_a_course_that_is_stopped_tells_of_the_runs_it_has(demo: mint.Game) -> None:
    def stop(done: int, _: int) -> None:
        if done >= 100:
            raise KeyboardInterrupt

    with pytest.raises(Partial) as stopped:
        demo.course("level", 300, 1, progress=stop)
    assert stopped.value.answer.as_json() == demo.course("level", 100, 1).as_json()


def test_what_cannot_be_told_by_is_refused(demo: mint.Game) -> None:
    with pytest.raises(mint.BadRequest, match="no levels"):
        mint.loads(WELL).course("level")
    with pytest.raises(mint.NotFound, match="did you mean 'ships'"):
        demo.course("ship")


def test_the_command_tells_draws_and_writes_the_course(tmp_path: Path) -> None:
    game = tmp_path / "chain.yaml"
    game.write_text(CHAIN)
    command = ["mint-ledger", "study", str(game), "--per", "wave", "--runs", "40", "--account", "caught"]
    table, figure = tmp_path / "course.csv", tmp_path / "course.svg"
    more = ["-o", str(table), "--plot", str(figure)]
    told = run_command(*command[1:], *more).stdout
    assert "the course by wave" in told
    assert max(map(len, told.splitlines())) <= max(80, len(str(table)) + 20)
    assert table.read_text().startswith("stretch,reached,time")
    assert "<svg" in figure.read_text()
    numbers = json.loads(run_command(*command[1:], "--json").stdout)
    assert [part["name"] for part in numbers["stretches"]][:2] == ["wave 1", "wave 2"]
    assert numbers["stretches"][0]["reached"]["value"] == 1.0


CLIMB = """
title: Climb
clock: {unit: turn, limit: 40}
kinds:
  climber:
    stats:
      ring: {start: 0, min: 0, max: 40, whole: true}
      rank: {formula: "floor(ring / 3)"}
      late: {formula: "floor(time / 3)"}
rules:
  - {name: climbs, when: {every: 1}, do: ["climber.ring += 1"]}
endings: {up: {result: win, if: climber.rank >= 4}}
"""


def test_a_stat_that_has_a_formula_divides_the_runs_as_its_values_by_hand() -> None:
    course = mint.loads(CLIMB).course(runs=5, per="climber.rank")
    # One ring a turn: three turns in each rank, and the win as the fourth begins.
    assert [part.name for part in course.stretches] == [f"climber.rank {rank}" for rank in range(5)]
    assert [part.time.value for part in course.stretches] == [3.0, 3.0, 3.0, 3.0, 0.0]
    assert [part.ended for part in course.stretches] == [()] * 4 + [("win",) * 5]
    told = course.stretches[1].change("climber.ring")
    assert told.value == 3.0


def test_a_formula_that_reads_the_clock_divides_nothing_and_says_why() -> None:
    with pytest.raises(mint.MintError, match="reads more than stats and dials"):
        mint.loads(CLIMB).course(runs=5, per="climber.late")
