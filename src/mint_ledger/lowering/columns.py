"""The columns that a game has once, and that several concepts read or set."""

from __future__ import annotations

from mint_ledger.lowering.context import Lowering
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Known
from mint_ledger.program.state import Column


def step_column(lowering: Lowering) -> Column:
    """The number of the step."""
    return lowering.layout.column(Handle("step"), "step")


def ending_column(lowering: Lowering) -> Column:
    """The number of the ending: -2 before the accounts are open, -1 as long as there is none."""
    return lowering.layout.column(Handle("ending"), "measure", opening=-2.0)


def winner_column(lowering: Lowering) -> Column:
    """The entity that won, 0 for none."""
    return lowering.layout.column(Handle("winner"), "measure")


def script_position_column(lowering: Lowering) -> Column:
    """How many happenings of the script are over."""
    return lowering.layout.column(Handle("script position"), "mark")


def only_script_column(lowering: Lowering) -> Column:
    """Whether timers of attacks and rules, and habits, rest."""
    return lowering.layout.column(Handle("only script"), "flag")


def present_column(lowering: Lowering) -> Column:
    """Which entities are there."""
    return lowering.layout.column(Handle("present"), "flag", 0, lowering.cast.size)


def habit_column(lowering: Lowering) -> Column:
    """Which habit an entity plays by: 0 for none, else its number in the file, from 1."""
    return lowering.layout.column(Handle("habit"), "mark", 0, lowering.cast.size)


def first_level_column(lowering: Lowering) -> Column:
    """The number of the level in which a run begins."""
    return lowering.layout.column(Handle("first level"), "mark")


def level_column(lowering: Lowering) -> Column:
    """The number of the level that is played, from 0; -1 before the first."""
    return lowering.layout.column(Handle("level"), "flag", opening=-1.0)


def level_began_column(lowering: Lowering) -> Column:
    """When the level began."""
    return lowering.layout.column(Handle("level began"), "time")


def known_columns(lowering: Lowering) -> Known:
    """The columns that engines and those who play know; they come first in the state."""
    return Known(
        step=step_column(lowering),
        ending=ending_column(lowering),
        winner=winner_column(lowering),
        script_position=script_position_column(lowering),
        only_script=only_script_column(lowering),
        first_level=first_level_column(lowering),
        present=present_column(lowering),
        habit=habit_column(lowering) if lowering.game.habits else None,
        level=level_column(lowering) if lowering.game.levels else None,
    )
