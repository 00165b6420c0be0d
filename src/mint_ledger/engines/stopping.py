"""Says of a run that could not go on: where in the file, when, and with which values."""

from __future__ import annotations

from typing import Protocol

from mint_ledger.errors import RunStopped
from mint_ledger.program.program import Program


class Stopped(Protocol):
    """What a stopped engine can tell."""

    program: Program
    seed: int
    run: int

    @property
    def time(self) -> float:
        """The present time."""
        ...

    def formula_reads(self) -> list[tuple[str, float]]:
        """Return what the formula that stopped the run read."""
        ...


def run_stopped(engine: Stopped, message: str, formula: int = -1, cause: int = -1) -> RunStopped:
    """The fault of a run that cannot go on, with the formula or the cause that is to blame, where it is known."""
    program = engine.program
    unit = " (turn)" if program.clock.unit == "turn" else " s"
    when = f"at {engine.time:.6g}{unit} of run {engine.run} with seed {engine.seed}"
    if 0 <= cause < len(program.cause_places):
        reason = f"{program.cause_places[cause]}: '{program.cause_labels[cause]}': {message}"
        return RunStopped(f"{reason}; {when}", reason)
    if not 0 <= formula < len(program.formulas):
        reason = f"{program.title}: {message}"
        return RunStopped(f"{reason}; {when}", reason)
    place = program.formulas[formula]
    reads = ", ".join(f"{name} = {value:g}" for name, value in engine.formula_reads())
    read = f"; it read {reads}" if reads else ""
    reason = f"{place.place}: '{place.text}': {message}"
    return RunStopped(f"{reason}{read}; {when}", reason)
