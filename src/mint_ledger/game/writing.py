"""Writes a game as the text of a game file."""

from __future__ import annotations

import io
import math
from collections.abc import Mapping
from typing import Any

from mint_ledger.game.source import Source

_FLOW_LENGTH = 88


def yaml_text(source: Source) -> str:
    """The text of a game's content: as it was read, or made of it, with short mappings on one line.

    Tables that stand in files are written into it, so that the text is the whole game.
    """
    if source.text and source.files:
        return _with_tables(source)
    return source.text or yaml_of({"mint_ledger": 1, **source.data})


def _with_tables(source: Source) -> str:
    """The text that was read, with the rows of its tables in the place of the names of their files."""
    from ruamel.yaml import YAML

    if source.text.lstrip().startswith("{"):
        return yaml_of({"mint_ledger": 1, **source.data})
    editor = YAML()
    editor.preserve_quotes = True
    editor.width = 4096
    tree = editor.load(source.text)
    for name in source.table_files:
        tree["tables"][name] = _shaped(source.data["tables"][name], 2, 2)
    out = io.StringIO()
    editor.dump(tree, out)
    return out.getvalue()


def yaml_of(data: Mapping[str, Any], *, open_to: int = 1) -> str:
    """Plain values as YAML; what lies deeper than `open_to` stands on one line where it is short."""
    from ruamel.yaml import YAML

    writer = YAML()
    writer.width = 110
    out = io.StringIO()
    writer.dump(_shaped(data, 0, open_to), out)
    return out.getvalue()


def _shaped(value: Any, depth: int, open_to: int) -> Any:
    from ruamel.yaml.comments import CommentedMap, CommentedSeq

    if isinstance(value, dict):
        node = CommentedMap({key: _shaped(item, depth + 1, open_to) for key, item in value.items()})
        if depth > open_to and len(repr(value)) < _FLOW_LENGTH:
            node.fa.set_flow_style()
        return node
    if isinstance(value, (list, tuple)):
        sequence = CommentedSeq([_shaped(item, depth + 1, open_to) for item in value])
        if depth > open_to and len(repr(value)) < _FLOW_LENGTH:
            sequence.fa.set_flow_style()
        return sequence
    if isinstance(value, float) and math.isfinite(value) and value == int(value) and abs(value) < 1e15:
        return int(value)
    return value
