from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.audit.audit import CHECKS

BOG = """
title: Bog
clock: {step: 0.05, limit: 20}
kinds:
  bog: {}
  walker:
    stats: {warmth: {start: 10, min: 0}}
    rules:
      - {name: sinks, when: {in_contact: bog}, do: [warmth -= 1]}
endings:
  cold: {result: lose, if: walker.warmth == 3.5}
  home: {result: win, if: time >= 10}
"""


@pytest.fixture
def bog(tmp_path: Path) -> Path:
    path = tmp_path / "bog.yaml"
    path.write_text(BOG, "utf-8")
    return path


def test_findings_have_a_code_a_place_a_sentence_and_a_way_to_fix_it(command: Command, bog: Path) -> None:
    result = command("audit", bog.name, "--runs", 0)
    assert result.returncode == 1
    assert "Bog: 2 wrong" in result.stdout
    assert "bog.yaml:9:" in result.stdout
    assert "T201 contact-drains" in result.stdout
    assert "10 are gone in 10 steps" in result.stdout.replace("\n    ", " ")
    assert "fix: Give the attack a cooldown" in result.stdout
    assert max(map(len, result.stdout.splitlines())) <= 80
    plain = json.loads(command("audit", bog.name, "--runs", 0, "--json").stdout)
    assert [(f["code"], f["line"]) for f in plain["findings"]] == [("T201", 9), ("C301", 11)]


def test_check_names_what_needs_no_play_and_stays_at_exit_0(command: Command, bog: Path) -> None:
    result = command("check", bog.name)
    assert result.returncode == 0
    assert "likely mistakes (2 findings" in result.stdout
    assert "line 11" in result.stdout.replace("line  ", "line ")
    assert [f["code"] for f in json.loads(command("check", bog.name, "--json").stdout)["findings"]] == ["T201", "C301"]


def test_a_finding_is_accepted_with_a_reason(command: Command, bog: Path) -> None:
    bog.write_text(
        BOG
        + "allow:\n"
        + "  - {finding: contact-drains, at: sinks, because: it is a deep bog}\n"
        + "  - {finding: C301, because: three it is}\n",
        "utf-8",
    )
    result = command("audit", bog.name, "--runs", 0)
    assert result.returncode == 0
    assert "Bog: no findings" in result.stdout
    assert "it is a deep bog" in result.stdout
    elsewhere = BOG + "allow: [{finding: contact-drains, at: floats, because: no}]\n"
    bog.write_text(elsewhere, "utf-8")
    assert command("audit", bog.name, "--runs", 0).returncode == 1
    bog.write_text(BOG + "allow: [{finding: contact-drains}]\n", "utf-8")
    assert "'because' is missing" in command("check", bog.name).stderr
    bog.write_text(BOG + "allow: [{finding: contakt-drains, because: no}]\n", "utf-8")
    assert "did you mean 'contact-drains'" in command("check", bog.name).stderr


def test_the_sarif_log_has_what_the_standard_requires(command: Command, bog: Path, tmp_path: Path) -> None:
    bog.write_text(BOG + "allow: [{finding: C301, because: three it is}]\n", "utf-8")
    result = command("audit", bog.name, "--runs", 0, "--sarif", "bog.sarif")
    assert result.returncode == 1
    log = json.loads((tmp_path / "bog.sarif").read_text("utf-8"))
    # Section 3.13, 3.14, 3.18, 3.19, 3.27 of SARIF 2.1.0: the properties that must or should be there.
    assert log["version"] == "2.1.0"
    [run] = log["runs"]
    driver = run["tool"]["driver"]
    assert driver["name"] == "mint-ledger"
    ids = [rule["id"] for rule in driver["rules"]]
    assert len(ids) == len(set(ids)) == len(CHECKS)
    first, second = run["results"]
    for made in (first, second):
        assert ids[made["ruleIndex"]] == made["ruleId"]
        assert made["level"] in ("none", "note", "warning", "error")
        assert made["message"]["text"]
        place = made["locations"][0]["physicalLocation"]
        assert place["artifactLocation"]["uri"] == "bog.yaml"
        assert place["region"]["startLine"] >= 1 and place["region"]["startColumn"] >= 1
    assert "suppressions" not in first
    assert second["suppressions"] == [{"kind": "inSource", "justification": "three it is"}]


