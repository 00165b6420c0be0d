"""Which dials matter, as text."""

from __future__ import annotations

from mint_ledger.balance.sensitivity import Index, Moved, Sensitivity
from mint_ledger.journal.wording import number, signed
from mint_ledger.studies.estimate import Estimate, is_share, sure_words
from mint_ledger.views.balance_text import told
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.study_text import fixed, span_text
from mint_ledger.views.text_table import TextTable, change_column, interval_column, name_column, right_column
from mint_ledger.views.width import room

MOST_LINES = 25


def sensitivity_text(ranking: Sensitivity) -> Page:
    """The ranking: what one per cent more of each dial does, and whether that is more than noise."""
    unit = "points" if is_share(ranking.measure) else "units"
    lines: Parts = [
        f"{ranking.title}: {ranking.measure} is {told(ranking.measure, ranking.today)} today",
        f"each dial moved by ±{100 * ranking.share:g} %, {ranking.runs:,} runs each, under the same luck",
        "",
    ]
    certain = [dial for dial in ranking.moved if dial.is_certain]
    if certain:
        first = certain[0]
        gain = _scaled(ranking, first)
        text = f"{first.dial} moves it most: +1 % gives {signed(gain.value, 2)} {unit}."
        lines += [Sentence(text, 2), ""]
    wide = room(38, (f"{dial.dial} " for dial in certain[:MOST_LINES]))
    interval = interval_column(f"{sure_words(ranking.sure)} interval")
    table = TextTable(name_column("dial", wide), right_column("today", 9), change_column(f"{unit} a %", 13), interval)
    for dial in certain[:MOST_LINES]:
        gain = _scaled(ranking, dial)
        table.add(dial.dial, number(dial.today, 4), signed(gain.value, 2), span_text(gain.low, gain.high, 2))
    lines.append(table)
    if len(certain) > MOST_LINES:
        lines.append(f"  … {len(certain) - MOST_LINES} dials more that matter less; --json has them all")
    noise = len(ranking.moved) - len(certain)
    if noise:
        lines += ["", f"  {noise} dial{'s do' if noise > 1 else ' does'} nothing that {ranking.runs:,} runs can show."]
    if ranking.skipped:
        lines.append(f"  {len(ranking.skipped)} could not be moved that far (0, or at a limit); --json lists why.")
    return Page(*lines)


def _scaled(ranking: Sensitivity, one: Moved) -> Estimate:
    """The effect of one per cent, in points where the estimate is a share."""
    factor = 100.0 if is_share(ranking.measure) else 1.0
    return one.effect.scaled(factor)


def sobol_text(title: str, measure: str, indices: list[Index]) -> Page:
    """Sobol's indices as a table."""
    wide = room(30, (f"{index.dial} " for index in indices))
    columns = (
        right_column("by itself", 10),
        right_column("interval", 14, "aside"),
        right_column("in all", 8),
        right_column("interval", 14, "aside"),
    )
    table = TextTable(name_column("dial", wide), *columns)
    for index in indices:
        told = ((fixed(e.value, 2), f"{fixed(e.low, 2)} to {fixed(e.high, 2)}") for e in (index.first, index.total))
        table.add(index.dial, *(cell for cells in told for cell in cells))
    return Page(f"{title}: what share of the variance of {measure} each dial makes", "", table)
