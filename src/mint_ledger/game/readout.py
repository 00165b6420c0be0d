"""The readout: the lines that a player would have on the screen."""

from __future__ import annotations

import re
from typing import Annotated, Any

from pydantic import BeforeValidator, model_serializer

from mint_ledger.formula import Formula, parse_formula
from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Part

_HOLE = re.compile(r"\{([^{}]*)\}")


class Bar(Part):
    """`{bar: keeper.health}`: an account drawn between its limits."""

    bar: str


class Line(Part):
    """A text with values in braces."""

    line: str

    @model_serializer
    def _as_text(self) -> str:
        return self.line


def _item(value: Any) -> Any:
    if isinstance(value, str):
        return {"line": value}
    if not isinstance(value, (dict, Part)):
        raise ValueError(f"wants a text or {{bar: stat}}, not {describe(value)}")
    return value


ReadoutItem = Annotated[Bar | Line, BeforeValidator(_item)]


def split_text(text: str) -> tuple[list[str], list[Formula]]:
    """Split `Ships {ships}` into its plain pieces and the formulas between them (one piece more than formulas).

    Raises:
        FormulaError: what stands in braces is no formula.
    """
    pieces: list[str] = []
    formulas: list[Formula] = []
    end = 0
    for hole in _HOLE.finditer(text):
        pieces.append(text[end : hole.start()])
        formulas.append(parse_formula(hole[1]))
        end = hole.end()
    pieces.append(text[end:])
    return pieces, formulas
