"""A measure of somebody's own: a function of a run's journal, or of the table of runs.

It is worked out in Python, after the play and outside the engines; it cannot be sought by tuning, nor stand in a file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.own import MEASURES, Own, own_parts, told
from mint_ledger.studies.shape import Shape
from mint_ledger.studies.study import Study

if TYPE_CHECKING:
    import pandas as pd

MOST_JOURNALS = 2_000


@dataclass(frozen=True, slots=True)
class OwnMeasure:
    """A measure of somebody's own, for the entry points `mint_ledger.measures`.

    Attributes:
        take: of the table of runs (`study.measures`) a number for each run; or of a run's journal (`run.journal`) one
            number. NaN where a run has none.
        of: which of the two it is given.
        unit: what it is counted in.
        about: what it is, in a sentence.
    """

    take: Callable[[pd.DataFrame], Any]
    of: Literal["runs", "journal"] = "runs"
    unit: str = ""
    about: str = ""


def own_measure(name: str) -> tuple[OwnMeasure, Own]:
    """An own measure by its name, and where it comes from.

    Raises:
        NotFound: no package adds one of that name.
        BadRequest: it cannot be loaded, or is none.
    """
    known = {own.name: own for own in own_parts(MEASURES)}
    if name not in known:
        has = f"; there are {', '.join(known)}" if known else "; no package that is installed adds any"
        raise NotFound(f"there is no own measure '{name}'{nearest(name, known) or has}")
    own = known[name]
    if own.fault:
        raise BadRequest(f"the measure '{name}' of the package {own.package} cannot be loaded: {own.fault}")
    if not isinstance(own.thing, OwnMeasure):
        raise BadRequest(f"'{name}' of the package {own.package} is no mint_ledger.OwnMeasure")
    return own.thing, own


def own_shape(name: str, study: Study, journals: Iterator[pd.DataFrame]) -> Shape:
    """Return how an own measure is spread over the runs of a study; `journals` are theirs, in order.

    Raises:
        NotFound: no package adds one of that name.
        BadRequest: it fails, or gives something else than a number a run; or no run has it.
    """
    measure, own = own_measure(name)
    if measure.of == "journal" and study.runs > MOST_JOURNALS:
        raise BadRequest(
            f"'{name}' is taken of journals, so it wants {MOST_JOURNALS:,} runs at most, not {study.runs:,}"
        )
    try:
        taken = (
            measure.take(study.measures) if measure.of == "runs" else [measure.take(journal) for journal in journals]
        )
        values = np.asarray(taken, dtype=float)
    except (MemoryError, RecursionError):
        raise
    except Exception as error:
        raise BadRequest(f"the measure '{name}' of the package {own.package} failed: {told(error)}") from None
    if values.shape != (study.runs,):
        raise BadRequest(
            f"the measure '{name}' of the package {own.package} gives {values.shape} numbers and not one for each of "
            f"{study.runs:,} runs"
        )
    numbers = np.flatnonzero(np.isfinite(values))
    if not len(numbers):
        raise BadRequest(f"no run has {name}, so there is nothing to tell of it")
    title = f"{name} (own, by {own.package})"
    return Shape(study.title, title, measure.unit, study.runs, study.seed, study.sure, numbers, values[numbers])
