"""The columns that a game has once, and that several concepts read or set."""

from __future__ import annotations

from mint_ledger.lowering.context import Lowering
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import FlowColumns, Known
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
    """Return how many happenings of the script are over."""
    return lowering.layout.column(Handle("script position"), "mark")


def only_script_column(lowering: Lowering) -> Column:
    """Return whether timers of attacks and rules, and habits, rest."""
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
    """Return when the level began."""
    return lowering.layout.column(Handle("level began"), "time")


def account_column(lowering: Lowering, stat: str) -> Column:
    """The column of a stat's accounts: over all entities between the first and the last that have it."""
    owners = [m for m in lowering.cast.with_stat(stat) if m.room and m.kind.stats[stat].is_account]
    spans = [(m.first, m.first + m.room) for m in owners]
    if stat in lowering.game.stats and lowering.game.stats[stat].is_account:
        spans.append((0, 1))
    first = min((low for low, _ in spans), default=0)
    last = max((high for _, high in spans), default=1)
    return lowering.layout.column(Handle("stat", (stat,)), "value", first, last - first)


def flow_columns(lowering: Lowering, values: Column, stat: str) -> FlowColumns:
    """Return where the flows of a stat keep their state."""

    def column(what: str, role: str = "time") -> Column:
        return lowering.layout.column(Handle(f"flow {what}", (stat,)), role, values.first, values.count)  # type: ignore[arg-type]

    return FlowColumns(
        rate=column("rate", "value"),
        to=column("to", "value"),
        anchor=column("anchor", "step"),
        booked=column("booked", "value"),
        since=column("since", "step"),
        waits_from=column("waits from"),
        at_limit=column("at limit", "value"),
    )


def turn_column(lowering: Lowering) -> Column:
    """Whose turn it is, as a position in the order, from 0."""
    return lowering.layout.column(Handle("whose turn"), "flag")


def without_column(lowering: Lowering, lot: str, branch: str) -> Column:
    """Return how many drawings of a self (or of all) there have been since a branch came."""
    shared = lowering.game.lots[lot].shared
    handle = Handle("drawn without", ("lots", lot, "of", branch))
    return lowering.layout.column(handle, "counter", 0, 1 if shared else lowering.cast.size)


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
