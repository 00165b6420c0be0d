"""Makes the pictures of docs/screenshots/ from the demo: commands in a terminal of 80 columns, figures, the report's page.

Those of README and the tutorial come from the game that `mint-ledger new` writes, and go into docs/figures/.

    python docs/make_shots.py [NAME ...]

What a terminal shows is taken with xterm and ImageMagick under Xvfb, a page with headless Chromium; where one of them is
missing, its pictures are left as they are, and it says so. `made_of.json` keeps a digest of the text that each picture
was made of (of a figure: what its command prints), so that a test can tell when a picture is older than what it shows.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SHOTS = Path(__file__).parent / "screenshots"
MADE_OF = SHOTS / "made_of.json"
ORCHARD_SHOTS = Path(__file__).parent / "figures"
DISPLAY = ":93"
# As many lines as the longest command shows, its progress included; what is white below is cut off.
ROWS = 72
GAME = "saltmere.yaml"
# Each command as it stands in the picture; what takes input has it behind `|`, as people type it.
COMMANDS = {
    "check": f"mint-ledger check {GAME}",
    "run": f"mint-ledger run {GAME} --seed 3 --habit careful",
    "statement": f"mint-ledger statement {GAME} keeper.health --seed 3 --habit careful",
    "why": f"mint-ledger why {GAME} keeper.health --seed 3 --habit careful --at 200",
    "audit": f"mint-ledger audit {GAME} --quick",
    "study": f"mint-ledger study {GAME} --habit careful --runs 2000",
    "targets": f"mint-ledger targets {GAME} --runs 1000",
    "compare": f"mint-ledger compare {GAME} --with crab.bite=13 --habit careful --runs 2000",
    "tune": f"mint-ledger tune {GAME} --dial crab.bite=1..30 --want 0.55..0.65 --habit careful --runs 4000",
    "try": f"printf 'go 1\\nact swing\\nwhy keeper.stamina 1\\nundo\\n' | mint-ledger try {GAME} --seed 3",
    "demo": "mint-ledger demo tour | tail -48",
}
# What does not end by itself, or says how long it took: no digest is kept of it.
LIVE = {
    "watch": f"(sleep 9; sed -i 's/bite: 12/bite: 13/' {GAME}) & timeout 24 mint-ledger watch {GAME} --runs 1000",
}
FIGURES = {
    "run-plot": f"mint-ledger run {GAME} --seed 3 --habit careful --plot",
    "study-plot": f"mint-ledger study {GAME} --habit careful --runs 4000 --plot",
    "sweep-plot": f"mint-ledger sweep {GAME} --dial crab.bite=6..18 --habit careful --runs 1000 --plot",
    "sensitivity-plot": f"mint-ledger sensitivity {GAME} --habit careful --runs 1000 --plot",
    "matchup-plot": f"mint-ledger matchup {GAME} --plot",
}
# Each with the game that `new` writes; the last two are of what the tutorial has made of it.
ORCHARD = "orchard.yaml"
ORCHARD_FIGURES = {
    "tutorial-run": f"mint-ledger run {ORCHARD} --habit patient --plot",
    "tutorial-study": f"mint-ledger study {ORCHARD} --habit patient --runs 10000 --plot",
    "tutorial-compare": f"mint-ledger compare {ORCHARD} --habit patient --runs 10000 --with wasp.health=7 --plot",
    "tutorial-sweep": f"mint-ledger sweep {ORCHARD} --habit patient --dial wasp.health=5..12 --runs 4000 --plot",
    "tutorial-tune": f'mint-ledger tune {ORCHARD} --dial "wasp.sting=2..6 by 0.1" '
    '--target "patient players mostly win" --plot',
}


def games(folder: Path) -> None:
    """Write the games of the pictures into a folder."""
    from mint_ledger.demo import demo_text, starter_text

    (folder / GAME).write_text(demo_text(), "utf-8")
    (folder / ORCHARD).write_text(starter_text(), "utf-8")


def text_of(command: str, folder: Path) -> str:
    """What a command writes into a pipe of 80 columns, without times that a machine takes."""
    environment = {**os.environ, "COLUMNS": "80", "NO_COLOR": "1", "PYTHONIOENCODING": "utf-8"}
    done = subprocess.run(
        ["bash", "-c", command], cwd=folder, env=environment, capture_output=True, text=True, check=False
    )
    return re.sub(r"\d+(?:\.\d+)? s(?=\b.*Ctrl-C)", "", done.stdout)


def without_plot(command: str) -> str:
    """The command of a figure without its figure: what it prints is what the figure shows."""
    return command.removesuffix(" --plot")


def digest(text: str) -> str:
    """A short digest of a text."""
    return hashlib.blake2s(text.encode(), digest_size=8).hexdigest()


def terminal_shot(name: str, command: str, folder: Path) -> None:
    """A picture of a terminal in which a command was typed."""
    done = folder / "done"
    script = folder / "shown.sh"
    script.write_text(
        f"export TERM=xterm-256color\nprintf '$ %s\\n' {shlex.quote(command)}\n{command}\n"
        f"touch {shlex.quote(str(done))}\nsleep 30\n",
        "utf-8",
    )
    environment = {**os.environ, "DISPLAY": DISPLAY}
    look = ["-geometry", f"80x{ROWS}+0+0", "-fa", "DejaVu Sans Mono", "-fs", "11", "-bg", "white", "-fg", "black"]
    shown = ["xterm", *look, "-e", "bash", str(script)]
    with subprocess.Popen(shown, cwd=folder, env=environment) as terminal:
        for _ in range(600):
            if done.exists():
                break
            time.sleep(0.2)
        time.sleep(1.0)
        tree = subprocess.run(["xwininfo", "-root", "-tree"], env=environment, capture_output=True, text=True, check=True)
        window = next(line.split()[0] for line in tree.stdout.splitlines() if "xterm" in line.lower())
        target = SHOTS / f"{name}.png"
        subprocess.run(["import", "-window", window, str(target)], env=environment, check=True)
        subprocess.run(["mogrify", "-trim", "-bordercolor", "white", "-border", "8", str(target)], check=True)
        terminal.kill()
    done.unlink()


def main() -> None:
    asked = set(sys.argv[1:])
    made_of = json.loads(MADE_OF.read_text("utf-8")) if MADE_OF.exists() else {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        games(folder)
        has_terminal = all(map(shutil.which, ("Xvfb", "xterm", "import", "xwininfo")))
        if has_terminal:
            server = subprocess.Popen(
                ["Xvfb", DISPLAY, "-screen", "0", "1000x1400x24"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            time.sleep(1.0)
            try:
                for shot, command in (COMMANDS | LIVE).items():
                    if not asked or shot in asked:
                        if shot in COMMANDS:
                            made_of[shot] = digest(text_of(command, folder))
                        terminal_shot(shot, command, folder)
                        print(shot, flush=True)
            finally:
                server.kill()
        else:
            print("no Xvfb, xterm or ImageMagick: the pictures of commands are left as they are")
        for where, figures in ((SHOTS, FIGURES), (ORCHARD_SHOTS, ORCHARD_FIGURES)):
            for shot, command in figures.items():
                if not asked or shot in asked:
                    made_of[shot] = digest(text_of(without_plot(command), folder))
                    drawn = [*shlex.split(command), str(where / f"{shot}.png"), "-q"]
                    subprocess.run(drawn, cwd=folder, check=True)
                    print(shot, flush=True)
        tuned = ["--set", "wasp.sting=3.7", "--runs", "20000"]
        reports = ((GAME, [], SHOTS / "report.png"), (ORCHARD, tuned, ORCHARD_SHOTS / "tutorial-report.png"))
        for game, options, picture in reports:
            if (not asked or picture.stem in asked) and shutil.which("chromium"):
                page = folder / "night.html"
                subprocess.run(["mint-ledger", "report", game, *options, "-o", str(page), "-q"], cwd=folder, check=True)
                browser = ["chromium", "--headless", "--no-sandbox", "--window-size=1280,800"]
                subprocess.run([*browser, f"--screenshot={picture}", page.as_uri()], check=True, capture_output=True)
                print(picture.stem, flush=True)
    MADE_OF.write_text(json.dumps(made_of, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    main()
