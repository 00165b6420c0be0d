"""The readout as text: lines with values, and bars."""

from __future__ import annotations

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering import Lowered
from mint_ledger.lowering.readout import ReadoutBar, ReadoutLine

BAR_WIDTH = 24


def readout_text(lowered: Lowered, engine: ReferenceEngine) -> str:
    """The readout at this moment of a run."""
    words = Words(lowered.program)
    width = max((len(item.label) for item in lowered.readout if isinstance(item, ReadoutBar)), default=0)
    lines = []
    for item in lowered.readout:
        if isinstance(item, ReadoutBar):
            lines.append(_bar(lowered, engine, item, width))
        else:
            lines.append(_line(words, engine, item))
    return "\n".join(f"  {line}" for line in lines)


def _line(words: Words, engine: ReferenceEngine, item: ReadoutLine) -> str:
    text = item.pieces[0]
    for (procedure, kind), piece in zip(item.values, item.pieces[1:], strict=True):
        text += words.typed(engine.ask(procedure), kind) + piece
    return text


def _bar(lowered: Lowered, engine: ReferenceEngine, item: ReadoutBar, width: int) -> str:
    value = engine.value(item.column, item.entity)
    low, high = engine.limits(item.column, item.entity)
    low = 0.0 if low == float("-inf") else low
    if high == float("inf") or high <= low:
        return f"{item.label:<{width}}  {number(value)}"
    share = min(max((value - low) / (high - low), 0.0), 1.0)
    filled = round(share * BAR_WIDTH)
    if filled == 0 and share > 0:
        filled = 1
    bar = "█" * filled + "·" * (BAR_WIDTH - filled)
    return f"{item.label:<{width}}  {bar}  {number(value)} of {number(high)}"
