"""A report as one page of HTML with all inside it: nothing is fetched, everything of the game is escaped."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger.journal.wording import number, shown
from mint_ledger.plain import neutral
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.balance_text import told, undecided, wanted
from mint_ledger.views.readout_text import readout_text
from mint_ledger.views.story import story_text

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.report.gathering import Part, Report

LONGEST_STORY = 400
WORDS = {"win": "won", "lose": "lost", "draw": "drawn", "unfinished": "unfinished"}


@dataclass(frozen=True, slots=True)
class Picture:
    """A figure as SVG, and what it shows in words."""

    svg: str
    alt: str


def report_html(report: Report) -> str:
    """The page."""
    from jinja2 import Environment, PackageLoader

    environment = Environment(
        loader=PackageLoader("mint_ledger", "views/templates"), autoescape=True, trim_blocks=True, lstrip_blocks=True
    )
    # What steers a terminal or turns the direction of writing is shown; pictures are markup already.
    environment.finalize = lambda value: neutral(value) if type(value) is str else value
    return environment.get_template("report.html.j2").render(
        game=report.game,
        report=report,
        sure=sure_words(report.sure),
        of_cases=f"{100 * report.sure:.6g} of 100",
        facts=_facts(report),
        targets=_targets(report),
        outcomes=_outcomes(report),
        habits=[_habit(part) for part in report.parts if part.variant is None],
        unit=report.parts[0].study.unit,
        matchups=[_matchup(pair) for pair in report.matchups.pairs],
        edges=_edges(report),
        findings=report.audit.open,
        allowed=len(report.audit.findings) - len(report.audit.open),
        runs=[
            _run("A typical run", "near the middle of those that end as most do", report.typical),
            _run("The worst run", report.worst_by, report.worst),
        ],
        sweeps=[_sweep(sweep) for sweep in report.sweeps],
    )


def _facts(report: Report) -> list[tuple[str, str]]:
    game = report.game
    cast = game.lowered.program.cast
    kinds = ", ".join(f"{name} ({member.room})" for name, member in cast.members.items() if member.room)
    facts = [
        ("who is in it", kinds),
        ("players", ", ".join(game.habits)),
        ("levels", " → ".join(game.levels)),
        ("how it ends", ", ".join(f"{e.name} ({e.result})" for e in game.lowered.program.endings)),
        ("variants", ", ".join(game.variants)),
    ]
    return [(key, value) for key, value in facts if value]


def _targets(report: Report) -> list[dict[str, Any]]:
    return [
        {
            "verdict": result.verdict,
            "name": result.target.name,
            "how": ", ".join(filter(None, (result.habit, result.target.variant))),
            "measure": result.target.measure,
            "found": told(result.target.measure, result.estimate),
            "more": undecided(result) if result.verdict == "undecided" else [],
            "wanted": wanted(result.target.measure, result.target.want),
        }
        for result in report.judged
    ]


def _outcomes(report: Report) -> list[dict[str, Any]]:
    """One row a habit and variant, with values to sort by."""
    rows = []
    for part in report.parts:
        study = part.study
        median = study.median("time")
        cells = [
            {"text": told("rate", study.rate(result)), "value": study.rate(result).value} for result in ("win", "lose")
        ]
        cells.append({"text": f"{told('median', median)} {study.unit}", "value": median.value})
        rows.append({"name": part.name, "cells": cells})
    return rows


def _habit(part: Part) -> dict[str, Any]:
    study = part.study
    shares = ", ".join(
        f"{word} {told('rate', study.rate(result))}" for result, word in WORDS.items() if study.rate(result).value
    )
    pictures = [
        Picture(
            _svg(study.plot_outcomes(), f"{part.name} outcomes"),
            f"How runs end, with {sure_words(study.sure)} intervals: {shares}.",
        ),
        Picture(
            _svg(study.plot_survival(), f"{part.name} survival"),
            f"How many runs go on over time; half are over by {number(study.median('time').value)} {study.unit}.",
        ),
    ]
    if study.request.sampled:
        pictures.append(
            Picture(
                _svg(study.plot_bands(), f"{part.name} bands"),
                f"{', '.join(study.request.sampled)} over time: the middle, half and nine tenths of the runs.",
            )
        )
    causes = []
    for account in study.accounts:
        table = study.by_cause(account)
        causes.append(
            {
                "account": account,
                "rows": [
                    {
                        "cause": row["cause"],
                        "changes": (number(row["changes"], 1), row["changes"]),
                        "total": (number(row["total"], 1), row["total"]),
                        "waste": (number(row["waste"], 1) if abs(row["waste"]) >= 0.05 else "", row["waste"]),
                    }
                    for row in table.to_dict("records")
                ],
            }
        )
    return {"name": part.name, "runs": study.runs, "pictures": pictures, "causes": causes}


def _matchup(pair: Any) -> dict[str, Any]:
    hits = " / ".join(str(count) for count in pair.hits) if pair.hits else "never"
    seconds = " / ".join(number(value, 3) for value in pair.seconds) if pair.seconds else "–"
    return {
        "attack": pair.attack,
        "by": pair.attacker,
        "against": pair.target,
        "damage": (number(pair.damage, 3), pair.damage),
        "lands": (f"{100 * pair.lands:.0f} %", pair.lands),
        "hits": (hits, pair.hits[1] if pair.hits else 1e9),
        "seconds": (seconds, pair.seconds[0] if pair.seconds else 1e9),
        "how": _how(pair),
    }


def _how(pair: Any) -> str:
    if pair.fights:
        return f"fought {pair.fights} times ({pair.because})"
    return "worked out" if pair.exact else str(pair.because)


def _edges(report: Report) -> list[dict[str, Any]]:
    edges = []
    for edge in report.edges:
        rows = [
            (number(point.value, 4), *("never" if n is None else str(n) for n in (point.least, point.median)))
            for point in edge.found
        ]
        edges.append(
            {
                "dial": edge.dial,
                "today": number(edge.today, 4),
                "attack": edge.attack,
                "target": edge.target,
                "rows": rows,
            }
        )
    return edges


def _run(title: str, why: str, run: Any) -> dict[str, str]:
    lines = story_text(run, with_readout=False).splitlines()
    if len(lines) > LONGEST_STORY:
        left = len(lines) - LONGEST_STORY
        lines = [*lines[: LONGEST_STORY // 2], f"   … {left} lines left out …", *lines[-LONGEST_STORY // 2 :]]
    how = f"{run.result}{f': {run.ending}' if run.ending else ''}"
    return {
        "title": title,
        "why": why,
        "how": f"{how} at {number(run.time, 4)}",
        "story": "\n".join(lines),
        "readout": readout_text(run.lowered, run.engine_at(None)),
        "number": str(run.number),
    }


def _sweep(sweep: Sweep) -> dict[str, Any]:
    dial = sweep.dials[0]
    points = [
        {
            "value": shown(point.dials[dial], 6),
            "cells": [told(text, point.estimates[text]) for text in sweep.measures],
            "today": point.dials[dial] == sweep.today[dial],
        }
        for point in sweep.points
    ]
    start = next((index for index, point in enumerate(points) if point["today"]), 0)
    alt = f"{sweep.measures[0]} at {len(points)} values of {dial}, with {sure_words(sweep.sure)} intervals."
    return {
        "title": sweep.title,
        "dial": dial,
        "runs": sweep.runs,
        "measures": sweep.measures,
        "points": points,
        "start": start,
        "picture": Picture(_svg(sweep.plot(), f"sweep {dial}"), alt),
    }


def _svg(figure: Figure, salt: str) -> str:
    """A figure as SVG to stand in a page: letters as paths, ids of its own, as wide as there is room."""
    import matplotlib as mpl
    from markupsafe import Markup

    out = io.StringIO()
    with mpl.rc_context({"svg.hashsalt": salt, "svg.fonttype": "path"}):
        figure.savefig(out, format="svg", metadata={"Date": None, "Creator": None, "Format": None, "Type": None})
    text = out.getvalue()
    text = text[text.index("<svg") :]
    text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
    text = re.sub(r'(<svg[^>]*?) width="[^"]*"', r"\1", text, count=1)
    text = re.sub(r'(<svg[^>]*?) height="[^"]*"', r"\1", text, count=1)
    prefix = re.sub(r"\W+", "-", salt)
    text = re.sub(r'\bid="', f'id="{prefix}-', text)
    text = re.sub(r'(xlink:href="#|url\(#)', rf"\1{prefix}-", text)
    # What stands in it was drawn by us; letters of the game are paths.
    return Markup(re.sub(r"<!--.*?-->", "", text, flags=re.DOTALL))
