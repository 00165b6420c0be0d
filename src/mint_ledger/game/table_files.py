"""Tables of a game that stand in CSV files beside it: read with it, patched with it, written out in a text of it.

What the game includes is read first (`including`): its tables may name files as well.
"""

from __future__ import annotations

import csv
import io
import math
import stat
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from mint_ledger.errors import Fault, GameError, Place
from mint_ledger.game.including import INCLUDE, BesideError, with_included
from mint_ledger.game.source import MAX_BYTES, Source, parse_source, read_source
from mint_ledger.game.table import MOST_COLUMNS, MOST_ROWS
from mint_ledger.plain import number_of

Key = tuple[str | int, ...]
# Some spreadsheet programs begin a CSV file with this; it stays where it is.
BOM = "\ufeff"
# The game file itself, among the files of a game.
OWN = ""


@dataclass(frozen=True, slots=True)
class _Field:
    """What stands between two separators: its text without quotes, and where its first and last characters stand."""

    text: str
    line: int
    first: int
    last: int


def game_source(path: str | Path, text: str) -> Source:
    """The source of a game file with some text, with the files that it includes and those of its tables.

    Raises:
        GameError: it is no game file, or a file that belongs to it cannot be used.
    """
    folder = Path(path).parent
    return with_files(parse_source(text, str(path)), lambda name: read_beside(folder, name))


def with_files(source: Source, read: Callable[[str], str]) -> Source:
    """The source with what it includes and the rows of its tables; `read` gives the text of a file beside it.

    Raises:
        GameError: a file cannot be used.
    """
    return with_table_files(with_included(source, read), read)


def read_again(source: Source, texts: Mapping[str, str]) -> Source:
    """A source with other texts for some of its files, by their names beside it; its own is that of no name."""
    again = parse_source(texts.get(OWN, source.text), source.file)
    files = {**source.files, **texts}
    return with_files(again, lambda name: _known(files, name)) if source.files else again


def files_beside(path: Path) -> list[Path]:
    """The files that a game file includes, and those of tables; none where the file cannot be read."""
    try:
        source = read_source(path)
    except GameError:
        return []
    named = source.data.get(INCLUDE)
    names = [name for name in ([named] if isinstance(named, str) else named or []) if isinstance(name, str)]
    datas = [source.data]
    for name in names:
        try:
            datas.append(parse_source(read_beside(path.parent, name), name).data)
        except (GameError, BesideError):
            continue
    for data in datas:
        tables = data.get("tables")
        items = tables.values() if isinstance(tables, dict) else ()
        names += [item["file"] for item in items if isinstance(item, dict) and isinstance(item.get("file"), str)]
    return [path.parent / name for name in names]


def with_table_files(source: Source, read: Callable[[str], str]) -> Source:
    """The source with the columns and rows of tables that stand in files; `read` gives the text of a file.

    Raises:
        GameError: a file cannot be used.
    """
    tables = source.data.get("tables")
    if not isinstance(tables, dict) or not any(_file_of(item) for item in tables.values()):
        return source
    filled: dict[str, Any] = dict(tables)
    places = dict(source.places)
    files, by_table, faults = dict(source.files), dict(source.table_files), []
    for name, item in tables.items():
        file = _file_of(item)
        if file is None:
            continue
        path: Key = ("tables", name)
        try:
            text = files[file] if file in files else read(file)
            fields = csv_fields(text)
            if not fields:
                raise BesideError("is empty; its first line names the columns")
        except BesideError as error:
            place = Place(file, error.line, 1) if error.line else source.place((*path, "file"))
            shown = "" if error.line else f"'{file}' "
            faults.append(Fault(place, name, f"{shown}{error}"))
            continue
        files[file], by_table[name] = text, file
        comma = _separator(text) != ","
        filled[name] = {
            "columns": [field.text for field in fields[0]],
            "rows": [[_number(field.text, comma) for field in row] for row in fields[1:]],
        }
        for column, field in enumerate(fields[0]):
            places[*path, "columns", column] = Place(file, field.line, field.first + 1)
        for index, row in enumerate(fields[1:]):
            places[*path, "rows", index] = Place(file, row[0].line, 1)
            for column, field in enumerate(row):
                places[*path, "rows", index, column] = Place(file, field.line, field.first + 1)
    if faults:
        raise GameError(faults)
    return replace(source, data={**source.data, "tables": filled}, places=places, files=files, table_files=by_table)


def patched_table(source: Source, path: Key, value: float) -> Source | None:
    """The source with one cell of a table's file set; none where it is not a plain number there."""
    name, row, column = str(path[1]), path[3], path[4]
    file = source.table_files[name]
    text = source.files[file]
    try:
        field = csv_fields(text)[int(row) + 1][int(column)]
    except (IndexError, BesideError):
        return None
    lines = text.splitlines(keepends=True)
    line = lines[field.line - 1]
    plain = f"{value:g}" if float(f"{value:g}") == value else repr(value)
    shown = plain.replace(".", ",") if _separator(text) != "," and "," in field.text else plain
    if '"' in line:
        lines[field.line - 1] = _quoted_with(line, _separator(text), int(column), shown)
    else:
        lines[field.line - 1] = line[: field.first] + shown + line[field.last :]
    files = {**source.files, file: "".join(lines)}
    included = {name: files[name] for name in source.included}
    bare = replace(source, data=_without(source), files=included, table_files={})
    turned = with_table_files(bare, files.__getitem__)
    fits = turned.data["tables"][name]["rows"][int(row)][int(column)] == value
    return turned if fits else None


