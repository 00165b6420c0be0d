"""Writes a game as the text of a game file."""

from __future__ import annotations

import io
import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from mint_ledger.game.including import INCLUDE, OF_A_FILE
from mint_ledger.game.sections import sections
from mint_ledger.game.source import Source

if TYPE_CHECKING:
    from ruamel.yaml import YAML

_FLOW_LENGTH = 88


def yaml_text(source: Source) -> str:
    """The text of a game's content: as it was read, or made of it, with short mappings on one line.

    Files that it includes, and those of its tables, are written into it, so that the text is the whole game.
    """
    if source.text and source.files:
        return _with_files(source)
    return source.text or yaml_of({"mint_ledger": 1, **source.data})


def own_texts(source: Source) -> dict[str, str]:
    """The texts of which a game is made, by their names beside it: its own, which is of no name, and those included."""
    return {"": source.text, **{name: source.files[name] for name in source.included}}


def yaml_editor() -> YAML:
    """Return what reads YAML and writes it again as it stood, with its comments."""
    from ruamel.yaml import YAML

    editor = YAML()
    editor.preserve_quotes = True
    editor.width = 4096
    editor.brace_single_entry_mapping_in_flow_sequence = True
    return editor


def yaml_dump(tree: Any, *, list_indent: int = 0) -> str:
    """Return the text of a tree that an editor has read, items of lists `list_indent` letters behind their key."""
    out = io.StringIO()
    editor = yaml_editor()
    editor.indent(mapping=2, sequence=2 + list_indent, offset=list_indent)
    editor.dump(tree, out)
    return out.getvalue()


def _with_files(source: Source) -> str:
    """The text that was read, with what stands in other files in the place of their names."""
    texts = own_texts(source)
    if any(text.lstrip().startswith("{") for text in texts.values()):
        return yaml_of({"mint_ledger": 1, **source.data})
    editor = yaml_editor()
    tree, *others = [editor.load(text) for text in texts.values()]
    tree.pop(INCLUDE, None)
    for other in others:
        for key, value in other.items():
            if key in OF_A_FILE:
                continue
            if tree.get(key) is None:
                tree[key] = value
            elif isinstance(value, dict) and isinstance(tree[key], dict) and key in sections("by name"):
                tree[key].update(value)
            elif isinstance(value, list):
                tree[key].extend(value)
    for name in source.table_files:
        tree["tables"][name] = _shaped(source.data["tables"][name], 2, 2)
    return yaml_dump(tree)


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