def test_what_no_check_is_called_and_odd_numbers_of_runs_are_refused(command: Command, bog: Path) -> None:
    wrong = command("audit", bog.name, "--only", "contakt-drains")
    assert wrong.returncode == 2
    assert "did you mean 'contact-drains'" in wrong.stderr
    assert command("audit", bog.name, "--runs", -1).returncode == 2


def test_the_command_of_a_finding_replays_it(command: Command, tmp_path: Path) -> None:
    game = tmp_path / "finish.yaml"
    game.write_text(
        "title: Finish\nclock: {step: 1, limit: 30}\n"
        "stats: {miles: {start: 0, min: 0}, food: {start: 9, min: 0}}\n"
        "rules:\n"
        "  - {name: walks, when: {every: 1}, do: ['miles += whole(1, 2)', 'food -= whole(0, 2)']}\n"
        "endings:\n"
        "  starved: {result: lose, if: food <= 0}\n"
        "  arrived: {result: win, if: miles >= 9}\n",
        "utf-8",
    )
    [finding] = json.loads(command("audit", game.name, "--only", "two-endings-at-once", "--json").stdout)["findings"]
    words = finding["command"].split()
    assert words[:2] == ["mint-ledger", "run"]
    run = json.loads(command(*words[1:], "--json").stdout)
    last = {
        row["account"] if "account" in row else f"{row['entity']}.{row['stat']}".strip("."): row
        for row in run["journal"]
        if row["what"] == "posting"
    }
    assert run["ending"] == "starved"
    assert last["miles"]["after"] >= 9 and last["food"]["after"] <= 0


def test_codes_and_names_are_unique_and_each_check_has_a_test_of_its_own() -> None:
    assert len({check.code for check in CHECKS}) == len({check.name for check in CHECKS}) == len(CHECKS)
    folder = Path(__file__).parent / "audit"
    for check in CHECKS:
        assert (folder / f"test_{check.name.replace('-', '_')}.py").exists(), check.name


@pytest.mark.slow
@pytest.mark.parametrize(
    "path", sorted((Path(__file__).parent.parent / "examples").glob("*.yaml")), ids=lambda p: p.stem
)
def test_the_examples_have_no_findings(path: Path) -> None:
    assert not mint.load(path).audit(runs=20).open


@pytest.mark.slow
def test_the_demo_has_no_findings_and_what_it_accepts_is_found(demo: mint.Game) -> None:
    audit = demo.audit(runs=20)
    assert not audit.open
    [note] = audit.notes
    assert (note.check.name, note.caught.where) == ("never-happened", "lamp out")
    assert "rarer than 1 in" in note.caught.evidence[0]
    assert not demo.audit(runs=0).open


GRADES = """
title: Shed
clock: {step: 0.5, limit: 10}
kinds:
  mole: {stats: {dug: {start: 0, min: 0}, kept: {start: 3, max: 9}}, rules: [{name: digs, when: {every: 1}, do: [dug += 1]}]}
endings: {deep: {result: win, if: mole.dug >= 5}, tired: {result: lose, if: mole.dug < 0}}
"""


