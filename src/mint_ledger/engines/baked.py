"""What stands in machine code and in stored numbers without being part of a program."""

from __future__ import annotations

from mint_ledger.engines.moment import DUE_TOLERANCE
from mint_ledger.engines.reference import CONDITION, CUE, GONE, HIT, MAX_DEPTH
from mint_ledger.engines.statements import MAX_EVENTS
from mint_ledger.engines.tally import MOMENTS, TALLY_HEAD, TALLY_OF_CAUSE
from mint_ledger.engines.work import MOST_WORK, POSTING_WORK
from mint_ledger.program.row import MAX_VALUES, WHATS


def baked_in() -> str:
    """All constants that the meaning of code and of stored numbers depends on; a part of the keys of both."""
    phases = (HIT, CONDITION, GONE, CUE)
    most = (DUE_TOLERANCE, MAX_DEPTH, MAX_EVENTS, MOST_WORK, POSTING_WORK)
    return repr((*most, phases, WHATS, MAX_VALUES, TALLY_HEAD, TALLY_OF_CAUSE, MOMENTS))
