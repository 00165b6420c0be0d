"""What it takes to watch conditions that are as they were."""

from __future__ import annotations

from mint_ledger.program import statements as st
from mint_ledger.program.walking import nodes


def idle_rounds(statements: st.Block) -> int | None:
    """How many rounds of loops a procedure goes that finds nothing to do; none where that depends on the state."""
    total = 0
    for statement in statements:
        if isinstance(statement, st.Each) and statement.repeat is None:
            total += sum(count for _, count in statement.ranges)
            inside = statement.body
        else:
            inside = (statement,)
        if any(isinstance(node, st.Each) for node in nodes(inside)):
            return None
        # Behind a condition, a call is what the condition is for.
        if any(isinstance(inner, st.Call) for inner in inside):
            return None
    return total
