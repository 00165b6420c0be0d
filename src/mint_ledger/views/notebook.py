"""What notebooks show of a game, a run, a statement, a study …: short tables in HTML, without any script."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number, shown
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.balance_text import told
from mint_ledger.views.page import Page
from mint_ledger.views.page_html import escape, page_html

if TYPE_CHECKING:
    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.journal.statement import Statement
    from mint_ledger.playing.run import Run
    from mint_ledger.studies.study import Study

MOST_ROWS = 30


def game_html(game: PlayableGame) -> str:
    """Title, what it is about, and how much of everything there is."""
    program = game.lowered.program
    counts = [
        ("kinds", len(game.kinds)),
        ("entities", program.cast.size - 1),
        ("accounts", sum(count for account in program.accounts for _, count, _ in account.specs)),
        ("attacks", len(game.attacks)),
        ("habits", ", ".join(game.habits)),
        ("levels", ", ".join(game.levels)),
        ("endings", ", ".join(ending.name for ending in program.endings)),
        ("dials", len(program.dials.names)),
        ("targets", len(game.targets)),
        ("playtests", len(game.playtests)),
    ]
    return _page(game.title, _table([], [(key, str(value)) for key, value in counts if value]), game.about or "")


def run_html(run: Run) -> str:
    """Return how it ended, and each account that changed: opening, lowest, highest, closing."""
    unit = "turn" if run.program.clock.unit == "turn" else "s"
    how = f"{run.result}{f': {run.ending}' if run.ending else ''}{f' ({run.winner})' if run.winner else ''}"
    rows = []
    for name in run.changed_accounts()[:MOST_ROWS]:
        statement = run.statement(name)
        changes = sum(line.changes for line in statement.lines)
        rows.append(
            (
                name,
                statement.opens or number(statement.opening, 4),
                statement.closes or number(statement.closing, 4),
                f"{changes:,}",
            )
        )
    where = f"{how} at {number(run.time, 4)} {unit} · seed {run.seed}, run {run.number}"
    return _page(run.title, _table(["account", "opening", "closing", "changes"], rows), where)


def statement_html(statement: Statement) -> str:
    """Opening, what came in and went out by cause, closing."""
    if statement.opens:
        told = [(line.title, f"{line.changes:,}", line.to) for line in statement.lines]
        told = [("opening", "", statement.opens), *told, ("closing", "", statement.closes)]
        return _page(statement.account, _table(["", "changes", ""], told), statement.title)
    rows = [("opening", "", number(statement.opening, 4), "")]
    rows += [
        (line.cause, f"{line.changes:,}", number(line.total, 4), number(line.waste, 4) if line.waste else "")
        for line in statement.lines
    ]
    rows.append(("closing", "", number(statement.closing, 4), ""))
    return _page(statement.account, _table(["", "changes", "points", "wasted"], rows), statement.title)


def study_html(study: Study) -> str:
    """Results and endings with their intervals, the time, and the mean of each measure."""
    texts = [f"rate({result})" for result in ("win", "lose", "draw", "unfinished") if study.rate(result).value]
    rows = [(text, told(text, study.estimate(text))) for text in texts]
    rows += [(name, told("rate", study.rate(name))) for name in study.endings()]
    rows.append((f"median(time), {study.unit}", told("median(time)", study.median("time"))))
    rows += [(f"mean({name})", told("mean", study.mean(name))) for name in study.names[1:] if len(study.values(name))]
    return _page(
        study.title,
        _table(["", f"{sure_words(study.sure)} interval"], rows),
        f"{study.runs:,} runs · seed {study.seed}",
    )


def sweep_html(sweep: Sweep) -> str:
    """One row a point: the dials, each estimate with its interval, and whether all targets are met."""
    rows = []
    for point in sweep.points[:MOST_ROWS]:
        cells = [shown(point.dials[dial], 6) for dial in sweep.dials]
        cells += [told(text, point.estimates[text]) for text in sweep.measures]
        rows.append((*cells, "all met" if point.meets_all else ""))
    left = len(sweep.points) - MOST_ROWS
    about = f"{sweep.runs:,} runs a point · seed {sweep.seed}" + (f" · {left:,} points more" if left > 0 else "")
    return _page(sweep.title, _table([*sweep.dials, *sweep.measures, "targets"], rows), about)


def text_html(text: str) -> str:
    """A summary: its tables as tables, or as it is printed."""
    if isinstance(text, Page):
        return page_html(text)
    return f'<pre style="line-height:1.35">{escape(text)}</pre>'


def _page(title: str, table: str, about: str) -> str:
    return f"<div><strong>{escape(title)}</strong><br><span>{escape(about)}</span>{table}</div>"


def _table(heading: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    head = f"<thead><tr>{''.join(f'<th>{escape(cell)}</th>' for cell in heading)}</tr></thead>" if heading else ""
    body = "".join(
        "<tr>" + "".join(f'<td style="text-align:left">{escape(cell)}</td>' for cell in row) + "</tr>" for row in rows
    )
    return f"<table>{head}<tbody>{body}</tbody></table>"
