"""Writes a game as the text of a game file."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import Any

from mint_ledger.game.source import Source

_FLOW_LENGTH = 88


def yaml_text(source: Source) -> str:
    """The text of a game's content: as it was read, or made of it, with short mappings on one line."""
    return source.text or yaml_of({"mint_ledger": 1, **source.data})


def yaml_of(data: Mapping[str, Any], *, open_to: int = 1) -> str:
    """Plain values as YAML; what lies deeper than `open_to` stands on one line where it is short."""
    from ruamel.yaml import YAML
    from ruamel.yaml.comments import CommentedMap, CommentedSeq

    def shaped(value: Any, depth: int) -> Any:
        if isinstance(value, dict):
            node = CommentedMap({key: shaped(item, depth + 1) for key, item in value.items()})
            if depth > open_to and len(repr(value)) < _FLOW_LENGTH:
                node.fa.set_flow_style()
            return node
        if isinstance(value, (list, tuple)):
            sequence = CommentedSeq([shaped(item, depth + 1) for item in value])
            if depth > open_to and len(repr(value)) < _FLOW_LENGTH:
                sequence.fa.set_flow_style()
            return sequence
        if isinstance(value, float) and value == int(value) and abs(value) < 1e15:
            return int(value)
        return value

    writer = YAML()
    writer.width = 110
    out = io.StringIO()
    writer.dump(shaped(data, 0), out)
    return out.getvalue()
