"""A script that happens in every run: of studies, sweeps, targets, comparisons; and who plays them."""

from __future__ import annotations

import json
import multiprocessing
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError
from mint_ledger.game.script_reading import read_script, script_text

GAME = """
title: Plank
clock: {step: 0.5, limit: 60}
numbers: {wind: 2}
kinds:
  walker:
    stats: {steps: {start: 0, min: 0}, nerve: {start: 6, min: 0}}
actions:
  step: {by: walker, cooldown: 0.5, do: ["steps += 1"]}
rules:
  - {name: gust, when: {cue: gust}, do: [walker.nerve -= wind]}
  - {name: luck, when: {every: 1}, do: [{if: chance(0.1), do: [walker.nerve -= 1]}]}
endings:
  over: {result: win, if: walker.steps >= 16}
  fell: {result: lose, if: walker.nerve < 1}
habits:
  brisk: {by: walker, reaction: 1, acts: [{do: step}]}
variants: {gale: {wind: 3}}
targets: [{name: fair, measure: rate(win), want: 0.4..1}, {name: quick, habit: brisk, measure: mean(time), want: 0..40}]
"""
SCRIPT = [{"at": 3, "cue": "gust"}, {"at": 6, "set": "walker.nerve = 1"}]


@pytest.fixture
def game() -> mint.Game:
    return mint.loads(GAME)


@pytest.fixture
def files(tmp_path: Path) -> Path:
    (tmp_path / "plank.yaml").write_text(GAME, "utf-8")
    (tmp_path / "gusts.yaml").write_text("- {at: 3, cue: gust}\n- {at: 6, set: walker.nerve = 1}\n", "utf-8")
    return tmp_path


def test_a_script_happens_in_every_run_and_the_chance_is_a_power(game: mint.Game) -> None:
    """With nerve 1 from time 6 on, no whole second from then to the last step may bring bad luck."""
    last = game.run(habit="brisk", dials={"walker.nerve": 1000}).time
    study = game.scripted([{"at": 6, "set": "walker.nerve = 1"}]).study(20_000, habit="brisk", sure=0.999)
    rate = study.rate("win")
    assert rate.low <= 0.9 ** (last - 6) <= rate.high
    assert game.study(2_000, habit="brisk").rate("win").low > rate.high


@pytest.mark.parametrize("engine", ["native", "reference", "auto"])
def test_run_k_of_a_scripted_study_is_the_run_of_that_script(game: mint.Game, engine: Any) -> None:
    study = game.scripted(SCRIPT).study(60, seed=4, habit="brisk", engine=engine)
    for number in (0, 17, 59):
        run = game.run(4, run=number, habit="brisk", script=SCRIPT)
        assert (study.columns.time[number], study.measures["result"][number]) == (run.time, run.result)


def test_processes_play_the_script_as_well(game: mint.Game) -> None:
    scripted = game.scripted(SCRIPT).with_dials({"wind": 1})
    here = scripted.study(300, habit="brisk")
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as pool:
        there = scripted.study(300, habit="brisk", executor=pool)
    pd.testing.assert_frame_equal(here.measures, there.measures)
    pd.testing.assert_frame_equal(here.measures, scripted.study(300, habit="brisk", engine="reference").measures)


def test_what_turns_dials_keeps_the_script(game: mint.Game) -> None:
    scripted = game.scripted(SCRIPT)
    calm = scripted.turned("gale", {"wind": 0.5})
    again = game.turned("gale", {"wind": 0.5}).scripted(SCRIPT)
    pd.testing.assert_frame_equal(calm.study(100).measures, again.study(100).measures)
    swept = scripted.sweep({"wind": [0.5, 7]}, 100, habit="brisk").table()
    alone = [scripted.study(100, habit="brisk", dials={"wind": wind}).rate("win").value for wind in (0.5, 7)]
    assert list(swept["rate(win)"]) == alone
    assert alone[1] == 0.0
    judged = scripted.judge(100)
    assert judged[0].estimate.value == scripted.study(100, habit="brisk").rate("win").value


def test_looks_and_searches_play_it(game: mint.Game) -> None:
    sudden = game.scripted([{"at": 2, "set": "walker.nerve = 0"}])
    assert sudden.ends(50, habit="brisk").as_json()["ends"][0]["time"]["0.1"] == 2.0
    assert sudden.play_range("brisk", 200, most_runs=2_000).best.value == 0.0


def test_scripts_add_up_and_are_checked(game: mint.Game) -> None:
    both = game.scripted(SCRIPT[:1]).scripted(SCRIPT[1:])
    assert both.run(3).time == game.run(3, script=SCRIPT).time
    assert game.scripted([]) is game
    with pytest.raises(GameError, match="nerv"):
        game.scripted([{"at": 1, "set": "walker.nerv = 1"}])
    with pytest.raises(BadRequest, match="without its script"):
        both.play()
    with pytest.raises(BadRequest, match="what a script does is not walked"):
        both.exact(habit="brisk")


