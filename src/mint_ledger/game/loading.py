"""Makes models of a game file's plain content, and says of each fault where it stands.

A fault in one part should not hide those in others: what is wrong is taken out, and the rest is looked at
again, until what is left fits the models. What is left serves to find faults in names and formulas as well.
"""

from __future__ import annotations

import copy
from dataclasses import dataclass, replace
from typing import Any, get_args, get_origin

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from mint_ledger.errors import Fault, Place, nearest
from mint_ledger.formula.syntax import describe
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import UNION_TAGS, Part
from mint_ledger.game.paths import path_name
from mint_ledger.game.source import Source
from mint_ledger.game.trade_words import meant

Path = tuple[str | int, ...]
MAX_ROUNDS = 200


@dataclass(frozen=True)
class LoadedFile:
    """What could be made of a file: the game without its faulty parts, the faults, and what was left out."""

    game: GameFile | None
    faults: tuple[Fault, ...]
    left_out: tuple[Path, ...]


def read_game(source: Source) -> LoadedFile:
    """Make the models of a game file; never raises for what stands in the file."""
    # Positions in lists change as items are taken out; data and places are kept in step.
    left = replace(source, data=copy.deepcopy(source.data), places=dict(source.places))
    faults: list[Fault] = []
    left_out: list[Path] = []
    for _ in range(MAX_ROUNDS):
        try:
            game = GameFile.model_validate(left.data, extra="allow")
        except ValidationError as error:
            faulty: dict[Path, None] = {}
            for detail in error.errors():
                path = _real_path(left.data, detail["loc"])
                faulty[path] = None
                if not _follows(path, left_out):
                    faults.append(Fault(left.place(path), path_name(path, left.data), fault_message(detail, path)))
                    if detail["type"] in ("missing", "value_error"):
                        part = path[:-1] if detail["type"] == "missing" else path
                        faults += _beside_another(left, part, detail["input"], faults[-1].message)
            removed = _take_all_out(left, list(faulty))
            left_out.extend(removed)
            if not removed or len(faults) > 500:
                return LoadedFile(None, tuple(faults), tuple(left_out))
            continue
        extras = list(_unknown_keys(game, (), left.data))
        if extras:
            faults.extend(_extra_fault(left, path, model) for path, model in extras)
            left_out.extend(_take_all_out(left, [path for path, _ in extras]))
            continue
        game._source = left if left_out else source
        return LoadedFile(game, tuple(_without_comma_echoes(faults)), tuple(left_out))
    return LoadedFile(None, tuple(faults), tuple(left_out))


def _follows(path: Path, left_out: list[Path]) -> bool:
    """Return whether something is wrong only because a faulty part of it was left out."""
    return any(gone[: len(path)] == path or gone[: len(path) - 1] == path[:-1] for gone in left_out)


def _take_all_out(left: Source, paths: list[Path]) -> list[Path]:
    # From the back, so that list positions still to be used stay right.
    ordered = sorted(paths, key=_sort_key, reverse=True)
    return [path for path in ordered if _take_out(left, path)]


def _sort_key(path: Path) -> list[tuple[int, str]]:
    return [(part, "") if isinstance(part, int) else (-1, part) for part in path]


def _real_path(data: Any, loc: tuple[str | int, ...]) -> Path:
    """Drop from pydantic's location what does not stand in the file (tags of unions, lists written for one item)."""
    path: list[str | int] = []
    node: Any = data
    loc = tuple(part for part in loc if part not in UNION_TAGS)
    for index, part in enumerate(loc):
        in_list = isinstance(node, list) and isinstance(part, int) and part < len(node)
        # The tag of a step is one of its keys: `if`, `each`. What is in it goes no deeper where it is a plain value.
        is_tag = isinstance(node, dict) and index < len(loc) - 1 and not isinstance(node.get(part), (dict, list))
        if in_list or (isinstance(node, dict) and part in node and not is_tag):
            node = node[part]
            path.append(part)
        elif isinstance(node, dict) and index == len(loc) - 1 and isinstance(part, str):
            path.append(part)
    return tuple(path)


def fault_message(detail: ErrorDetails, path: Path) -> str:
    """Return what one of pydantic's findings means, in a designer's words."""
    kind = detail["type"]
    given = detail.get("input")
    if kind == "missing":
        return f"'{path[-1] if path else '?'}' is missing"
    if kind == "value_error":
        return str(detail.get("ctx", {}).get("error", detail["msg"]))
    wants = {
        "string_type": "a text",
        "bool_type": "yes or no (true or false)",
        "bool_parsing": "yes or no (true or false)",
        "dict_type": "a mapping",
        "model_type": "a mapping",
        "model_attributes_type": "a mapping",
        "list_type": "a list",
        "int_type": "a whole number",
        "float_type": "a number",
    }.get(kind)
    if wants:
        return f"wants {wants}, not {describe(given)}"
    if kind == "literal_error":
        expected = str(detail.get("ctx", {}).get("expected", "")).replace("'", "")
        options = expected.replace(" or ", ", ").split(", ")
        hint = nearest(str(given), options)
        return f"'{given}' is not one of {expected}{hint}"
    if kind in ("too_short", "too_long"):
        context = detail.get("ctx", {})
        few = f"{context.get('min_length')} at least" if kind == "too_short" else f"{context.get('max_length')} at most"
        size = len(given) if isinstance(given, (list, dict, str)) else context.get("actual_length")
        return f"has {size} entries; it wants {few}"
    return detail["msg"][0].lower() + detail["msg"][1:]


