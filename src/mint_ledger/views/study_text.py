"""A study as text: outcomes and times, each with its interval, in the digits that the interval supports."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate

if TYPE_CHECKING:
    from mint_ledger.studies.study import Study

BAR_WIDTH = 12


def study_text(study: Study) -> str:
    """The summary of a study."""
    lines = [f"{study.title} · {study.runs:,} runs · seed {study.seed}", ""]
    lines.append(f"  {'outcome':<26}{'runs':>8}{'share':>9}   95 % interval")
    for result, word in (("win", "won"), ("lose", "lost"), ("draw", "drawn"), ("unfinished", "unfinished")):
        estimate = study.rate(result)
        if estimate.value or result in ("win", "lose"):
            lines.append(_share_line(f"  {word}", estimate))
            for ending in study.endings():
                if (study.measures.loc[study.measures["ending"] == ending, "result"] == result).any():
                    lines.append(_share_line(f"    {ending}", study.rate(ending)))
    for winner in study.winners():
        lines.append(_share_line(f"  {winner} wins", study.winner(winner)))
    lines += ["", f"  {'time':<26}{study.unit:>8}{'':>9}   95 % interval"]
    for name, q in (
        ("a tenth are over by", 0.1),
        ("half are over by", 0.5),
        ("nine tenths are over by", 0.9),
    ):
        estimate = study.quantile("time", q)
        digits = digits_for(estimate)
        span = f"{number(estimate.low, digits)} to {number(estimate.high, digits)}"
        lines.append(f"  {name:<26}{number(estimate.value, digits):>8}{'':>9}   {span}")
    return "\n".join(lines)


def _share_line(name: str, estimate: Estimate) -> str:
    count = round(estimate.value * estimate.runs)
    digits = 1 if estimate.half_width < 0.05 else 0
    span = f"{100 * estimate.low:.{digits}f} to {100 * estimate.high:.{digits}f} %"
    filled = round(estimate.value * BAR_WIDTH)
    bar = "█" * filled
    name = name if len(name) <= 28 else name[:27] + "…"
    return f"{name:<28}{count:>8,}{100 * estimate.value:>7.{digits}f} %   {span:<19}{bar}".rstrip()


def digits_for(estimate: Estimate) -> int:
    """Decimals that the width of the interval supports."""
    width = estimate.half_width
    if width <= 0:
        return 2
    return max(0, min(3, 1 - math.floor(math.log10(width))))
