"""The pieces of a step: statements of its parts that share no local, and so can be passed over one by one."""

from __future__ import annotations

from collections.abc import Iterable, Set
from dataclasses import dataclass
from typing import assert_never

from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.walking import named_locals, nodes


@dataclass(frozen=True)
class Piece:
    """Some statements of a part, with the routines that carry them out and look when they next matter."""

    number: int
    part: Handle
    statements: st.Block
    settles: bool


def pieces_of(program: Program) -> list[Piece]:
    """The pieces of all parts, in the order of a step."""
    pieces: list[Piece] = []
    for part in (*parts.BEFORE_SCRIPT, *parts.AFTER_SCRIPT):
        for statements in cut(program.procedures[part].body):
            pieces.append(Piece(len(pieces), part, statements, _settles(program, statements, set())))
    return pieces


def only_in(program: Program, pieces: Iterable[Piece]) -> dict[Handle, int]:
    """The procedures that are carried out in one piece of a step and nowhere else, with its number."""
    pieces = list(pieces)
    by_parts = {piece.part for piece in pieces}
    callers: dict[Handle, set[int]] = {}
    for piece in pieces:
        for callee in _called(piece.statements):
            callers.setdefault(callee, set()).add(piece.number)
    elsewhere = -1
    for handle, procedure in program.procedures.items():
        if handle not in by_parts:
            for callee in _called(procedure.body):
                callers.setdefault(callee, set()).add(elsewhere)
    # What is called by name, and not by a statement: the parts themselves, handlers of events, scripts.
    found = {}
    for handle, numbers in callers.items():
        handles_event = any(event.handler == handle for event in program.events)
        if len(numbers) == 1 and elsewhere not in numbers and not handles_event:
            found[handle] = numbers.pop()
    return found


def _called(statements: st.Block) -> set[Handle]:
    return {node.procedure for node in nodes(statements) if isinstance(node, st.Call)}


def cut(statements: st.Block, given: Set[int] = frozenset()) -> list[st.Block]:
    """Cut a block where no local but those given goes from one side to the other, and before the first that leaves
    it.
    """
    uses, leaving = [], []
    for statement in statements:
        inside = list(nodes(statement))
        uses.append({local for node in inside for local in named_locals(node)} - given)
        leaving.append(any(isinstance(node, st.Leave) and node.what == "procedure" for node in inside))
    last = {local: position for position, used in enumerate(uses) for local in used}
    pieces: list[st.Block] = []
    start = 0
    reach = 0
    for position, used in enumerate(uses):
        reach = max([reach, position, *(last[local] for local in used)])
        if leaving[position]:
            reach = len(statements) - 1
        if position == reach:
            pieces.append(statements[start : position + 1])
            start = position + 1
    return pieces


def leaves(statement: st.Statement) -> bool:
    """Return whether a statement may leave the repetition that it stands in, or the procedure."""
    return any(isinstance(node, st.Leave) for node in nodes(statement))


def assigned_locals(statements: Iterable[st.Statement]) -> set[int]:
    """The locals that statements give a value to."""
    assigned: set[int] = set()
    for s in statements:
        match s:
            case st.Let() | st.Draw():
                assigned.add(s.local)
            case st.Call():
                assigned |= {s.into} if s.into is not None else set()
            case st.If():
                assigned |= assigned_locals(s.then) | assigned_locals(s.other)
            case st.Each():
                assigned |= assigned_locals(s.body)
            case st.Post() | st.Open() | st.Flow() | st.Set() | st.Note() | st.Leave() | st.Raise():
                pass
            case st.Settle() | st.Guard() | st.Finish():
                pass
            case _:
                assert_never(s)
    return assigned


def _settles(program: Program, statements: Iterable[st.Statement], seen: set[Handle]) -> bool:
    """Return whether statements may work off what a `do` set off."""
    for statement in statements:
        match statement:
            case st.Settle():
                return True
            case st.If() if _settles(program, (*statement.then, *statement.other), seen):
                return True
            case st.Each() if _settles(program, statement.body, seen):
                return True
            case st.Call() if statement.procedure not in seen:
                seen.add(statement.procedure)
                if _settles(program, program.procedures[statement.procedure].body, seen):
                    return True
            case st.If() | st.Each() | st.Call() | st.Post() | st.Open() | st.Flow() | st.Set() | st.Let() | st.Draw():
                pass
            case st.Note() | st.Leave() | st.Raise() | st.Guard() | st.Finish():
                pass
            case _:
                assert_never(statement)
    return False
