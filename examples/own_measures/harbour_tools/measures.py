"""Measures of one's own: functions of a run's journal, or of the table of runs."""

from __future__ import annotations

import numpy as np
import pandas as pd

import mint_ledger as mint

CLOSE = 10.0


def count_close_calls(journal: pd.DataFrame) -> int:
    """How often a health fell to less than 10 and stayed above 0."""
    posted = journal[(journal["what"] == "posting") & (journal["stat"] == "health")]
    fell = (posted["before"] >= CLOSE) & (posted["after"] < CLOSE) & (posted["after"] > 0.0)
    return int(fell.sum())


def time_of_wins(runs: pd.DataFrame) -> pd.Series:
    """When runs were won; runs that were not have none."""
    return runs["time"].where(runs["result"] == "win", np.nan)


close_calls = mint.OwnMeasure(count_close_calls, of="journal", about="A health below 10 that was not lost.")
late_win = mint.OwnMeasure(time_of_wins, of="runs", unit="s", about="When runs are won.")
