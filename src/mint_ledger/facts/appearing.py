"""Whether somebody may appear while statements are carried out."""

from __future__ import annotations

from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.walking import nodes


def lets_appear(program: Program, statements: st.Block, seen: frozenset[Handle] = frozenset()) -> bool:
    """Whether statements, or what they call or settle, may make somebody present that was not."""
    present = program.columns.present.base
    for node in nodes(statements):
        if isinstance(node, st.Settle):
            return True
        if isinstance(node, st.Set) and node.column.base == present and node.value != ex.ZERO:
            return True
        if isinstance(node, st.Call) and node.procedure not in seen:
            called = program.procedures[node.procedure].body
            if lets_appear(program, called, seen | {node.procedure}):
                return True
    return False