def _take_out(left: Source, path: Path) -> bool:
    """Remove what stands at a path; where it is missing, the part that misses it."""
    node: Any = left.data
    for part in path[:-1]:
        try:
            node = node[part]
        except (KeyError, IndexError, TypeError):
            return False
    if not path:
        return False
    try:
        del node[path[-1]]
    except (KeyError, IndexError, TypeError):
        return _take_out(left, path[:-1])
    if isinstance(path[-1], int):
        _move_up(left.places, path[:-1], path[-1])
    return True


def _move_up(places: dict[Path, Place], parent: Path, gone: int) -> None:
    depth = len(parent)
    moved = {}
    for path in [p for p in places if len(p) > depth and p[:depth] == parent and isinstance(p[depth], int)]:
        index = path[depth]
        place = places.pop(path)
        if isinstance(index, int) and index != gone:
            moved[(*parent, index - (index > gone), *path[depth + 1 :])] = place
    places.update(moved)


def _known_keys(model: type[Part]) -> list[str]:
    return [field.alias or name for name, field in model.model_fields.items()]


def _unknown_keys(part: Any, path: Path, data: Any) -> list[tuple[Path, type[Part]]]:
    unknown: list[tuple[Path, type[Part]]] = []
    if isinstance(part, Part):
        fields = type(part).model_fields
        known = _known_keys(type(part))
        # A field whose key is a word of Python's has another name in the models, which is no key of the file.
        strange = [name for name in fields if name not in known]
        for key in (*(part.model_extra or {}), *strange):
            if isinstance(data, dict) and key in data:
                unknown.append(((*path, key), type(part)))
        for name in part.model_fields_set & set(fields):
            key = fields[name].alias or name
            child = data.get(key) if isinstance(data, dict) else None
            if child is not None:
                unknown.extend(_unknown_keys(getattr(part, name), (*path, key), child))
    elif isinstance(part, dict) and isinstance(data, dict):
        for key, item in part.items():
            unknown.extend(_unknown_keys(item, (*path, key), data.get(key)))
    elif isinstance(part, list):
        if isinstance(data, list):
            for index, item in enumerate(part):
                unknown.extend(_unknown_keys(item, (*path, index), data[index] if index < len(data) else None))
        elif len(part) == 1:
            unknown.extend(_unknown_keys(part[0], path, data))
    return unknown


def _beside_another(left: Source, path: Path, given: Any, told: str) -> list[Fault]:
    """Return the unknown keys of a part that has another fault, which `told` is of: often one was meant for a missing.

    A key that is named there is told already.
    """
    models = _models_at(GameFile, path) if isinstance(given, dict) else []
    if not models:
        return []
    # Of several sorts (the steps of a `do`) the one is meant that knows most of the keys.
    model = max(models, key=lambda one: len(set(_known_keys(one)) & set(given)))
    unknown = [key for key in given if key not in _known_keys(model) and f"'{key}'" not in told]
    return [_extra_fault(left, (*path, key), model) for key in unknown]


def _models_at(annotation: Any, path: Path) -> list[type[Part]]:
    """Return the models that may stand at a path within what is annotated so."""
    if isinstance(annotation, type) and issubclass(annotation, Part):
        if not path:
            return [annotation]
        fields = {field.alias or name: field.annotation for name, field in annotation.model_fields.items()}
        return _models_at(fields.get(str(path[0])), path[1:])
    within = [kind for kind in get_args(annotation) if not isinstance(kind, str)]
    origin = get_origin(annotation)
    if origin is dict:
        return _models_at(within[1], path[1:]) if path else []
    if origin in (list, tuple) and path and isinstance(path[0], int):
        path = path[1:]
    return [model for kind in within for model in _models_at(kind, path)]


def _inside(key: str, model: type[Part]) -> str:
    """Return where a key would be right, if it belongs into a part of the one that it was written in."""
    if key == "else if" and "else" in _known_keys(model):
        return "; it is a step of its own, right after this one: [{if: n > 1, do: […]}, {else if: n > 0, do: […]}]"
    for name, field in model.model_fields.items():
        if any(key in _known_keys(inner) for inner in _models_at(field.annotation, ())):
            return f"; it belongs into '{field.alias or name}': {field.alias or name}: {{{key}: …}}"
    return ""


def _extra_fault(left: Source, path: Path, model: type[Part]) -> Fault:
    key, known = str(path[-1]), _known_keys(model)
    if (")" in key and "(" not in key) or ("]" in key and "[" not in key):
        message = f"'{key}' was cut off by a comma: inside {{ }} and [ ] a formula with a comma wants quotes"
    else:
        here = f"; known here: {', '.join(known)}" if known else "; nothing stands here: {}"
        message = f"unknown key '{key}'{_inside(key, model) or meant(key, known) or nearest(key, known) or here}"
    return Fault(left.place(path), path_name(path[:-1], left.data), message)


def _without_comma_echoes(faults: list[Fault]) -> list[Fault]:
    """One comma in an unquoted formula makes two faults on a line; keep the one that tells why."""
    cut = {(f.place.line) for f in faults if "was cut off by a comma" in f.message}
    told = {f.place.line for f in faults if "never closed" in f.message}
    return [f for f in faults if not ("was cut off by a comma" in f.message and f.place.line in told & cut)]
