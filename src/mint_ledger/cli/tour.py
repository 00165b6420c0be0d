"""The guided tour of `mint-ledger demo`: each step shows the command that makes it, and what comes of it."""

from __future__ import annotations

from pathlib import Path

from mint_ledger.cli.files import write_figure, write_journal
from mint_ledger.cli.output import say
from mint_ledger.cli.progress import study_progress
from mint_ledger.client import Game, load
from mint_ledger.demo import demo_plays_text, demo_text
from mint_ledger.errors import BadRequest
from mint_ledger.files import write_text
from mint_ledger.playing.run import Run
from mint_ledger.views.check_text import check_text
from mint_ledger.views.statement_text import statement_text
from mint_ledger.views.story import story_text
from mint_ledger.views.study_plots import plot_study
from mint_ledger.views.why_text import why_text

SEED = 3
HABIT = "careful"
PLAY = f"--seed {SEED} --habit {HABIT}"
NAME = "saltmere.yaml"
PLAYS = "plays.csv"


def tour(folder: Path, runs: int) -> None:
    """Take the tour; its files go into `folder`, which is made if it is not there."""
    path = _prepare(folder)
    _heading(1, "A game is one file that a designer can read", "")
    say(f"{path} holds the demo game.\nOpen it beside this, and try the commands in its folder:\n\n$ cd {folder}")
    game = load(path)
    _heading(2, "Is it valid, and do its playtests pass?", f"mint-ledger check {NAME}")
    say(check_text(game, game.lowered, game.play_tests(), game.audit(runs=0)))
    _one_run(game, path, folder)
    _heading(5, "What usually goes wrong: does it go wrong here?", f"mint-ledger audit {NAME}")
    say(game.audit().summary())
    say("\nNobody ever loses by the lamp: good to know before somebody tunes the oil.")
    say(f"To look into a night by hand, step by step:\n\n$ mint-ledger try {NAME} {PLAY}")
    study = f"mint-ledger study {NAME} --habit {HABIT} --runs {runs}"
    _heading(6, "Play it many times: how fair is it, and what takes the health?", f"{study} --plot nights.png")
    with study_progress("playing") as progress:
        made = game.study(runs, habit=HABIT, times=[float(t) for t in range(0, 241, 2)], progress=progress)
    say(made.summary())
    say(f"\nThese are {runs:,} of the nights that can be; more make the intervals narrower.")
    write_figure(folder / "nights.png", plot_study(made))
    say(f"{folder / 'nights.png'} shows how they end, and when.")
    _heading(7, "Turn some dials and ask again", f"{study} --variant calm")
    with study_progress("playing") as progress:
        harder = game.study(runs, habit=HABIT, variant="calm", progress=progress)
    before, after = made.rate("win"), harder.rate("win")
    usual, calm = (f"{100 * e.value:.1f} % ({100 * e.low:.1f} to {100 * e.high:.1f})" for e in (before, after))
    say(f"{usual} of the usual nights are won,\n{calm} of the calm ones.")
    command = f"mint-ledger tune {NAME} --dial crab.bite=8..16 --want 0.7..0.8 \\\n    --habit {HABIT} --runs 4000"
    _heading(8, "Which number makes it as fair as we want?", command)
    say(game.tune("crab.bite", "8..16", want="0.7..0.8", habit=HABIT, runs=4_000).summary())
    say("\nWith --write the number goes into the file; compare shows what else changes.")
    _heading(9, "Do real players play like that?", f"mint-ledger players {NAME} {PLAYS} --like {HABIT}")
    say(game.judge_plays(game.read_plays(folder / PLAYS, any_version=True), habit=HABIT).summary())
    say(f"\n{PLAYS} holds made-up plays. Which numbers of a habit would play like them:")
    say(f"\n$ mint-ledger players {NAME} {PLAYS} --like reckless \\\n    --fit reckless.slips=0..0.6")
    say(f"\nAll files are in {folder}. To make a game of your own:\n\n$ mint-ledger new mygame.yaml")


def _prepare(folder: Path) -> Path:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadRequest(f"{folder} cannot be made: {error.strerror or error}") from None
    path = folder / NAME
    # A file that the designer has changed since the last tour is theirs.
    if not path.exists():
        write_text(path, demo_text())
    if not (folder / PLAYS).exists():
        write_text(folder / PLAYS, demo_plays_text())
    return path


def _one_run(game: Game, path: Path, folder: Path) -> None:
    played = game.run(SEED, habit=HABIT)
    _heading(3, "Play one night, and read what happened", f"mint-ledger run {NAME} {PLAY} --to 6")
    say(story_text(played, end=6, with_readout=False))
    last = max(0.0, played.time - 3)
    say(f"\n… and its end:\n\n$ mint-ledger run {NAME} {PLAY} --from {last:g}\n")
    say(story_text(played, start=last, with_title=False))
    _heading(4, "Where did every point go?", f"mint-ledger statement {NAME} keeper.health {PLAY}")
    say(statement_text(played.statement("keeper.health")))
    at = _last_loss(played)
    say(f"\nAnd why, at the last loss?\n\n$ mint-ledger why {NAME} keeper.health --at {at:g} --count 1 \\")
    say(f"    {PLAY}\n")
    say(why_text(played.why("keeper.health", at, 1)))
    picture, journal = folder / "night.png", folder / "night.csv"
    write_figure(picture, played.plot())
    write_journal(journal, played)
    say("\nThe same night as a picture, and every change of it as a table:\n")
    say(f"$ mint-ledger run {NAME} {PLAY} --plot {picture.name}")
    say(f"$ mint-ledger run {NAME} {PLAY} -o {journal.name}")


def _last_loss(played: Run) -> float:
    """The time of the last posting that took from the keeper's health."""
    table = played.journal
    own = table[(table["what"] == "posting") & (table["entity"] == "keeper") & (table["stat"] == "health")]
    return float(own[own["after"] < own["before"]]["time"].iloc[-1])


def _heading(number: int, title: str, command: str) -> None:
    say(f"\n{number}. {title}\n{'-' * (len(title) + 3)}")
    if command:
        say(f"$ {command}\n")
