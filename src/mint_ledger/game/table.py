"""Tables of numbers: rows by a rising key, with a column for each number."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import Field, PlainValidator, WithJsonSchema, model_validator

from mint_ledger.game.parts import Part

MOST_ROWS, MOST_COLUMNS = 1_000, 100
LARGEST = 1e300


def read_cell(value: object) -> float | str:
    """A number; what is none is kept, so that it can be told of each cell where it stands."""
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return "nothing" if value is None else str(value)
    number = float(value) if abs(value) < LARGEST else math.inf
    return number if math.isfinite(number) else str(value)


Cell = Annotated[float | str, PlainValidator(read_cell), WithJsonSchema({"type": "number"})]


class Table(Part):
    """Numbers that formulas look up: `rank.health[3]`. The first column has the keys, which rise from row to row."""

    file: str | None = None
    columns: Annotated[list[str], Field(max_length=MOST_COLUMNS)] = Field(default_factory=list)
    rows: Annotated[list[list[Cell]], Field(max_length=MOST_ROWS)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _is_one_or_the_other(self) -> Table:
        if self.file is not None and (self.columns or self.rows):
            raise ValueError("has its numbers in 'file', or in 'columns' and 'rows', not in both")
        if self.file is not None:
            raise ValueError(
                f"'{self.file}' is looked for beside the game file, and this game is a text without a folder; write "
                "'columns' and 'rows'"
            )
        if not self.columns or not self.rows:
            missing = "columns" if not self.columns else "rows"
            raise ValueError(f"wants '{missing}'; a table is {{columns: [key, …], rows: [[1, …], …]}} or {{file: …}}")
        return self

    def key(self, row: int) -> float | str | None:
        """The key of a row; none where the row is empty."""
        return self.rows[row][0] if self.rows[row] else None


def key_text(key: object) -> str:
    """A key as it stands in the name of a cell: `3`, `2.5`."""
    return str(key).removesuffix(".0")
