"""Sheets in files: one XLSX book or a folder of CSV files; written, and read as spreadsheet programs leave them."""

from __future__ import annotations

import csv
import datetime
import io
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

from mint_ledger.errors import BadRequest
from mint_ledger.files import write_bytes, write_text
from mint_ledger.game.dials import plain_value
from mint_ledger.game.guard import refuse_game
from mint_ledger.plain import guarded, is_formula_like, neutral, number_of, unguarded
from mint_ledger.tables.sheets import SHEETS, TABLE, Sheet, is_sheet

HEAD = ("name", "label")
UNITS = "(unit)"
WIDEST = 28
# What a book or a CSV file may have; what `tables export` writes of the largest game is far smaller.
MOST_BYTES = 20_000_000
MOST_INFLATED = 100_000_000
MOST_ROWS, MOST_COLUMNS = 20_000, 500


@dataclass(frozen=True, slots=True)
class Cell:
    """What stands in a cell, and how people call it: `stats!C4`."""

    place: str
    value: Any


Grid = list[list[Cell]]


def write_book(path: Path, sheets: Sequence[Sheet]) -> None:
    """Write an `.xlsx` book, or a folder of CSV files.

    Raises:
        BadRequest: it cannot be written, or openpyxl is not installed.
    """
    if path.suffix == ".xlsx":
        refuse_game(path)
        write_bytes(path, _xlsx(sheets))
        return
    if path.suffix:
        raise BadRequest(f"{path}: tables are written as one .xlsx book, or into a folder of .csv files")
    try:
        path.mkdir(exist_ok=True)
    except OSError as error:
        raise BadRequest(f"{path} cannot be written: {error.strerror or error}") from None
    for sheet in sheets:
        out = io.StringIO()
        rows = [[guarded(neutral(value)) if isinstance(value, str) else value for value in row] for row in _rows(sheet)]
        csv.writer(out, lineterminator="\n").writerows(rows)
        write_text(path / f"{sheet.name}.csv", out.getvalue())


def _rows(sheet: Sheet) -> list[list[Any]]:
    return [
        [*HEAD, *sheet.columns],
        [UNITS, "", *sheet.units],
        *([line.name, line.label, *map(_plain, line.numbers)] for line in sheet.lines),
    ]


def _plain(value: float | str | None) -> Any:
    if value is None:
        return ""
    return value if isinstance(value, (bool, str)) else plain_value(value)


def _openpyxl() -> Any:
    try:
        import openpyxl
    except ImportError:
        raise BadRequest(
            "XLSX books want the package openpyxl: pip install 'mint-ledger[excel]'; or use .csv"
        ) from None
    return openpyxl


def _xlsx(sheets: Sequence[Sheet]) -> bytes:
    openpyxl = _openpyxl()
    from openpyxl.styles import Alignment, Font, PatternFill
    from openpyxl.utils import get_column_letter

    book = openpyxl.Workbook()
    book.remove(book.active)
    for sheet in sheets:
        page = book.create_sheet(sheet.name)
        for row in _rows(sheet):
            page.append([None if value == "" else neutral(value) if isinstance(value, str) else value for value in row])
            for cell in page[page.max_row]:
                if isinstance(cell.value, str) and is_formula_like(cell.value):
                    # Text stays text, whatever it begins with.
                    cell.data_type = "s"
                    cell.quotePrefix = True
        for number, font in ((1, Font(bold=True)), (2, Font(italic=True, color="555555"))):
            for cell in page[number]:
                cell.font = font
                cell.fill = PatternFill("solid", fgColor="EEF2F5")
                cell.alignment = Alignment(wrap_text=True, vertical="top")
        page.freeze_panes = "C3"
        for index, column in enumerate(page.columns, start=1):
            longest = max(len(str(cell.value or "")) for cell in column)
            page.column_dimensions[get_column_letter(index)].width = min(max(9, longest + 2), WIDEST)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read_book(path: Path) -> dict[str, Grid]:
    """Read the sheets of an `.xlsx` book, of a folder of CSV files, or of one CSV file named after its sheet.

    Raises:
        BadRequest: it is not there, is locked, or is none of these.
    """
    if path.is_dir():
        files = [path / f"{name}.csv" for name in SHEETS if (path / f"{name}.csv").exists()]
        files += sorted(path.glob(f"{TABLE}*.csv"))
        if not files:
            raise BadRequest(f"{path} has none of the tables {', '.join(f'{name}.csv' for name in SHEETS)}")
        return {file.stem: _read_csv(file) for file in files}
    if path.suffix == ".csv":
        if not is_sheet(path.stem):
            raise BadRequest(f"{path}: a table is named after its sheet: {', '.join(f'{n}.csv' for n in SHEETS)}")
        return {path.stem: _read_csv(path)}
    return _read_xlsx(path)


def _content(path: Path) -> bytes:
    try:
        if path.exists() and not path.is_file():
            raise BadRequest(f"{path} is a device or a pipe, not a file")
        with path.open("rb") as stream:
            content = stream.read(MOST_BYTES + 1)
        if len(content) > MOST_BYTES:
            raise BadRequest(f"{path} is too large; a table has {MOST_BYTES // 1_000_000} MB at most")
        return content
    except OSError as error:
        locked = "; is it open in another program?" if isinstance(error, PermissionError) else ""
        raise BadRequest(f"{path} cannot be read: {error.strerror or error}{locked}") from None


