"""What Python and machine code share in addition to the state: one record for each engine."""

from __future__ import annotations

import ctypes
from typing import Any

from mint_ledger.engines.native.assembly import Routine
from mint_ledger.program.row import MAX_VALUES

WHOLE, FLOAT, POINTER = "i64", "double", "ptr"
FIELDS = (
    ("seed", WHOLE),
    ("run", WHOLE),
    ("dirty", WHOLE),  # something was posted or set since conditions were last watched
    ("time", FLOAT),
    ("steps_per_second", FLOAT),
    ("step_length", FLOAT),
    ("one_step", FLOAT),  # the time that one step takes, as `time_of` says
    ("is_whole", WHOLE),  # whether steps_per_second is a whole number
    ("tolerance", FLOAT),
    ("result", FLOAT),  # of the last procedure that has one
    ("events", POINTER),
    ("event_count", WHOLE),
    ("phases", WHOLE),  # of what happened, as bits
    ("work", WHOLE),  # what this step has done so far
    ("mark", WHOLE),
    ("depth", WHOLE),
    ("listens", WHOLE),  # rows are kept or counted
    ("rows", POINTER),
    ("row_count", WHOLE),
    ("row_room", WHOLE),
    ("skips", WHOLE),
    ("soonest", WHOLE),  # the next step that matters, as far as is known
    ("others", WHOLE),  # the same without the piece that goes on in rounds
    ("horizon", WHOLE),
    # What the step of a due time is found by; read from here, as the address of a constant is an instruction more.
    ("sure_steps", FLOAT),  # up to the horizon, or to a million, a step may be found without trying
    ("due_early", FLOAT),  # how many steps before its time something is due (below 0)
    ("clear_from", FLOAT),  # which part of a step is not so close to one that rounding may matter
    ("clear_to", FLOAT),
    ("visited", WHOLE),
    ("visited_in_all", WHOLE),
    ("stop", POINTER),
    ("opening", POINTER),  # the state before anything was opened
    ("only_script", FLOAT),
    ("start_count", WHOLE),
    ("start_slots", POINTER),
    ("start_values", POINTER),
    ("script_count", WHOLE),
    ("script_times", POINTER),
    ("script_procedures", POINTER),
    ("tallied", POINTER),  # for each slot the number of its tally, or -1; none: nothing is tallied
    ("tally_count", WHOLE),
    ("tallies", POINTER),
    ("counts", POINTER),  # rows that are no postings, by what they are and their cause
    ("grid_count", WHOLE),
    ("grid_steps", POINTER),
    ("sampled_count", WHOLE),
    ("sampled_slots", POINTER),
    ("samples", POINTER),
    ("taken_count", WHOLE),
    ("taken_slots", POINTER),
    ("taken", POINTER),
    ("done", WHOLE),
    ("sums", POINTER),  # of each number of the tallies over runs, and of its square about the mean
)
OFFSETS = {name: 8 * index for index, (name, _) in enumerate(FIELDS)}
KINDS = dict(FIELDS)
ROW_SIZE = 15 + MAX_VALUES
EVENT_VALUES = 12
EVENT_SIZE = 3 + EVENT_VALUES
SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS = 0, 1, 2
"""What is left out: nothing, quiet parts of steps, or quiet steps as well."""
PAUSED, OVER, FAILED, STOPPED = 0, 1, 2, 3
"""What machine code answers: a run is not over yet, is over, could not go on, was stopped from outside."""

_CTYPES: dict[str, Any] = {WHOLE: ctypes.c_int64, FLOAT: ctypes.c_double, POINTER: ctypes.c_void_p}


class Context(ctypes.Structure):
    """The record as Python sees it."""

    _fields_ = [(name, _CTYPES[kind]) for name, kind in FIELDS]


def field(r: Routine, name: str) -> str:
    """Return where a field is."""
    return r.let(f"getelementptr i8, ptr %x, i64 {OFFSETS[name]}")


def load(r: Routine, name: str) -> str:
    """Return what a field holds."""
    return r.let(f"load {KINDS[name]}, ptr {field(r, name)}")


def store(r: Routine, name: str, value: str) -> None:
    """Set a field."""
    r.do(f"store {KINDS[name]} {value}, ptr {field(r, name)}")


def item(r: Routine, name: str, kind: str, index: str) -> str:
    """Return where an item of the array is that a field points to."""
    return r.let(f"getelementptr {kind}, ptr {load(r, name)}, i64 {index}")
