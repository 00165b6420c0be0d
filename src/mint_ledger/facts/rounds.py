"""Rounds of a piece: what is tried whenever a time of its own has come, and then when that is the next time.

Where nothing that is tried can do anything, all that happens in a round is that the next one is drawn.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from mint_ledger.facts.pieces import assigned_locals
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.state import Column
from mint_ledger.program.walking import named_locals, nodes


@dataclass(frozen=True)
class Rounds:
    """A piece that goes on in rounds.

    Attributes:
        tried: the piece as though all rounds were due, and none said when the next is.
        following: of the piece that alone by which a round that is due says when the next is.
        columns: what `following` sets.
    """

    tried: st.Block
    following: st.Block
    columns: tuple[Column, ...]


def rounds_of(statements: st.Block) -> Rounds | None:
    """The rounds that a piece goes on in, if it does."""
    found = _split(statements)
    if found is None:
        return None
    tried, following = found
    inside = list(nodes(following))
    inner = {node.local for node in inside if isinstance(node, (st.Each, ex.Fold, ex.With))}
    used = {local for node in inside for local in named_locals(node)}
    if used - inner - assigned_locals(following):
        return None  # it goes by what was found out in what is left out
    return Rounds(tried, following, tuple({node.column for node in inside if isinstance(node, st.Set)}))


def _split(statements: st.Block) -> tuple[st.Block, st.Block] | None:
    """Return what is tried of a block, and what follows; none where no round is in it."""
    tried: list[st.Statement] = []
    following: list[st.Statement] = []
    for statement in statements:
        parts = _split_one(statement)
        if parts is None and _escapes(statement):
            return None
        tried.append(parts[0] if parts else statement)
        following += [parts[1]] if parts else []
    return (tuple(tried), tuple(following)) if following else None


def _split_one(statement: st.Statement) -> tuple[st.Statement, st.Statement] | None:
    if isinstance(statement, st.Each):
        inner = _split(statement.body)
        return (replace(statement, body=inner[0]), replace(statement, body=inner[1])) if inner else None
    if not isinstance(statement, st.If) or statement.other:
        return None
    known = _round(statement)
    if known is not None:
        return known
    inner = _split(statement.then)
    return (replace(statement, then=inner[0]), replace(statement, then=inner[1])) if inner else None


def _round(statement: st.If) -> tuple[st.Statement, st.Statement] | None:
    """A round: under the condition that its time has come something is tried, and in the end that time is set."""
    items = statement.condition.items if isinstance(statement.condition, ex.And) else (statement.condition,)
    times = [item.value.column for item in items if isinstance(item, ex.Due) and isinstance(item.value, ex.At)]
    end = len(statement.then)
    while end and isinstance(statement.then[end - 1], (st.Let, st.Draw, st.Set)):
        end -= 1
    before, behind = statement.then[:end], statement.then[end:]
    is_set = {s.column for s in behind if isinstance(s, st.Set)}
    if any(column.role in ("flag", "value") for column in is_set):
        return None  # it may make a condition true
    used = {local for node in nodes(behind) for local in named_locals(node)}
    if len(times) != 1 or times[0] not in is_set or used & assigned_locals(before) or _escape(before):
        return None
    other = tuple(item for item in items if not isinstance(item, ex.Due))
    return replace(statement, condition=ex.And(other), then=before), replace(statement, then=behind)


def _escape(statements: Iterable[st.Statement]) -> bool:
    return any(map(_escapes, statements))


def _escapes(statement: st.Statement) -> bool:
    """Return whether a statement may leave the block that it stands in."""
    if isinstance(statement, st.Each):
        leaving = [node for node in nodes(statement.body) if isinstance(node, st.Leave)]
        return any(node.what == "procedure" for node in leaving)
    return any(isinstance(node, st.Leave) for node in nodes(statement))