def test_only_what_is_wrong_is_an_alarm(command: Command, tmp_path: Path) -> None:
    file = tmp_path / "shed.yaml"
    file.write_text(GRADES.replace(", tired: {result: lose, if: mole.dug < 0}", ""), encoding="utf-8")
    answer = command("audit", file, "--runs", 3)
    assert answer.returncode == 0
    assert "notes more; --all lists them" in answer.stdout
    assert "stat-never-changed" not in answer.stdout
    assert "note: C308 stat-never-changed" in command("audit", file, "--runs", 3, "--all").stdout
    # A condition that cannot hold is proved.
    file.write_text(GRADES, encoding="utf-8")
    answer = command("audit", file, "--runs", 3)
    assert (answer.returncode, "1 wrong" in answer.stdout) == (1, True)
    # What may be wrong is said, and is an alarm for those who ask for it.
    file.write_text(GRADES.replace("mole.dug < 0", "time > 99"), encoding="utf-8")
    maybe = "actions: {rest: {by: mole, do: [dug += 0]}}\n"
    file.write_text(GRADES.replace("if: mole.dug < 0", "if: time > 8 and mole.dug < 2") + maybe, encoding="utf-8")
    answer = command("audit", file, "--runs", 3)
    assert (answer.returncode, "maybe: F511 nobody-plays" in answer.stdout) == (0, True)
    assert command("audit", file, "--runs", 3, "--strict").returncode == 1
    grades = {one["grade"] for one in json.loads(command("audit", file, "--runs", 3, "--json").stdout)["findings"]}
    assert grades == {"maybe", "note"}
    levels = mint.load(file).audit(runs=3).as_sarif()["runs"][0]["results"]
    assert {result["level"] for result in levels} == {"warning", "note"}


def test_a_finding_is_explained_without_a_game(command: Command) -> None:
    told = command("audit", "--about", "F509").stdout
    assert "fires-twice" in told
    assert "wrong: a play or a proof shows it" in told
    assert command("audit", "--about", "fires-twise").returncode == 2
    assert "wants a game file" in command("audit").stderr


def test_kinds_that_are_like_another_have_its_findings_once() -> None:
    text = "kinds: {a: {stats: {h: 1}}, b: {like: a}, c: {like: a}}\n"
    [finding] = mint.loads(text).audit(only=["stat-never-read"]).findings
    assert finding.caught.evidence == ("the same of b.h, c.h",)


def test_a_quick_audit_and_one_without_time_say_what_they_did_not_look_at() -> None:
    game = mint.load(mint.demo_path())
    quick = game.audit(quick=True)
    assert quick.unlooked == (
        "players other than the habits",
        "step-length-matters",
        "once-in-every-step",
        "order-of-rules-matters",
        "seats-unfair",
    )
    assert 0 < quick.runs < game.audit(runs=12, only=["much-waste"]).runs
    hasty = game.audit(seconds=1e-6)
    assert hasty.runs <= len(game.habits) and "much-waste" in hasty.unlooked
    assert "step-length-matters" in hasty.unlooked
    assert "Not tested: " in hasty.summary()
    assert not game.audit(runs=2, only=["much-waste"]).unlooked
    # Four play something changed, four search for the best habit.
    assert quick.checks == len(CHECKS) - 8
    assert game.audit(quick=True, only=["once-in-every-step"]).unlooked == ("players other than the habits",)
    for seconds in (0, "3", None, float("nan"), True):
        with pytest.raises(mint.BadRequest, match="more than 0"):
            game.audit(seconds=seconds)  # type: ignore[arg-type]


def test_findings_are_told_as_they_are_found_the_cheapest_first() -> None:
    told = []
    audit = mint.loads(BOG, "game.yaml").audit(runs=5, found=told.append)
    assert sorted(finding.check.name for finding in told) == sorted(finding.check.name for finding in audit.findings)
    assert [finding.check.plays for finding in told] == sorted(finding.check.plays for finding in told)


def test_audit_on_the_command_line_can_be_quick(command: Command) -> None:
    done = command("audit", str(mint.demo_path()), "--quick")
    assert done.returncode == 0 and "Not tested: players other than the habits, step-length" in done.stdout
    left = json.loads(command("audit", str(mint.demo_path()), "--seconds", "0.001", "--json").stdout)["unlooked"]
    assert "seats-unfair" in left
    assert command("audit", str(mint.demo_path()), "--seconds", "0").returncode == 2
