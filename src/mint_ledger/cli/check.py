"""The command `check`: can the games be played, and do they hold what they promise?"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from mint_ledger.cli.arguments import JsonOption, load_game
from mint_ledger.cli.completing import complete_games
from mint_ledger.cli.exits import FELL_SHORT, UNUSABLE
from mint_ledger.cli.files import STREAM, show_change
from mint_ledger.cli.output import hint, next_step, say, say_json
from mint_ledger.errors import BadRequest, MintError

# With so few, `check` only says what is certainly off.
FEW_RUNS = 200
# The runs of each habit and variant where the targets are asked for.
MANY_RUNS = 2_000


def check(
    games: Annotated[
        list[Path],
        typer.Argument(metavar="GAME", help="Game files; - reads one from stdin.", autocompletion=complete_games),
    ],
    order: Annotated[bool, typer.Option("--order", help="Show what happens in which order.")] = False,
    junit: Annotated[
        Path | None, typer.Option(help="Write playtests and targets as JUnit XML into this file, for build servers.")
    ] = None,
    judge: Annotated[
        bool, typer.Option("--targets", help="Judge the targets too, with 2,000 runs of each habit and variant.")
    ] = False,
    upgrade: Annotated[
        bool,
        typer.Option("--upgrade", help="Rewrite files of an older format first; comments stay."),
    ] = False,
    as_json: JsonOption = False,
) -> None:
    """Check that the file is valid and its playtests pass."""
    if upgrade:
        for game in games:
            _upgrade(game)
    if junit is not None and len(games) > 1:
        raise BadRequest("--junit writes what came of one game")
    looked: list[dict[str, Any]] = []
    codes: list[int] = []
    for game in games:
        if codes and codes[-1] != UNUSABLE and not as_json:
            say("")
        try:
            codes.append(_check(game, junit, looked if as_json else None, order=order, judge=judge))
        except MintError as error:
            if len(games) == 1:
                raise
            say(str(error), error=True)
            codes.append(UNUSABLE)
    if as_json and not order:
        say_json(looked[0] if len(games) == 1 else {"games": looked})
    if max(codes):
        raise typer.Exit(max(codes))


def _upgrade(game: Path) -> None:
    """Write a file as it is written today, and show what changes."""
    from mint_ledger.files import write_text
    from mint_ledger.game.formats import upgraded
    from mint_ledger.game.source import read_source

    if game == STREAM:
        raise BadRequest("a game that was read from stdin has no file to be written into")
    source = read_source(game)
    text = upgraded(source)
    if text is not None:
        write_text(game, text)
        hint(f"{show_change(game, source.text, text)}\n\n{game} is written\n")


def _check(game: Path, junit: Path | None, looked: list[dict[str, Any]] | None, *, order: bool, judge: bool) -> int:
    """Look at one game; the exit code that it asks for. With `looked` what was seen is added to that, and not said."""
    from mint_ledger.views.balance_text import targets_text
    from mint_ledger.views.check_text import check_text, order_text

    loaded = load_game(game)
    if order:
        say(order_text(loaded, loaded.lowered.program))
        return 0
    results = loaded.play_tests()
    audited = loaded.audit(runs=0)
    if judge and not loaded.targets:
        raise BadRequest(f"{game} has no targets; write some, like {{name: fair, measure: rate(win), want: 0.4..0.6}}")
    judged = loaded.judge(MANY_RUNS if judge else FEW_RUNS) if loaded.targets else []
    missed = [one for one in judged if one.verdict == "missed"]
    if junit:
        from mint_ledger.cli.files import write_output
        from mint_ledger.views.junit import junit_text

        write_output(junit, junit_text(loaded.title, results, judged))
    if looked is not None:
        from mint_ledger.players.recorded import game_mark

        looked.append(
            {
                "file": str(game),
                "title": loaded.title,
                # What recorded plays name in their column `game`.
                "game": game_mark(loaded),
                "playtests": [
                    {
                        "name": result.name,
                        "passed": result.passed,
                        "stopped": result.stopped,
                        "expectations": [
                            {"at": f.at, "expected": f.expected, "held": f.held, "found": f.values}
                            for f in result.found
                        ],
                    }
                    for result in results
                ],
                "findings": [finding.as_json() for finding in audited.findings],
                "unnamed_luck": [loaded.source.place(path).line for path in loaded.lowered.unnamed_luck],
                "missed": [one.as_json() for one in missed],
                **({"targets": [one.as_json() for one in judged]} if judge else {}),
            }
        )
    else:
        say(check_text(loaded, loaded.lowered, results, audited))
        if judge:
            say(f"  targets, by {MANY_RUNS:,} runs of each habit and variant:", targets_text(judged))
        elif missed:
            say(f"  targets that are certainly missed, after {FEW_RUNS} runs:", targets_text(missed))
        if missed:
            next_step("find a number that meets it", game, "tune GAME --dial DIAL=RANGE --target 'NAME'")
        elif audited.open:
            next_step("what a finding means", game, f"audit --about {audited.open[0].check.name}")
        elif all(result.passed for result in results):
            next_step("see how a run goes", game, "run GAME")
    return FELL_SHORT if missed or not all(result.passed for result in results) else 0
