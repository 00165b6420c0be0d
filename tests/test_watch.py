"""`watch` in a process of its own, and what a save moved."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from conftest import Command, heed_ctrl_c

import mint_ledger as mint
from mint_ledger.balance.comparison import compare_games
from mint_ledger.views.watch_text import change_text, look_text
from mint_ledger.watching.change import change_between
from mint_ledger.watching.look import look_at

HARBOUR = """title: Ferryman
clock: {unit: turn, limit: 20}
numbers: {luck: 0.5}
kinds:
  ferryman: {stats: {coins: {start: 3, min: 0, max: 8, whole: true}}}
rules:
  - {name: a crossing, when: {every: 1}, do: [{if: chance(luck), do: [ferryman.coins += 1], else: [ferryman.coins -= 1]}]}
endings:
  broke: {result: lose, if: ferryman.coins <= 0}
  rich: {result: win, if: ferryman.coins >= 8}
variants: {kind: {luck: 0.6}}
targets:
  - {name: about a fifth, measure: rate(win), want: 0.05..0.4}
playtests:
  he starts with three: {expect: [{at: 0, that: ferryman.coins == 3}]}
"""


def test_wins_move_by_the_paired_difference() -> None:
    before = look_at(mint.loads(HARBOUR), 400)
    after = look_at(mint.loads(HARBOUR.replace("luck: 0.5", "luck: 0.65")), 400)
    change = change_between(before, after)
    assert change.dials == (("luck", 0.5, 0.65),)
    assert change.only_numbers
    wins = next(moved.difference for moved in change.moved if moved.difference.name == "wins")
    paired = compare_games(before.game, after.game, runs=400).differences[0]
    assert (wins.one, wins.other, wins.difference) == (paired.one, paired.other, paired.difference)
    assert [(old.verdict, new.verdict) for old, new in change.targets if old] == [("met", "missed")]
    text = change_text(change, after)
    assert "luck 0.5 → 0.65" in text
    found = re.search(r"wins +([\d.]+) → ([\d.]+) % \(\+([\d.]+) ± [\d.]+\)", text)
    assert found is not None
    assert float(found[2]) - float(found[1]) == pytest.approx(float(found[3]), abs=0.11)
    assert max(map(len, text.splitlines())) <= 80


def test_variants_playtests_and_findings_are_told() -> None:
    before = look_at(mint.loads(HARBOUR), 50)
    turned = HARBOUR.replace("{luck: 0.6}", "{luck: 0.7}").replace("start: 3", "start: 4").replace("min: 0, max", "max")
    after = look_at(mint.loads(turned), 50)
    change = change_between(before, after)
    assert ("luck (kind)", 0.6, 0.7) in change.dials
    assert not change.only_numbers
    assert [result.name for result in change.playtests] == ["he starts with three"]
    assert "'he starts with three' FAILS now" in change_text(change, after)
    back = change_between(after, before)
    assert {f.check.name for f in back.gone} == {f.check.name for f in change.new}
    assert "passes again" in change_text(back, before)
    assert "nothing moved" in change_text(change_between(before, before), before) or "no change" in change_text(
        change_between(before, before), before
    )
    assert "targets" in look_text(before)


def test_a_look_is_as_sure_as_is_asked() -> None:
    game = mint.loads(HARBOUR)
    halves = []
    for sure in (0.5, 0.95, 0.999):
        study = look_at(game, 400, 1, sure).studies[None, None]
        estimate = study.rate("win")
        halves.append(estimate.half_width)
        assert (estimate.low, estimate.high) == game.study(400).rate("win").interval(sure)
    assert halves == sorted(halves)
    with pytest.raises(mint.BadRequest, match="between 0 and 1"):
        look_at(game, 400, 1, 1.5)


def test_a_file_that_never_was_is_refused(command: Command) -> None:
    refused = command("watch", "nope.yaml")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "nope.yaml does not exist; `mint-ledger new nope.yaml` makes one" in refused.stderr


class Watching:
    """A `watch` that runs, and what it has said so far."""

    def __init__(self, path: Path, *options: str) -> None:
        self.path = path
        self.out = path.with_suffix(".out")
        self.process = subprocess.Popen(
            [sys.executable, "-m", "mint_ledger.cli.main", "watch", path.name, "--runs", "200", *options],
            cwd=path.parent,
            stdout=self.out.open("w"),
            stderr=subprocess.STDOUT,
            env={**os.environ, "PYTHONIOENCODING": "utf-8"},
            preexec_fn=heed_ctrl_c,
        )

    def wait(self, holds: Callable[[str], bool]) -> str:
        """What it said, once that holds."""
        for _ in range(1200):
            text = self.out.read_text("utf-8")
            if holds(text):
                return text
            assert self.process.poll() is None, text
            time.sleep(0.1)
        raise AssertionError(f"it never said so: {text}")


@pytest.fixture
def watching(tmp_path: Path) -> Iterator[Watching]:
    path = tmp_path / "ferryman.yaml"
    path.write_text(HARBOUR)
    made = Watching(path)
    yield made
    made.process.kill()
    made.process.wait()


def test_each_save_is_answered_a_broken_file_too_and_ctrl_c_ends_it(watching: Watching) -> None:
    watching.wait(lambda text: "targets 1 of 1 met" in text)
    watching.path.write_text(HARBOUR.replace("luck: 0.5", "luck: 0.7"))
    watching.wait(lambda text: "luck 0.5 → 0.7" in text and text.count("targets") >= 2)
    watching.path.write_text(HARBOUR.replace("luck: 0.5", "lukc: 0.5"))
    text = watching.wait(lambda text: "cannot be used; the last good answer stands" in text)
    assert "ferryman.yaml:" in text
    watching.path.unlink()
    watching.wait(lambda text: "is gone; waiting for it to come back" in text)
    # What moved is told against the last game that could be used.
    watching.path.write_text(HARBOUR.replace("luck: 0.5", "luck: 0.55"))
    watching.wait(lambda text: "luck 0.7 → 0.55" in text and text.count("targets") >= 3)
    watching.process.send_signal(signal.SIGINT)
    assert watching.process.wait(timeout=20) == 0
    text = watching.out.read_text("utf-8")
    assert text.rstrip().endswith("no longer watching")
    assert "Traceback" not in text


def test_a_table_beside_the_game_is_watched_with_it(tmp_path: Path) -> None:
    (tmp_path / "waves.csv").write_text("wave,foes\n1,3\n2,5\n", encoding="utf-8")
    (tmp_path / "hill.yaml").write_text(
        "title: Hill\nclock: {unit: turn, limit: 4}\ntables: {waves: {file: waves.csv}}\nstats: {n: 0}\n"
        "rules: [{name: r, when: {every: 1}, do: ['n += waves.foes[turn]']}]\nendings: {full: {result: win, if: n >= 10}}\n",
        encoding="utf-8",
    )
    watching = Watching(tmp_path / "hill.yaml")
    try:
        watching.wait(lambda text: "wins" in text)
        (tmp_path / "waves.csv").write_text("wave,foes\n1,3\n2,1\n", encoding="utf-8")
        watching.wait(lambda text: "waves.foes[2] 5 → 1" in text)
        (tmp_path / "waves.csv").write_text("wave,foes\n1,3\n2,many\n", encoding="utf-8")
        text = watching.wait(lambda text: "cannot be used" in text)
        assert "waves.csv:3:3" in text
        (tmp_path / "waves.csv").write_text("wave,foes\n1,3\n2,6\n", encoding="utf-8")
        watching.wait(lambda text: "waves.foes[2] 1 → 6" in text)
    finally:
        watching.process.send_signal(signal.SIGINT)
        assert watching.process.wait(timeout=20) == 0


def test_what_is_set_stays_set_from_save_to_save(tmp_path: Path) -> None:
    path = tmp_path / "ferryman.yaml"
    path.write_text(HARBOUR)
    watching = Watching(path, "--set", "luck=1")
    try:
        # Whoever always has luck is rich after five crossings.
        watching.wait(lambda text: "all of 200 runs" in text)
        path.write_text(HARBOUR.replace("luck: 0.5", "luck: 0.1"))
        watching.wait(lambda text: "100.0 → 100.0 %" in text and "no change" in text)
    finally:
        watching.process.kill()
        watching.process.wait()
