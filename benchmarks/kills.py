"""Kills commands at random moments: nothing that was stored is lost, and no file is ever half written.

python benchmarks/kills.py [TIMES] [SEED]; each of `study --store`, `tune --write`, `tables import --write`, `report`
and `watch` is killed so many times (100 by default), at a moment drawn again each time.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import mint_ledger as mint
from mint_ledger.studies.store import Store

COMMAND = [sys.executable, "-m", "mint_ledger.cli.main"]


def killed(folder: Path, given: list[str], after: float) -> bool:
    """Start a command and kill it after a while; whether it was still at work."""
    process = subprocess.Popen([*COMMAND, *given], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        process.wait(after)
    except subprocess.TimeoutExpired:
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        return True
    return False


def is_whole_game(text: str, before: str) -> bool:
    """Whether a game file is as it was, or as it was to become."""
    return text == before or mint.loads(text).dials.names == mint.loads(before).dials.names


def main() -> None:
    """Kill and look."""
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    luck = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    folder = Path(tempfile.mkdtemp())
    before = mint.demo_path().read_text("utf-8")
    game = folder / "game.yaml"
    game.write_text(before, "utf-8")
    other = before.replace("bite: 12", "bite: 11")
    (folder / "other.yaml").write_text(other, "utf-8")
    subprocess.run(
        [*COMMAND, "tables", "export", "other.yaml", "-o", "book.xlsx"], cwd=folder, check=True, capture_output=True
    )
    target = mint.load(game).targets[0].name
    kept = 0

    def store_is_sound() -> bool:
        nonlocal kept
        if not (folder / "nights.sqlite").exists():
            return kept == 0
        with Store(folder / "nights.sqlite") as store:
            entries = store.entries()
            runs = entries[0].runs if entries else 0
            sound = runs >= kept and all(study.is_sound for study in store.verify(again=0))
        kept = runs
        return sound

    def page_is_whole() -> bool:
        page = folder / "page.html"
        return not page.exists() or page.read_text("utf-8").rstrip().endswith("</html>")

    def game_is_whole() -> bool:
        whole = is_whole_game(game.read_text("utf-8"), before)
        game.write_text(before, "utf-8")
        return whole

    study = ["study", "game.yaml", "--runs", "200000", "--habit", "careful", "--store", "nights.sqlite"]
    cases: dict[str, tuple[list[str], float, Callable[[], bool]]] = {
        "study --store": (study, 3.0, store_is_sound),
        "tune --write": (
            ["tune", "game.yaml", "--dial", "crab.bite=1..30", "--target", target, "--runs", "400", "--write"],
            6.0,
            game_is_whole,
        ),
        "tables import --write": (["tables", "import", "game.yaml", "book.xlsx", "--write"], 2.5, game_is_whole),
        "report": (["report", "game.yaml", "-o", "page.html", "--runs", "200"], 8.0, page_is_whole),
        "watch": (["watch", "game.yaml", "--runs", "200"], 3.0, game_is_whole),
    }
    wrong = 0
    for name, (given, longest, is_sound) in cases.items():
        at_work = unsound = 0
        began = time.monotonic()
        for _ in range(times):
            at_work += killed(folder, given, luck.uniform(0.2, longest))
            unsound += not is_sound()
        wrong += unsound
        took = time.monotonic() - began
        print(
            f"{name:<24}{times:>5} kills, {at_work} at work; lost or half written: {unsound} ({took:.0f} s)", flush=True
        )
    shutil.rmtree(folder)
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
