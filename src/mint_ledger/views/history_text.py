"""What a store holds, as text: its studies, and two of them side by side."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from mint_ledger.journal.wording import shown
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, interval_column, left_column, name_column, right_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.studies.store import Entry, Verified
    from mint_ledger.studies.study import Study


Shown = tuple["Entry", "Study"]


def history_text(entries: list[Entry], store: str, banks: int = 0, damaged: Sequence[int] = ()) -> Page:
    """List all studies of a store, one line each and one for what is set, the damaged ones and the banks of runs."""
    kept = f"{banks} {'bank' if banks == 1 else 'banks'} of runs for fits (players --store)" if banks else ""
    broken = [f"{number:>4}  damaged: this study cannot be read; the others can" for number in damaged]
    if not entries:
        nothing = "no study that can be read" if damaged else "no study yet"
        return Page(f"{store} holds {kept or nothing}", *broken)
    table = TextTable(
        name_column("", 4),
        left_column("made", 17, before=2, sort="aside"),
        right_column("runs", 9),
        right_column("seed", 8),
        left_column("game · habit", before=2),
        indent=0,
    )
    for entry in entries:
        title = short(entry.title, room(38, [entry.title]))
        table.add(f"{entry.number:>4}", entry.made[:16], f"{entry.runs:,}", str(entry.request.seed), title)
        if entry.request.dials:
            table.add("", "", "", "", _dials(entry))
    lines: Parts = [table, *broken]
    lines += ["", f"and {kept}"] if kept else []
    lines += ["", f"mint-ledger history {store} {entries[-1].number}", f"mint-ledger history {store} 1 2"]
    return Page(*lines[: -1 if len(entries) < 2 else None])


def verified_text(found: list[Verified], store: str) -> Page:
    """Return what a look at every block of a store has shown."""
    if not found:
        return Page(f"{store} holds no study yet")
    lines: Parts = []
    for study in found:
        title = f"{study.number:>4}  {study.title}".rstrip()
        if study.problem:
            lines.append(Sentence(study.problem, hanging=6, lead=f"{study.number:>4}  "))
        elif study.damaged:
            lines.append(f"{title}: damaged")
            for first, runs in study.damaged[:5]:
                lines.append(f"{'':>6}runs {first:,} to {first + runs - 1:,}")
            more = len(study.damaged) - 5
            lines += [f"{'':>6}and {more:,} blocks more"] if more > 0 else []
            lines.append(f"{'':>6}the same study with --store plays them again")
        else:
            lines.append(f"{title}: {study.runs:,} runs as they were kept")
            lines.append(f"{'':>6}{study.again} blocks were played again and are the same")
    return Page(*lines)


def _dials(entry: Entry) -> str:
    text = ", ".join(f"{name} {shown(value, 4)}" for name, value in entry.request.dials)
    return text if len(text) <= 30 else text[:29] + "…"


def history_json(entries: list[Entry]) -> list[dict[str, Any]]:
    """All studies of a store as plain values."""
    return [
        {
            "number": entry.number,
            "title": entry.title,
            "made": entry.made,
            "version": entry.version,
            "runs": entry.runs,
            "seed": entry.request.seed,
            "habit": entry.request.habit,
            "dials": dict(entry.request.dials),
        }
        for entry in entries
    ]


def compare_text(one: Shown, other: Shown) -> Page:
    """Two studies side by side, with how far apart they are."""
    lines: Parts = []
    for entry, study in (one, other):
        head = f"{entry.number}  {study.title} · {study.runs:,} runs · seed {study.seed}"
        more = f" · {_dials(entry)}" if entry.request.dials else ""
        lines.append(Sentence(head + more, hanging=3))
    if one[0].request.text != other[0].request.text:
        lines.append("The two were made from different versions of the game file.")
    heads = right_column(str(one[0].number), 10), right_column(str(other[0].number), 10)
    table = TextTable(name_column("", room(26)), *heads, interval_column("difference"))
    a, b = one[1], other[1]
    for result, word in (("win", "won"), ("lose", "lost"), ("draw", "drawn"), ("unfinished", "unfinished")):
        if a.rate(result).value or b.rate(result).value:
            table.add(*_cells(f"{word} (%)", a.rate(result), b.rate(result), 100))
    shared = {ending.name for ending in b.lowered.program.endings}
    names = [ending.name for ending in a.lowered.program.endings if ending.name in shared]
    for name in names:
        if name in a.endings() or name in b.endings():
            table.add(*_cells(f"  {name} (%)", a.rate(name), b.rate(name), 100))
    for name in [name for name in a.names if name in b.names]:
        if len(a.numbers(name)[1]) and len(b.numbers(name)[1]):
            unit = f" ({a.unit})" if name == "time" else ""
            table.add(*_cells(f"mean {name}{unit}", a.mean(name), b.mean(name), 1))
    lines += ["", table]
    lines += ["", f"difference: {other[0].number} less {one[0].number}, with its {sure_words(a.sure)} interval"]
    return Page(*lines)


def _cells(name: str, one: Estimate, other: Estimate, scale: float) -> tuple[str, ...]:
    gap = scale * (other.value - one.value)
    # Independent or not, the two halves added in squares are no narrower than the truth under shared luck.
    half = scale * math.hypot(one.half_width, other.half_width)
    digits = digits_for(Estimate(gap, gap - half, gap + half, one.runs, ""))
    values = [fixed(scale * e.value, digits) for e in (one, other)]
    if half == 0.0 and gap == 0.0:
        return name, *values, "none"
    sign = "+" if gap > 0 else "−" if gap < 0 else ""
    return name, *values, f"{sign}{fixed(abs(gap), digits)} ± {fixed(half, digits)}"
