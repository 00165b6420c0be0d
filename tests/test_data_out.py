"""Data for other tools: journals, measures and sweeps as files, JUnit for build servers, what notebooks show."""

from __future__ import annotations

import io
import json
from pathlib import Path

import pandas as pd
import pytest
from conftest import Command
from lxml import etree

import mint_ledger as mint
from mint_ledger.errors import BadRequest
from mint_ledger.tables.data import table_bytes

MILL = """
title: "Mill <b>& sons</b>"
about: A miller and two mice.
clock: {unit: turn, limit: 40}
kinds:
  miller: {side: mill, stats: {health: {start: 10, min: 0, max: 10}, sacks: {start: 0, min: 0}}}
  mouse: {side: field, copies: 2}
attacks: {nibbles: {from: mouse, to: miller, when: {every: 2}, lands: 0.3, damage: 1}}
rules: [{name: grinds, when: {every: 1}, do: [miller.sacks += 1]}]
endings:
  bare: {result: lose, if: miller.health <= 0}
  full: {result: win, if: miller.sacks >= 24}
targets:
  - {name: mostly full, measure: rate(win), want: 0.9..}
  - {name: mostly bare, measure: rate(lose), want: 0.9..}
  - {name: on the edge, measure: median(closing(miller.health)), want: 2.5..9}
playtests:
  he grinds: {only_script: true, expect: [{at: 3, that: miller.sacks == 0}]}
  he is lazy: {expect: [{at: 3, that: miller.sacks == 2}]}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "mill.yaml").write_text(MILL)
    return tmp_path


def read(path: Path) -> pd.DataFrame:
    if path.suffix == ".csv":
        return pd.read_csv(path)
    return pd.read_json(path, lines=True) if path.suffix == ".jsonl" else pd.read_parquet(path)


@pytest.mark.parametrize(
    "form", ["csv", *(pytest.param(form, marks=pytest.mark.slow) for form in ("jsonl", "parquet"))]
)
def test_journal_measures_and_sweep_come_back_the_same_from_each_form(
    folder: Path, command: Command, form: str
) -> None:
    game = mint.load(folder / "mill.yaml")
    assert command("run", "mill.yaml", "-o", f"run.{form}").returncode == 0
    journal = read(folder / f"run.{form}")
    assert journal["after"].tolist() == pytest.approx(game.run().journal["after"].tolist(), nan_ok=True, abs=0)
    measured = ("--measure", "left=closing(miller.health)", "--runs", 60)
    assert command("study", "mill.yaml", *measured, "-o", f"runs.{form}").returncode == 0
    study = game.study(60, measures={"left": "closing(miller.health)"})
    runs = read(folder / f"runs.{form}")
    assert runs["run"].tolist() == list(range(60))
    assert runs["result"].astype(str).tolist() == study.measures["result"].astype(str).tolist()
    assert runs["left"].tolist() == study.measures["left"].tolist()
    swept = command("sweep", "mill.yaml", "--dial", "nibbles.lands=0.1,0.5", "--runs", 40, "-o", f"sweep.{form}")
    assert swept.returncode == 0
    assert read(folder / f"sweep.{form}")["nibbles.lands"].tolist() == [0.1, 0.5]
    assert command("matchup", "mill.yaml", "-o", f"pairs.{form}").returncode == 0
    assert read(folder / f"pairs.{form}")["attack"].tolist() == ["nibbles"]


def test_a_form_that_is_none_is_refused(folder: Path, command: Command) -> None:
    refused = command("study", "mill.yaml", "--runs", 20, "-o", "runs.ods")
    assert refused.returncode == 2
    assert "runs.ods: data is written as .csv, .jsonl or .parquet" in refused.stderr
    with pytest.raises(BadRequest):
        table_bytes(".xls", pd.DataFrame())
    assert table_bytes(".jsonl", pd.DataFrame({"a": []})) == b""
    assert pd.read_parquet(io.BytesIO(table_bytes(".parquet", pd.DataFrame({"a": [1.5]}))))["a"].tolist() == [1.5]


def test_junit_has_a_case_for_each_playtest_and_target_and_fits_the_common_schema(
    folder: Path, command: Command
) -> None:
    checked = command("check", "mill.yaml", "--junit", "results.xml")
    assert checked.returncode == 1
    tree = etree.parse(folder / "results.xml")
    schema = etree.XMLSchema(etree.parse(Path(__file__).parent / "junit.xsd"))
    assert schema.validate(tree), schema.error_log
    cases = {case.get("name"): case for case in tree.iter("testcase")}
    assert list(cases) == ["he grinds", "he is lazy", "mostly full", "mostly bare", "on the edge"]
    assert len(cases["he grinds"]) == 0
    failure = cases["he is lazy"].find("failure")
    assert failure is not None
    assert "expected miller.sacks == 2" in failure.get("message")
    assert "miller.sacks is 3" in failure.text
    assert "expected rate(lose) of at least 90 %; found" in cases["mostly bare"].find("failure").get("message")
    assert tree.getroot().get("name") == "Mill <b>& sons</b>"
    counts = [(suite.get("name"), suite.get("tests"), suite.get("failures")) for suite in tree.iter("testsuite")]
    assert counts == [("playtests", "2", "1"), ("targets", "3", "1")]
    assert tree.getroot().get("tests") == "5"


def test_notebooks_show_short_tables_without_scripts_and_escape_everything() -> None:
    game = mint.loads(MILL)
    run = game.run()
    study = game.study(50, measures={"left": "closing(miller.health)"})
    shown = {
        "game": game,
        "run": run,
        "journal": run.journal,
        "statement": run.statement("miller.health"),
        "study": study,
        "sweep": game.sweep({"nibbles.lands": "0.1,0.5"}, 40),
        "tuned": game.tune("nibbles.lands", "0..1", "rate(win)", "0.3..0.7", runs=400),
        "several": game.tune_many({"nibbles.lands": "0..1"}, ["mostly full"], runs=200),
        "matchups": game.matchups(),
        "audit": game.audit(runs=0),
        "comparison": game.exact(),
    }
    for name, value in shown.items():
        html = value._repr_html_()
        assert html, name
        assert "<script" not in html, name
        assert "<b>" not in html, name
        assert len(html) < 60_000, name
        etree.HTML(html)
    text = "".join(etree.HTML(shown["statement"]._repr_html_()).itertext())
    assert "opening" in text and "nibbles" in text and "closing" in text
    assert f"{100 * study.rate('win').value:.0f}" in "".join(etree.HTML(study._repr_html_()).itertext())
    assert "Mill <b>& sons</b>" in "".join(etree.HTML(game._repr_html_()).itertext())


def test_the_journals_columns_are_described(demo: mint.Game) -> None:
    from mint_ledger.journal.table import COLUMNS

    text = (Path(__file__).parent.parent / "docs" / "columns.md").read_text("utf-8")
    assert all(f"| `{column}` |" in text for column in COLUMNS)
    assert all(f"| `{column}` |" in text for column in demo.study(5, habit="careful").measures.columns)
    assert json.dumps(list(COLUMNS))
