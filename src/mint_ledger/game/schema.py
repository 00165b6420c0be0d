"""The JSON Schema of the game file, made from the models: editors complete and explain keys with it.

It refuses nothing that the loader takes. What it cannot say (names that do not exist, formulas that are none) it lets
pass; the loader says that.
"""

from __future__ import annotations

import types
from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BeforeValidator, WithJsonSchema
from pydantic.fields import FieldInfo

from mint_ledger.game import attack, do, kind, level, lot, parts, readout, rule, space, stat, status, turns
from mint_ledger.game.document import GameFile
from mint_ledger.game.key_words import words_for

Schema = dict[str, Any]
DIALECT = "https://json-schema.org/draft/2020-12/schema"
# What a flag may also be written as; the loader reads these words as yes and no.
YES_NO = "^([Tt][Rr][Uu][Ee]|[Ff][Aa][Ll][Ss][Ee]|[Yy][Ee][Ss]|[Nn][Oo]|[Oo][Nn]|[Oo][Ff][Ff]|[Yy]|[Nn]|[Tt]|[Ff]|0|1)$"
FLAG: Schema = {"anyOf": [{"type": "boolean"}, {"type": "string", "pattern": YES_NO}, {"enum": [0, 1]}]}
# Parts that may be written short, and how.
SHORT: dict[type, Schema] = {
    stat.Stat: {"type": ["number", "boolean"]},
    rule.When: {"enum": ["start", "gone", "appears"]},
    attack.AttackWhen: {"enum": ["meets", "in_contact"]},
    attack.Layer: {"type": "string"},
    status.Again: {"enum": ["restart", "extend", "ignore"]},
    space.Move: {"const": "still"},
    turns.Turns: {"type": "array", "items": {"type": "string"}},
    readout.Line: {"type": "string", "format": "text with values"},
    do.PostDo: {"type": "string", "format": "change"},
    lot.Branch: {"type": ["number", "string"]},
}
# Sections and parts of which nothing need be said.
MAY_BE_EMPTY = {name for name in GameFile.model_fields if name not in ("mint_ledger", "title")}


def game_schema() -> Schema:
    """The schema of a whole game file, as plain values (draft 2020-12)."""
    definitions: dict[str, Schema] = {}
    whole = _object(GameFile, definitions)
    for name in MAY_BE_EMPTY:
        if name in whole["properties"]:
            takes = dict(whole["properties"][name])
            words = {key: takes.pop(key) for key in ("description", "default", "examples") if key in takes}
            whole["properties"][name] = {**_any([takes, {"type": "null"}]), **words}
    return {
        "$schema": DIALECT,
        "title": "A game of Mint Ledger",
        **whole,
        "$defs": dict(sorted(definitions.items())),
    }


def _part(part: type[parts.Part], definitions: dict[str, Schema]) -> Schema:
    """A reference to the schema of a part, which is made now if there is none."""
    name = part.__name__
    if name not in definitions:
        definitions[name] = {}
        schema = _object(part, definitions)
        short = SHORT.get(part)
        about = schema.pop("description")
        definitions[name] = {"description": about, **(_any([short, schema]) if short else schema)}
    return {"$ref": f"#/$defs/{name}"}


def _object(part: type[parts.Part], definitions: dict[str, Schema]) -> Schema:
    part.model_rebuild()  # what names itself is known by its name alone until then
    fields = part.model_fields
    properties = {}
    for name, field in fields.items():
        properties[field.alias or name] = _of(field.annotation, tuple(field.metadata), definitions)
    if part is rule.Rule:
        # One trigger, or a list of them.
        properties["when"] = _any([properties["when"], properties["when"]["items"]])
    for name, field in fields.items():
        key = field.alias or name
        takes = properties[key]
        takes = {"anyOf": [takes]} if "description" in takes else takes
        properties[key] = {**takes, **_words(part.__name__, key, field)}
    required = [field.alias or name for name, field in fields.items() if field.is_required()]
    schema: Schema = {
        "description": " ".join((part.__doc__ or "").split()),
        "type": "object",
        "properties": properties,
        "additionalProperties": False,
    }
    if required:
        schema["required"] = required
    return schema


def _words(part: str, key: str, field: FieldInfo) -> Schema:
    """Return what is said of a key: what it does, what it is where it is left out, and an example."""
    words = words_for(part, key)
    said: Schema = {"description": words.does + _in_unit(words.unit)}
    default = field.get_default(call_default_factory=True, validated_data={}) if not field.is_required() else None
    if default is not None:
        said["default"] = _plain_value(default)
    said["examples"] = [words.example]
    return said