def test_a_script_as_text_is_the_same_again() -> None:
    script = read_script(
        [
            {"at": 1.5, "hit": "keeper", "with": "pincer", "by": "crab[2]", "sure": True},
            {"at": 2, "cue": "landed", "with": {"speed": "2 + 9"}},
            {"at": 3, "set": "walker.nerve -= max(1, wind) * 2"},
            {"at": 4, "give": "dazed", "to": "keeper", "for": "1 + 1"},
            {"at": 5, "move": "keeper", "to": [1, "2 * 3"]},
        ]
    )
    texts = script_text(script)
    assert script_text(read_script([json.loads(text) for text in texts])) == texts
    assert json.loads(texts[0])["with"] == "pincer"


def test_commands_play_a_script(command: Command, files: Path) -> None:
    same = ("--script", "gusts.yaml", "--habit", "brisk", "--runs", "200")
    studied = json.loads(command("study", "plank.yaml", *same, "--json", cwd=files).stdout)
    wins = studied["results"]["win"]["value"]
    assert studied["origin"]["script"] == "gusts.yaml"
    swept = json.loads(command("sweep", "plank.yaml", "--dial", "wind=2,2.5", *same, "--json", cwd=files).stdout)
    assert swept["points"][0]["estimates"]["rate(win)"]["value"] == wins
    judged = json.loads(command("targets", "plank.yaml", *same, "--json", cwd=files).stdout)
    assert judged["targets"][0]["value"] == wins
    compared = json.loads(command("compare", "plank.yaml", "--with", "wind=3", *same, "--json", cwd=files).stdout)
    assert compared["differences"][0]["one"]["value"] == wins
    ranked = json.loads(command("sensitivity", "plank.yaml", *same, "--json", cwd=files).stdout)
    assert ranked["today"] == wins
    exact = command("study", "plank.yaml", *same, "--exact", cwd=files)
    assert (exact.returncode, exact.stdout) == (2, "")
    assert "not walked" in exact.stderr
    (files / "misspelt.yaml").write_text("- {at: 3, cue: guts}\n", "utf-8")
    heard = command("run", "plank.yaml", "--script", "misspelt.yaml", cwd=files)
    assert heard.returncode == 0 and "nothing hears the cue 'guts', did you mean 'gust'" in heard.stderr
    assert "Plank · with a script · brisk" in command("study", "plank.yaml", *same, cwd=files).stdout
    wrong = command("targets", "plank.yaml", "--script", "nowhere.yaml", cwd=files)
    assert wrong.returncode == 2
    assert "nowhere.yaml" in wrong.stderr


@pytest.mark.parametrize(
    "asked",
    [
        ("targets",),
        ("compare", "--with", "wind=3"),
        ("sweep", "--dial", "wind=1,2"),
        ("tune", "--dial", "wind=1..3 by 1", "--want", "0.2..0.4"),
        pytest.param(("sensitivity",), marks=pytest.mark.slow),
    ],
)
def test_both_engines_answer_the_same_and_tables_and_figures_are_written(
    command: Command, files: Path, asked: tuple[str, ...]
) -> None:
    given = (asked[0], "plank.yaml", *asked[1:], "--habit", "brisk", "--runs", "400")
    answers = []
    for engine in ("native", "reference"):
        done = command(*given, "--engine", engine, "-o", f"{engine}.csv", "--plot", f"{engine}.png", cwd=files)
        assert done.returncode in (0, 1), done.stderr
        answers.append(done.stdout.replace(engine, ""))
        assert (files / f"{engine}.png").read_bytes().startswith(b"\x89PNG")
    assert answers[0] == answers[1]
    pd.testing.assert_frame_equal(pd.read_csv(files / "native.csv"), pd.read_csv(files / "reference.csv"))
    assert len(pd.read_csv(files / "native.csv")) >= 1
    unknown = command(*given, "--engine", "nativ", cwd=files)
    assert unknown.returncode == 2
    assert "did you mean 'native'" in unknown.stderr


def test_targets_of_one_habit_and_variant(command: Command, files: Path) -> None:
    judged = json.loads(
        command("targets", "plank.yaml", "--variant", "gale", "--runs", "50", "--json", cwd=files).stdout
    )
    assert [one["name"] for one in judged["targets"]] == ["fair", "quick"]
    game = mint.load(files / "plank.yaml")
    assert [one.target.name for one in game.judge(50, habit="none")] == ["fair"]
    assert game.judge(50, variant="gale")[0].estimate == game.with_variant("gale").judge(50)[0].estimate


def test_lines_of_statements_and_findings_as_tables(command: Command, files: Path) -> None:
    done = command("statement", "plank.yaml", "--all", "-o", "lines.csv", cwd=files)
    assert done.returncode == 0, done.stderr
    table = pd.read_csv(files / "lines.csv")
    assert list(table.columns[:4]) == ["account", "from", "until", "cause"]
    assert table["account"].nunique() == 2
    compared = command("statement", "plank.yaml", "walker.nerve", "--compare", "seed=2", "-o", "both.csv", cwd=files)
    assert compared.returncode == 0, compared.stderr
    assert set(pd.read_csv(files / "both.csv")["account"]) == {"walker.nerve"}
    audited = command("audit", "plank.yaml", "--runs", "0", "--variant", "gale", "-o", "found.csv", cwd=files)
    assert audited.returncode in (0, 1), audited.stderr
    assert {"code", "name", "grade", "line", "what"} <= set(pd.read_csv(files / "found.csv").columns)
