"""The procedures of a step, and those around it, that engines carry out by themselves."""

from __future__ import annotations

from mint_ledger.program.handle import Handle

OPENING_ACCOUNTS, OPENING = Handle("opening accounts"), Handle("opening")
TIME, PLAYERS, CONTACT, RULES = Handle("part", (1,)), Handle("part", (3,)), Handle("part", (4,)), Handle("part", (5,))
FLOWS, ENDINGS = Handle("part", (6,)), Handle("part", (7,))
LEVELS, MEASURES = Handle("part", (7, "levels")), Handle("part", (7, "measures"))
BEFORE_SCRIPT = (TIME,)
AFTER_SCRIPT = (PLAYERS, CONTACT, RULES, FLOWS, ENDINGS, LEVELS, MEASURES)
"""The parts of a step in their order; part 2 is the script's happenings."""
WATCH, WATCH_GONE = Handle("watch"), Handle("watch gone")
"""What settling looks at: the conditions that rules watch, and who is gone."""