def _in_unit(unit: str) -> str:
    return f" {'From' if unit[:1].isdigit() else 'In'} {unit}." if unit else ""


def _plain_value(value: Any) -> Any:
    if isinstance(value, parts.Part):
        return value.model_dump(mode="json", by_alias=True, exclude_none=True)
    return [_plain_value(item) for item in value] if isinstance(value, list) else value


def _of(annotation: Any, metadata: tuple[Any, ...], definitions: dict[str, Schema]) -> Schema:
    """The schema of a field's type."""
    if get_origin(annotation) is Annotated:
        inner, *more = get_args(annotation)
        return _of(inner, (*more, *metadata), definitions)
    own = next((m for m in metadata if isinstance(m, WithJsonSchema)), None)
    if own is not None:
        schema: Schema = dict(own.json_schema or {})
        return schema
    wraps = next((m for m in metadata if isinstance(m, BeforeValidator)), None)
    if get_origin(annotation) in (Union, types.UnionType):
        return _any([_of(option, metadata, definitions) for option in get_args(annotation)])
    if wraps is not None and wraps.func in SPECIAL:
        return SPECIAL[wraps.func](definitions)
    return _plain(annotation, wraps is not None, metadata, definitions)


def _plain(annotation: Any, wraps: bool, metadata: tuple[Any, ...], definitions: dict[str, Schema]) -> Schema:
    origin, arguments = get_origin(annotation), get_args(annotation)
    if annotation is type(None):
        return {"type": "null"}
    if isinstance(annotation, type) and issubclass(annotation, parts.Part):
        return _part(annotation, definitions)
    if origin is Literal:
        return {"enum": list(arguments)}
    if origin is list:
        items = _of(arguments[0], (), definitions)
        schema = {"type": "array", "items": items, **_lengths(metadata)}
        return _any([schema, items]) if wraps else schema
    if origin is dict:
        return {"type": "object", "additionalProperties": _of(arguments[1], (), definitions)}
    named: dict[Any, Schema] = {
        str: {"type": "string"},
        bool: FLAG,
        int: {"type": "integer"},
        float: {"type": "number"},
    }
    return dict(named[annotation])


def _lengths(metadata: tuple[Any, ...]) -> Schema:
    lengths: Schema = {}
    for item in metadata:
        for attribute, key in (("min_length", "minItems"), ("max_length", "maxItems")):
            if getattr(item, attribute, None) is not None:
                lengths[key] = getattr(item, attribute)
    return lengths


def _any(options: list[Schema]) -> Schema:
    flat = [inner for option in options for inner in (option["anyOf"] if set(option) == {"anyOf"} else [option])]
    unique = [option for index, option in enumerate(flat) if option not in flat[:index]]
    return unique[0] if len(unique) == 1 else {"anyOf": unique}


def _copies(definitions: dict[str, Schema]) -> Schema:
    amount = _of(parts.Amount, (), definitions)
    override = {"anyOf": [{"type": "object", "additionalProperties": amount}, {"type": "null"}]}
    return {
        "description": "how many there are at the start, or a list of what differs, one entry a copy",
        "anyOf": [{"type": "integer", "minimum": 0}, {"type": "array", "items": override}],
    }


def _ways(definitions: dict[str, Schema]) -> Schema:
    ways = {"type": "array", "items": _part(level.Way, definitions)}
    return {"description": "the level that comes next", **_any([{"type": "string"}, ways])}


def _steps(definitions: dict[str, Schema]) -> Schema:
    """A list of steps, or one step alone."""
    if "Step" not in definitions:
        definitions["Step"] = {}
        options = [_part(part, definitions) for part in do.STEPS.values()]
        definitions["Step"] = {"description": "a change like `health -= 10`, or a step", "anyOf": options}
    step = {"$ref": "#/$defs/Step"}
    return _any([{"type": "array", "items": step}, step])


def _step(definitions: dict[str, Schema]) -> Schema:
    _steps(definitions)
    return {"$ref": "#/$defs/Step"}


def _scalar(kinds: list[str], _: dict[str, Schema]) -> Schema:
    return {"type": kinds if len(kinds) > 1 else kinds[0]}


SPECIAL: dict[Any, Callable[[dict[str, Schema]], Schema]] = {
    parts.as_number: partial(_scalar, ["number"]),
    parts.as_whole: partial(_scalar, ["integer"]),
    parts.as_measure: lambda _: {"type": ["string", "number"], "format": "measure"},
    kind.read_copies: _copies,
    level.read_ways: _ways,
    do.as_list: _steps,
    do.known_step: _step,
}
