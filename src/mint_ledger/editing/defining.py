"""Where what a name means is made."""

from __future__ import annotations

from mint_ledger.editing.analysis import Analysis
from mint_ledger.editing.cursor import spot_at
from mint_ledger.editing.names import name_meant, token_at
from mint_ledger.errors import Place


def made_at(analysis: Analysis, text: str, line: int, column: int) -> list[Place]:
    """The places in which what stands at a place of a text is made; of a stat one for each kind that has its own."""
    spot, content = spot_at(text, line, column), text.split("\n")[line]
    token = token_at(content, column)
    if spot is None or token is None or analysis.source is None:
        return []
    name = name_meant(analysis, spot, token)
    if name is None or not name.path:
        return []
    paths = [name.path]
    if name.sort == "stat" and analysis.facts is not None:
        known = analysis.facts.stats
        paths = [known[owner, name.text][0] for owner in name.owners or ("",) if (owner, name.text) in known] or paths
    return [analysis.source.place(path) for path in dict.fromkeys(paths)]
