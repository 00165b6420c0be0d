"""Loops over entities whose rounds know nothing of each other: each can be asked, or passed over, by itself."""

from __future__ import annotations

from typing import cast

from mint_ledger.facts.pieces import assigned_locals
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.walking import children, nodes


def rounds_stand_apart(s: st.Each) -> bool:
    """Return whether no round of a loop leaves it, or reads a local that an earlier round may have set."""
    # What is left inside a repetition of its own is that one.
    if any(isinstance(node, st.Leave) for node in nodes(s.body, without=st.Each)):
        return False
    if any(isinstance(node, st.Leave) and node.what == "procedure" for node in nodes(s.body)):
        return False
    return not _read_first(s.body, {s.local})[0] & assigned_locals(s.body)


def _read_first(statements: st.Block, known: set[int]) -> tuple[set[int], set[int]]:
    """The locals that statements may read before they set them, and those that are surely set behind them."""
    read: set[int] = set()
    known = set(known)
    for s in statements:
        match s:
            case st.If():
                read |= free_locals(s.condition) - known
                branches = [_read_first(branch, known) for branch in (s.then, s.other)]
                read |= branches[0][0] | branches[1][0]
                known = branches[0][1] & branches[1][1]
            case st.Each():
                if s.repeat is not None:
                    read |= free_locals(s.repeat) - known
                read |= _read_first(s.body, known | {s.local})[0]
            case _:
                for e in children(s):
                    read |= free_locals(cast(ex.Expr, e)) - known
                known |= assigned_locals((s,))
    return read, known


def free_locals(e: ex.Expr) -> set[int]:
    """The locals that an expression reads and does not name itself."""
    match e:
        case ex.Local():
            return {e.index}
        case ex.Fold():
            # The place among those of `nth` is worked out before them.
            outside = free_locals(e.body) if e.op == "nth" else set[int]()
            inside = free_locals(e.where) | (set() if e.op == "nth" else free_locals(e.body))
            return outside | (inside - {e.local})
        case ex.With():
            return free_locals(e.value) | (free_locals(e.body) - {e.local})
        case _:
            return set().union(*(free_locals(cast(ex.Expr, part)) for part in children(e)))
