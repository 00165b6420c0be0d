"""The runs of a study as columns: numbers of the program for each run, and the table that people read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from mint_ledger.lowering.lowered import Lowered
from mint_ledger.program.program import Program
from mint_ledger.studies.block import Block
from mint_ledger.studies.request import Prepared
from mint_ledger.studies.seats import RESULTS

if TYPE_CHECKING:
    import pandas as pd

COLUMNS = {
    "run": "the number of the run; `mint-ledger run --run` plays it again",
    "result": "win, lose, draw or unfinished",
    "ending": "the ending that was reached; empty at the clock's limit",
    "winner": "the entity that won, where an ending names one",
    "time": "how long it took (seconds or turns)",
    "level": "the level that was reached, where the game has levels",
    "(measures)": "each measure of the file and of `--measure`, by its name; empty where the run has none",
}


@dataclass(frozen=True)
class Columns:
    """What was taken of each run, one entry a run: numbers of the program, and time in seconds (or turns)."""

    ending: Any
    winner: Any
    time: Any
    level: Any
    measures: dict[str, Any]

    def first(self, runs: int) -> Columns:
        """Those of the first runs."""
        measures = {name: values[:runs] for name, values in self.measures.items()}
        return Columns(self.ending[:runs], self.winner[:runs], self.time[:runs], self.level[:runs], measures)

    def of(self, measure: str) -> Any:
        """The values of a measure, NaN where a run has none; floats of shape (runs,)."""
        import numpy as np

        return np.asarray(self.time if measure == "time" else self.measures[measure], dtype=float)


@dataclass(frozen=True, repr=False)
class Outcomes:
    """How each run came out, as places in lists of names.

    Attributes:
        names: the endings by name, once each, and last "" for none.
    """

    program: Program
    columns: Columns

    def __repr__(self) -> str:
        return f"<Outcomes of {len(self.columns.ending):,} runs>"

    @cached_property
    def names(self) -> list[str]:
        """The endings by name, once each, and last "" for none."""
        return list(dict.fromkeys([*(ending.name for ending in self.program.endings), ""]))

    @cached_property
    def endings(self) -> Any:
        """The place of each run's ending in `names`."""
        import numpy as np

        places = [*(self.names.index(ending.name) for ending in self.program.endings), self.names.index("")]
        return np.array(places)[self.columns.ending]

    @cached_property
    def results(self) -> Any:
        """The place of each run's result in `RESULTS`."""
        import numpy as np

        places = [*(RESULTS.index(e.result) for e in self.program.endings), RESULTS.index("unfinished")]
        return np.array(places)[self.columns.ending]

    @cached_property
    def entities(self) -> list[str]:
        """The names of those who can win, by number; the numbers are in `Columns.winner`, -1 for none."""
        return [self.program.cast.entity_name(entity) for entity in range(self.program.cast.size)]

    def won_by(self, names: Sequence[str]) -> Any:
        """Which runs were won by one of some entities; flags of shape (runs,)."""
        import numpy as np

        wanted = set(names)
        return np.isin(self.columns.winner, [i for i, name in enumerate(self.entities) if name in wanted])

    def wins(self) -> dict[str, int]:
        """Return how many runs each entity won that won any, by number of the entity."""
        import numpy as np

        numbers, counts = np.unique(self.columns.winner, return_counts=True)
        pairs = zip(numbers.tolist(), counts.tolist(), strict=True)
        return {self.entities[number]: count for number, count in pairs if number >= 0 and self.entities[number]}


def gathered_columns(prepared: Prepared, blocks: Sequence[Block]) -> Columns:
    """The columns of all blocks, one after another."""
    import numpy as np

    steps = np.concatenate([block.steps for block in blocks]).astype(float)
    return Columns(
        ending=np.concatenate([block.ending for block in blocks]),
        winner=np.concatenate([block.winner for block in blocks]),
        time=prepared.taking.seconds(steps),
        level=np.concatenate([block.level for block in blocks]),
        measures={m.name: np.concatenate([b.measures[m.name] for b in blocks]) for m in prepared.lowered.measures},
    )


def study_table(lowered: Lowered, columns: Columns, outcomes: Outcomes) -> pd.DataFrame:
    """One row a run. Names are kept as categories, a byte or two each, so that a million runs fit."""
    import pandas as pd

    from_codes: Any = pd.Categorical.from_codes
    table: dict[str, Any] = {
        "result": from_codes(outcomes.results, list(RESULTS)),
        "ending": from_codes(outcomes.endings, outcomes.names),
        "winner": from_codes(columns.winner, outcomes.entities),
        "time": columns.time,
    }
    if lowered.levels:
        table["level"] = from_codes(columns.level, list(lowered.levels))
    joined = pd.DataFrame({**table, **columns.measures})
    joined.index.name = "run"
    return joined
