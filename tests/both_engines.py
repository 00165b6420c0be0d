"""Plays a game with both engines and holds every bit of what they make against each other."""

from __future__ import annotations

import struct
from collections.abc import Sequence

import pytest

import mint_ledger as mint
from mint_ledger.engines.native.context import SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, make_code
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program.row import Row
from mint_ledger.program.state import Start


def bits(rows: Sequence[Row]) -> list[bytes]:
    """The bytes of every number of every row."""
    return [struct.pack(f"<{14 + len(row.values)}d", *row[:14], *row.values) for row in rows]


def assert_same(lowered: Lowered, habit: str | None, runs: Sequence[int] = (0, 1), seed: int = 3) -> None:
    """Journals, states and stops of some runs are the same, with quiet steps skipped and without."""
    program = lowered.program
    starts: list[Start] = habit_starts(lowered, habit)
    names = list(dict.fromkeys(item.procedure for item in lowered.script))
    code = make_code(program, names)
    options = {"seed": seed, "starts": starts, "script": lowered.script}
    for run in runs:
        reference = ReferenceEngine(program, run=run, **options)  # type: ignore[arg-type]
        stopped = ""
        try:
            reference.play()
        except mint.RunStopped as stop:
            stopped = str(stop)
        for skips in (SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS):
            native = NativePlayer(code, skips=skips, **options)  # type: ignore[arg-type]
            if stopped:
                with pytest.raises(CannotGoOn) as found:
                    native.journal(run)
                assert found.value.run == run, stopped
                continue
            rows = native.journal(run)
            assert bits(rows) == bits(reference.rows), f"run {run}, skipping {skips}"
            assert native.state.tobytes() == struct.pack(f"<{len(reference.state)}d", *reference.state)
            assert native.visited <= reference.step_number
            assert skips == SKIP_STEPS or native.visited == reference.step_number
