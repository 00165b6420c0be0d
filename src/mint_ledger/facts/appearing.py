"""Return whether somebody may appear while statements are carried out."""

from __future__ import annotations

from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.walking import nodes


def lets_appear(
    program: Program, statements: st.Block, *, settling: bool, seen: frozenset[Handle] = frozenset()
) -> bool:
    """Whether statements, or what they call, may make somebody present that was not; `settling` says it of settling."""
    present = program.columns.present.base
    for node in nodes(statements):
        if isinstance(node, st.Settle) and settling:
            return True
        if isinstance(node, st.Set) and node.column.base == present and node.value != ex.ZERO:
            return True
        if isinstance(node, st.Call) and node.procedure not in seen:
            called = program.procedures[node.procedure].body
            if lets_appear(program, called, settling=settling, seen=seen | {node.procedure}):
                return True
    return False


def settling_lets_appear(program: Program) -> bool:
    """Return whether what follows a `do` may make somebody present that was not: what conditions and events set off."""
    handlers = {event.handler for event in program.events if event.handler}
    # What settles among these sets off no others.
    return any(
        lets_appear(program, program.procedures[name].body, settling=False)
        for name in {parts.WATCH, parts.WATCH_GONE, *handlers}
    )
