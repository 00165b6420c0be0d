"""A report as one page of HTML with all inside it: nothing is fetched, everything of the game is escaped."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from markupsafe import Markup

from mint_ledger.journal.wording import number, shown
from mint_ledger.plain import neutral
from mint_ledger.report.fixing import most_missed
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.balance_text import told, undecided, wanted
from mint_ledger.views.income_text import income_sentences
from mint_ledger.views.picture import saved
from mint_ledger.views.readout_text import readout_text
from mint_ledger.views.story import story_text
from mint_ledger.views.ways_plot import MOST_ACCOUNTS, plot_courses, plot_ways

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.report.gathering import Report
    from mint_ledger.studies.course import Course
    from mint_ledger.studies.ends import Ends

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
    # Markup is made here, of texts that are neutral already; all other texts may be a file's.
    environment.finalize = lambda value: (
        neutral(value) if isinstance(value, str) and not isinstance(value, Markup) else value
    )
    return environment.get_template("report.html.j2").render(
        game=report.game,
        report=report,
        sure=sure_words(report.sure),
        of_cases=f"{100 * report.sure:.6g} of 100",
        facts=_facts(report),
        targets=_targets(report),
        outcomes=_outcomes(report),
        answers=_answers(report),
        ways=_ways(report),
        causes=_causes(report),
        ends=[_ends(name, ends) for name, ends in zip(_names(report), report.ends, strict=True)],
        courses=[_course(name, course) for name, course in zip(_names(report), report.courses, strict=False)],
        income=_income(report),
        curves=_curves(report),
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


def _names(report: Report) -> list[str]:
    """The ways of playing as the file has them, which are looked at more closely."""
    return [part.name for part in report.parts if part.variant is None]


def _answers(report: Report) -> list[dict[str, str]]:
    """Is it as wanted, what is the biggest trouble, what would fix it: each in a sentence or two."""
    verdicts = [result.verdict for result in report.judged]
    counts = {verdict: verdicts.count(verdict) for verdict in ("met", "missed", "undecided")}
    if not verdicts:
        wanted_text, mark = "The file has no targets.", ""
    else:
        told_counts = ", ".join(f"{count} {verdict}" for verdict, count in counts.items() if count)
        wanted_text = f"Of {len(verdicts)} target{'s' if len(verdicts) > 1 else ''}: {told_counts}."
        mark = "missed" if counts["missed"] else "" if counts["undecided"] else "met"
    return [
        {"question": "Are the targets met?", "answer": wanted_text, "mark": mark},
        {"question": "What is the biggest trouble?", "answer": _trouble(report), "mark": ""},
        {"question": "What would fix it?", "answer": _fixed(report), "mark": ""},
    ]


def _trouble(report: Report) -> str:
    """A mistake that was found, else the target that is missed most, else what most runs are lost to."""
    wrong = [f for f in report.audit.open if f.caught.grade == "wrong"]
    if wrong:
        return f"A mistake: {wrong[0].place.told(report.audit.file)}, {wrong[0].check.name}: {wrong[0].caught.what}"
    missed = most_missed(report.judged)
    if missed is not None:
        how = ", ".join(filter(None, (missed.habit, missed.target.variant)))
        found = told(missed.target.measure, missed.estimate)
        want = wanted(missed.target.measure, missed.target.want)
        return f"{missed.target.name}{f' ({how})' if how else ''}: {missed.target.measure} is {found}, target {want}."
    lost = [(name, end) for name, ends in zip(_names(report), report.ends, strict=True) for end in ends.ends]
    lost = [(name, end) for name, end in lost if end.result == "lose"]
    if not lost:
        return "None: no target is missed, no likely mistake was found, and no run was lost."
    name, end = max(lost, key=lambda item: item[1].share.value)
    cause, share = end.causes[0]
    by = " → ".join((cause.cause, *reversed(cause.through)))
    return (
        f"None that is certain. Most runs are lost in the hands of {name}: {100 * end.share.value:.0f} % to "
        f"{end.name}, {100 * share.value:.0f} % of these by {by}."
    )


def _fixed(report: Report) -> str:
    fix, missed = report.fix, most_missed(report.judged)
    if fix is not None:
        measure = fix.judged.target.measure
        found = told(measure, fix.confirmed)
        missed_then = f"{fix.missed_then} of all targets {'is' if fix.missed_then == 1 else 'are'} missed then"
        others = missed_then if fix.missed_then else "no target is missed then"
        return f"{fix.dial} {number(fix.today, 4)} → {number(fix.value, 4)}: {measure} is {found} there; {others}."
    if missed is not None:
        return "No number that was tried does it alone; tune over several dials, or change a rule."
    open_ = [result for result in report.judged if result.verdict == "undecided"]
    if open_:
        lines = undecided(open_[0])
        return f"Nothing is missed. {open_[0].target.name} is undecided: {'; '.join(lines)}."
    return "No target is missed." if report.judged else "Write targets into the file first."


def _ways(report: Report) -> list[Picture]:
    """All ways of playing in one figure, and the course of those of the file side by side."""
    ways = [(part.name, part.study) for part in report.parts]
    results = "; ".join(
        f"{name}: "
        + ", ".join(f"{word} {100 * study.rate(r).value:.1f} %" for r, word in WORDS.items() if study.rate(r).value)
        for name, study in ways
    )
    pictures = [Picture(_svg(plot_ways(ways), "ways"), f"How runs end, and when they are over. {results}.")]
    own = [(part.name, part.study) for part in report.parts if part.variant is None]
    accounts = ", ".join(own[0][1].request.sampled[:MOST_ACCOUNTS])
    more = f"; {accounts}: middle, half, nine of ten" if accounts else ""
    alt = f"Who goes on and who has ended how over time{more}."
    pictures.append(Picture(_svg(plot_courses(own), "courses"), alt))
    return pictures


def _causes(report: Report) -> dict[str, Any]:
    """Return what takes and gives each account in a run: the ways of playing side by side."""
    parts = [part for part in report.parts if part.variant is None]
    tables = []
    for account in parts[0].study.accounts:
        books = [part.study.by_cause(account).set_index("cause") for part in parts]
        causes = dict.fromkeys(cause for book in books for cause in book.index)
        rows = []
        for cause in causes:
            totals = [float(book.loc[cause, "total"]) if cause in book.index else 0.0 for book in books]
            rows.append({"cause": cause, "cells": [(number(total, 1), total) for total in totals]})
        tables.append({"account": account, "rows": rows})
    return {"names": [part.name for part in parts], "tables": tables}


def _ends(name: str, ends: Ends) -> dict[str, Any]:
    rows = []
    for end in (*ends.ends, *ends.on_the_way):
        causes = [
            f"{' → '.join((cause.cause, *reversed(cause.through)))} {100 * share.value:.0f} %"
            for cause, share in end.causes[:3]
        ]
        often = f"{100 * end.share.value:.1f} %" if end.result else f"{len(end.moments) / ends.runs:.2f} a run"
        rows.append(
            {
                "way": name,
                "name": end.name,
                "result": WORDS.get(end.result, "on the way"),
                "often": (often, end.share.value),
                "when": (f"{number(end.time(0.5), 1)} {ends.unit}", end.time(0.5)),
                "causes": "; ".join(causes),
            }
        )
    alt = f"What did it last, of each ending and of what is lost on the way ({name})."
    return {"name": name, "rows": rows, "picture": Picture(_svg(ends.plot(), f"ends {name}"), alt)}


def _course(name: str, course: Course) -> dict[str, Any]:
    alt = f"The course by level ({name}): who ends where, how long each takes, what is taken and given."
    return {"name": name, "picture": Picture(_svg(course.plot(), f"course {name}"), alt)}


def _income(report: Report) -> dict[str, Any] | None:
    income = report.income
    if income is None:
        return None
    alt = f"{income.account}: what comes in and goes out by cause over time, and what there is ({income.title})."
    return {
        "account": income.account,
        "sentences": list(income_sentences(income)),
        "picture": Picture(_svg(income.plot(), "income"), alt),
    }


def _curves(report: Report) -> Picture | None:
    curves = report.curves
    if curves is None or not curves.pairs:
        return None
    return Picture(_svg(curves.plot(), "curves"), f"Hits and time to defeat over {curves.dials[0][0]}.")


def _matchup(pair: Any) -> dict[str, Any]:
    hits = " / ".join(str(count) for count in pair.hits) if pair.hits else "never"
    seconds = " / ".join(number(value, 3) for value in pair.seconds) if pair.seconds else "–"
    return {
        "attack": pair.attack,
        "by": pair.attacker,
        "against": pair.target,
        "damage": (number(pair.damage, 1), pair.damage),
        "lands": (f"{100 * pair.lands:.0f} %", pair.lands),
        "hits": (hits, pair.hits[1] if pair.hits else 1e9),
        "seconds": (seconds, pair.seconds[0] if pair.seconds else 1e9),
        "how": _how(pair),
    }


def _how(pair: Any) -> str:
    if pair.fights:
        return f"fought {pair.fights} times"
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

    with mpl.rc_context({"svg.hashsalt": salt, "svg.fonttype": "path"}):
        metadata = {"Date": None, "Creator": None, "Format": None, "Type": None}
        text = saved(figure, "svg", metadata=metadata).decode("utf-8")
    text = text[text.index("<svg") :]
    text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
    text = re.sub(r'(<svg[^>]*?) width="[^"]*"', r"\1", text, count=1)
    text = re.sub(r'(<svg[^>]*?) height="[^"]*"', r"\1", text, count=1)
    prefix = re.sub(r"\W+", "-", salt)
    text = re.sub(r'\bid="', f'id="{prefix}-', text)
    text = re.sub(r'(xlink:href="#|url\(#)', rf"\1{prefix}-", text)
    # What stands in it was drawn by us; letters of the game are paths.
    return Markup(re.sub(r"<!--.*?-->", "", text, flags=re.DOTALL))