def _read_csv(path: Path) -> Grid:
    """Commas or semicolons; with semicolons a number may have a decimal comma."""
    content = _content(path)
    for encoding in ("utf-8-sig", "utf-16", "cp1252"):
        if encoding == "utf-16" and content[:2] not in (b"\xff\xfe", b"\xfe\xff"):
            continue
        try:
            text = content.decode(encoding)
            break
        except UnicodeDecodeError:
            continue
    else:
        raise BadRequest(f"{path} is no text")
    if "\0" in text:
        raise BadRequest(f"{path} is no text")
    lines = text.splitlines()
    if lines and lines[0].lower().startswith("sep="):
        # Some spreadsheet programs say so which separator follows.
        separator, lines = lines[0][4:5] or ",", lines[1:]
    else:
        head = lines[0] if lines else ""
        separator = max(",;\t", key=head.count)
    try:
        rows = list(islice(csv.reader(io.StringIO("\n".join(lines)), delimiter=separator), MOST_ROWS + 1))
    except csv.Error as error:
        raise BadRequest(f"{path} is no CSV table: {error}") from None
    if len(rows) > MOST_ROWS or max(map(len, rows), default=0) > MOST_COLUMNS:
        raise BadRequest(_too_wide(str(path)))
    comma = separator != ","
    return [
        [Cell(f"{path.name}!{_letters(c)}{r}", _csv_value(value, comma)) for c, value in enumerate(row)]
        for r, row in enumerate(rows, start=1)
    ]


def _too_wide(name: str) -> str:
    return f"{name} is no table of a game: it has more than {MOST_ROWS:,} rows or {MOST_COLUMNS:,} columns"


def _csv_value(text: str, comma: bool) -> Any:
    text = unguarded(text.strip()).replace("−", "-")
    if not text:
        return None
    for form in (text, text.replace(",", ".") if comma and text.count(",") == 1 else text):
        try:
            return number_of(form)
        except ValueError:
            continue
    return text


def _read_xlsx(path: Path) -> dict[str, Grid]:
    openpyxl = _openpyxl()
    content = _content(path)
    _check_size(path, content)
    try:
        values = openpyxl.load_workbook(io.BytesIO(content), data_only=True)
        formulas = openpyxl.load_workbook(io.BytesIO(content), data_only=False)
    except Exception:
        # A damaged book can fail in any way that ZIP, XML and the reader know.
        raise BadRequest(f"{path} is no XLSX book, or it is damaged") from None
    sheets = {}
    for name in values.sheetnames:
        if is_sheet(name):
            page, written = values[name], formulas[name]
            _check_page(name, page)
            sheets[name] = [
                [Cell(f"{name}!{cell.coordinate}", _xlsx_value(cell, written[cell.coordinate])) for cell in row]
                for row in page.iter_rows()
            ]
    if not sheets:
        raise BadRequest(f"{path} has none of the sheets {', '.join(SHEETS)}; it was not made by `tables export`")
    return sheets


def _check_size(path: Path, content: bytes) -> None:
    """Refuse a book that would take all memory once it is unpacked."""
    import zipfile

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            inflated = sum(entry.file_size for entry in packed.infolist())
    except Exception:
        raise BadRequest(f"{path} is no XLSX book, or it is damaged") from None
    if inflated > MOST_INFLATED:
        raise BadRequest(
            f"{path} unpacks to {inflated / 1e6:,.0f} MB, and {MOST_INFLATED // 1_000_000} MB are the most; it is no "
            "book of a game's tables"
        )


def _check_page(name: str, page: Any) -> None:
    """Refuse what is no table: a chart, cells far outside, cells that are merged."""
    if not hasattr(page, "iter_rows"):
        raise BadRequest(f"{name} is a chart, not a sheet of cells")
    if page.max_row > MOST_ROWS or page.max_column > MOST_COLUMNS:
        raise BadRequest(
            f"{_too_wide(name)}; something stands in {_letters(page.max_column - 1)}{page.max_row} or beside it: "
            "delete those rows and columns"
        )
    merged = [str(cells) for cells in page.merged_cells.ranges]
    if merged:
        raise BadRequest(f"{name}!{merged[0]} is merged; part the cells, so that each number has its own")


def _xlsx_value(cell: Any, written: Any) -> Any:
    if cell.value is None and written.data_type == "f":
        raise BadRequest(
            f"{cell.parent.title}!{cell.coordinate} holds a formula that was never worked out; "
            "open the book in a spreadsheet program and save it, or write the number"
        )
    if isinstance(cell.value, (datetime.date, datetime.time, datetime.timedelta)):
        return f"the date {cell.value}"
    if isinstance(cell.value, str):
        return _csv_value(cell.value, comma=False)
    return cell.value


def _letters(index: int) -> str:
    """0 is A, 26 is AA."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
