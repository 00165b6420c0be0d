"""Paths in a game: how a dial or a fault is named for people.

Inside, a path is a tuple of keys and list positions, as in the file: `("kinds", "crab", "stats", "bite", "start")`.
People write and read `crab.bite`.
"""

from __future__ import annotations

from typing import Any

from mint_ledger.game.table import key_text

SECTIONS = (
    "numbers",
    "tables",
    "stats",
    "kinds",
    "attacks",
    "actions",
    "statuses",
    "lots",
    "rules",
    "levels",
    "endings",
    "habits",
    "variants",
    "playtests",
)
_QUIET = {"stats", "when", "start", "rules"}


def path_name(path: tuple[str | int, ...], data: Any = None) -> str:
    """Name a path for people; `data` (the plain file) gives rules their names, and cells of tables their keys."""
    if path[:1] == ("tables",) and path[2:3] == ("rows",) and len(path) == 5:
        return _cell_name(path, data)
    parts: list[str] = []
    node = data
    for depth, part in enumerate(path):
        if isinstance(node, dict):
            node = node.get(part)
        elif isinstance(node, list) and isinstance(part, int) and part < len(node):
            node = node[part]
        else:
            node = None
        if depth == 0 and part in SECTIONS and len(path) > 1:
            if part == "rules" and len(path) > 1:
                continue
            continue
        if isinstance(part, int):
            parts.append(_item_name(path[depth - 1] if depth else "", part, node, parts))
        elif (
            (part == "start" and depth == len(path) - 1 and depth > 1)
            or (part in ("stats", "when", "rules") and 0 < depth < len(path) - 1)
            or (part == "of" and depth == 2 and path[0] == "lots" and len(path) > 3)
        ):
            continue
        else:
            parts.append(str(part))
    return ".".join(p for p in parts if p).replace(".[", "[")


def _cell_name(path: tuple[str | int, ...], data: Any) -> str:
    """`rank.health[3]`, by column and key; by the number of the row where the table does not say them."""
    _, table, _, row, column = path
    try:
        known = data["tables"][table]
        return f"{table}.{known['columns'][column]}[{key_text(known['rows'][row][0])}]"
    except (KeyError, IndexError, TypeError):
        return f"{table}.rows[{int(row) + 1}]"


def _item_name(parent: str | int, index: int, node: Any, parts: list[str]) -> str:
    if parent == "copies":
        if parts and parts[-1] == "copies":
            parts.pop()
        return f"[{index + 1}]"
    if isinstance(node, dict) and isinstance(node.get("name"), str):
        return str(node["name"])
    if parent == "when" and index == 0:
        return ""
    return f"{parent}[{index + 1}]" if parent in ("rules",) else f"[{index + 1}]"
