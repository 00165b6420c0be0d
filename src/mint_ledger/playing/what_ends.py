"""What of a game says why its runs end: the accounts that endings read, and the rules on the way to an end."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from mint_ledger.lowering.lowered import Lowered
from mint_ledger.program.expressions import At, Checked, Fold
from mint_ledger.program.handle import Path
from mint_ledger.program.parts import ENDINGS
from mint_ledger.program.program import Program
from mint_ledger.program.walking import nodes


@dataclass(frozen=True)
class TriggeredRule:
    """A rule that something sets off by becoming true: its cause, and the accounts that this depends on."""

    cause: int
    title: str
    reads: frozenset[int]
    # Of whom it is asked; none where it is asked of the game.
    selves: frozenset[int]


class WhatEnds:
    """The accounts that the endings of a game read, and the rules on the way to them.

    Attributes:
        reads: for each ending the slots of the accounts that its condition reads.
        ways: by their causes, rules that something sets off by becoming true.
        counted: the slots of all accounts that any ending reads.
        counts: endings whose condition counts who is there.
        players: the entities that habits play.
    """

    def __init__(self, lowered: Lowered) -> None:
        self.program = program = lowered.program
        self.slots = {stat: account.column.offset for stat, account in _accounts(program)}
        sites = lowered.sites
        self.reads: dict[str, frozenset[int]] = {}
        for site in sites.formulas.values():
            name = _ending_of(site.path)
            if name is not None:
                self.reads[name] = self.reads.get(name, frozenset()) | self._slots(site.reads)
        causes = {cause.path: number for number, cause in enumerate(program.causes) if cause.sort == "rule"}
        self.ways: dict[int, TriggeredRule] = {}
        for path, rule in sites.rules.items():
            edges = [s for s in sites.formulas.values() if s.watched and s.asks and s.path[: len(path)] == path]
            if path in causes and edges:
                read = self._slots({account for site in edges for account in site.reads})
                who = frozenset(e for kind in rule.selves for e in program.cast.members[kind].entities)
                self.ways[causes[path]] = TriggeredRule(causes[path], program.cause_labels[causes[path]], read, who)
        self.counted = frozenset().union(*self.reads.values()) if self.reads else frozenset[int]()
        # Endings whose condition counts who is there.
        self.counts = {name for name in self.reads if name in _counting(program)}
        self.players = sorted(entity for entities in lowered.habit_players.values() for entity in entities)

    def _slots(self, accounts: Any) -> frozenset[int]:
        members = self.program.cast.members
        return frozenset(
            self.slots[stat] + entity
            for owner, stat in accounts
            if stat in self.slots
            for entity in (members[owner].entities if owner else [0])
        )

    def entity(self, slot: int) -> int:
        """Whose account a slot is."""
        return next(
            slot - account.column.offset
            for account in self.program.accounts
            if account.column.base <= slot < account.column.base + account.column.count
        )

    def account(self, slot: int) -> str:
        """Return what people call an account; copies of a kind are told together."""
        entity = self.entity(slot)
        stat = next(stat for stat, first in self.slots.items() if first + entity == slot and self._has(stat, slot))
        member = self.program.cast.member_of(entity)
        return f"{member.name}.{stat}" if member is not None else stat

    def _has(self, stat: str, slot: int) -> bool:
        column = self.program.accounts[self.program.account_index[stat]].column
        return column.base <= slot < column.base + column.count


def _counting(program: Program) -> set[str]:
    """The endings whose conditions ask who is there."""
    names = set()
    body = program.procedures[ENDINGS].body
    for node in nodes(body):
        if isinstance(node, Checked) and any(isinstance(inner, (Fold, At)) for inner in nodes(node.value)):
            names.add(_ending_of(program.formulas[node.formula].path))
    return {name for name in names if name is not None}


def _accounts(program: Program) -> Iterator[tuple[str, Any]]:
    for account in program.accounts:
        yield account.stat, account


def _ending_of(path: Path) -> str | None:
    """The ending whose condition stands at a path of the file."""
    if path[0] == "endings" and len(path) > 1:
        return str(path[1])
    return str(path[3]) if path[0] == "kinds" and path[2:3] == ("endings",) and len(path) > 3 else None