def _quoted_with(line: str, separator: str, column: int, shown: str) -> str:
    """A line that has quotes, with another text in one of its fields; what has to have quotes keeps them."""
    bare = line.rstrip("\r\n")
    cells = next(csv.reader(io.StringIO(bare), delimiter=separator))
    out = io.StringIO()
    csv.writer(out, delimiter=separator, lineterminator="").writerow([*cells[:column], shown, *cells[column + 1 :]])
    return out.getvalue() + line[len(bare) :]


def _without(source: Source) -> dict[str, Any]:
    """The content as it stands in the game file alone."""
    tables = {
        name: {"file": source.table_files[name]} if name in source.table_files else item
        for name, item in source.data["tables"].items()
    }
    return {**source.data, "tables": tables}


def changed_files(before: Source, after: Source) -> Mapping[str, tuple[str, str]]:
    """The files that differ, with their texts before and after; the game file is called by its own path."""
    changed = {} if before.text == after.text else {after.file: (before.text, after.text)}
    folder = Path(after.file).parent
    for name, text in after.files.items():
        if text != before.files.get(name):
            changed[str(folder / name)] = (before.files.get(name, ""), text)
    return changed


def csv_fields(text: str) -> list[list[_Field]]:
    """The fields of a CSV text, line by line; empty lines are left out.

    Raises:
        BesideError: it is no CSV, or has more than a table may have.
    """
    separator = _separator(text)
    rows: list[list[_Field]] = []
    for number, line in enumerate(text.removeprefix(BOM).splitlines(), start=1):
        if not line.strip():
            continue
        if len(rows) > MOST_ROWS:
            raise BesideError(f"the table has more than {MOST_ROWS:,} rows, which are the most", number)
        rows.append(_fields_of(line, number, separator))
        if len(rows[-1]) > MOST_COLUMNS:
            raise BesideError(f"the table has more than {MOST_COLUMNS} columns, which are the most", number)
    return rows


def _fields_of(line: str, number: int, separator: str) -> list[_Field]:
    try:
        texts = next(csv.reader(io.StringIO(line), delimiter=separator, strict=True))
    except csv.Error as error:
        raise BesideError(f"this line is no CSV: {error}", number) from None
    if '"' in line:
        # Quotes move what follows: such a field can be read and told of, and is not patched in place.
        return [_Field(text.strip(), number, 0, 0) for text in texts]
    fields, at = [], 0
    for raw in line.split(separator):
        first = at + len(raw) - len(raw.lstrip())
        fields.append(_Field(raw.strip(), number, first, first + len(raw.strip())))
        at += len(raw) + 1
    return fields


def _separator(text: str) -> str:
    head = next((line for line in text.splitlines() if line.strip(BOM + " ")), "")
    return max(",;\t", key=head.count)


def _number(text: str, comma: bool) -> float | str:
    for form in (text, text.replace(",", ".") if comma and text.count(",") == 1 else text):
        try:
            number = number_of(form)
        except ValueError:
            continue
        if not math.isfinite(number):
            break
        return int(number) if number.is_integer() and abs(number) < 1e15 else number
    return text or "nothing"


def _file_of(item: object) -> str | None:
    """The file that a table names, where it names one and nothing else."""
    if isinstance(item, dict) and set(item) == {"file"} and isinstance(item["file"], str):
        return item["file"]
    return None


def _known(files: Mapping[str, str], name: str) -> str:
    if name not in files:
        raise BesideError("was not read with the game")
    return files[name]


def read_beside(folder: Path, name: str) -> str:
    """The text of a file beside a game file, or in a folder below."""
    try:
        root, path = folder.resolve(), (folder / name).resolve()
        if not path.is_relative_to(root) or Path(name).is_absolute():
            raise BesideError(
                "stands outside the folder of the game file; what belongs to a game stands beside its file"
            )
        known = path.stat()
        if not stat.S_ISREG(known.st_mode):
            raise BesideError("is no file")
        with path.open("rb") as stream:
            raw = stream.read(MAX_BYTES + 1)
    except FileNotFoundError:
        raise BesideError("does not stand beside the game file") from None
    except (OSError, ValueError, RuntimeError) as error:
        if isinstance(error, BesideError):
            raise
        raise BesideError(f"cannot be read: {getattr(error, 'strerror', None) or error}") from None
    if len(raw) > MAX_BYTES:
        raise BesideError(f"is too long; a file of a game may have {MAX_BYTES:,} bytes at most")
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise BesideError("this is not text in UTF-8", raw[: error.start].count(b"\n") + 1) from None
