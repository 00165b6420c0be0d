"""Numbers out to a spreadsheet and back, as spreadsheet programs write them."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import openpyxl
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest
from mint_ledger.tables.book import read_book, write_book
from mint_ledger.tables.changes import changed_source, find_changes
from mint_ledger.tables.numbers import numbers_csv, numbers_of
from mint_ledger.tables.sheets import make_sheets

ROOT = Path(__file__).parent.parent
SHIPPED = sorted([*ROOT.glob("examples/*.yaml"), *ROOT.glob("src/mint_ledger/demo/*.yaml")])


@pytest.mark.parametrize("path", SHIPPED, ids=lambda path: path.stem)
@pytest.mark.parametrize("form", ["book.xlsx", "folder"])
def test_out_and_in_again_changes_nothing(path: Path, form: str, tmp_path: Path) -> None:
    game = mint.load(path)
    sheets = make_sheets(game)
    write_book(tmp_path / form, sheets)
    assert find_changes(game, read_book(tmp_path / form)) == []
    held = {dial for sheet in sheets if sheet.name != "variants" for dial in sheet.dials.values()}
    assert held == set(game.dials.names)  # every number stands in one of the sheets


@pytest.fixture
def folder(tmp_path: Path, demo: mint.Game) -> Path:
    (tmp_path / "saltmere.yaml").write_text(demo.source.text, "utf-8")
    write_book(tmp_path / "tables", make_sheets(demo))
    return tmp_path


def _edit(path: Path, row: str, column: str, value: str) -> None:
    rows = list(csv.reader(path.open(encoding="utf-8")))
    at = rows[0].index(column)
    for cells in rows:
        if cells[0] == row:
            cells[at] = value
    with path.open("w", encoding="utf-8", newline="") as out:
        csv.writer(out).writerows(rows)


def test_a_changed_number_changes_one_number_of_the_file(folder: Path, command: Command) -> None:
    _edit(folder / "tables" / "stats.csv", "crab", "bite", "13.5")
    _edit(folder / "tables" / "attacks.csv", "pincer", "lands", "0.75")
    _edit(folder / "tables" / "variants.csv", "crab.bite", "calm", "10")
    old = (folder / "saltmere.yaml").read_text("utf-8")
    shown = command("tables", "import", "saltmere.yaml", "tables")
    assert shown.returncode == 0, shown.stderr
    assert "crab.bite 12 → 13.5" in shown.stdout
    assert "crab.bite (calm) 11 → 10" in shown.stdout
    assert "Nothing is written" in shown.stdout
    assert (folder / "saltmere.yaml").read_text("utf-8") == old
    assert command("tables", "import", "saltmere.yaml", "tables", "--write").returncode == 0
    new = (folder / "saltmere.yaml").read_text("utf-8")
    differ = [(a, b) for a, b in zip(old.splitlines(), new.splitlines(), strict=True) if a != b]
    assert differ == [
        ("  crab: {like: foe, copies: 3, room: 5}", "  crab: {like: foe, copies: 3, room: 5, stats: {bite: 13.5}}"),
        (
            "  pincer: {from: crab, to: keeper, when: {every: 1.4}, lands: 0.8, damage: self.bite, type: cold}",
            "  pincer: {from: crab, to: keeper, when: {every: 1.4}, lands: 0.75, damage: self.bite, type: cold}",
        ),
        ("  calm: {crab.bite: 11, oil_can.amount: 20}", "  calm: {crab.bite: 10, oil_can.amount: 20}"),
    ]
    again = command("tables", "import", "saltmere.yaml", "tables")
    assert "has all these numbers already" in again.stdout


@pytest.mark.parametrize(
    ("encoding", "separator", "comma", "head"),
    [
        ("utf-8-sig", ";", True, ""),
        ("utf-16", "\t", True, ""),
        ("utf-8", ",", False, ""),
        ("cp1252", ";", True, "sep=;\n"),
    ],
)
def test_tables_are_read_as_spreadsheet_programs_write_them(
    folder: Path, demo: mint.Game, encoding: str, separator: str, comma: bool, head: str
) -> None:
    path = folder / "tables" / "attacks.csv"
    rows = list(csv.reader(path.open(encoding="utf-8")))
    rows[2][rows[0].index("lands")] = "0.75"
    lines = []
    for cells in rows:
        turned = [cell.replace(".", ",") if comma and cell[:1].isdigit() else cell for cell in cells]
        lines.append(separator.join(f'"{cell}"' if "," in cell and separator == "," else cell for cell in turned))
    path.write_bytes((head + "\r\n".join(lines) + "\r\n").encode(encoding))
    changes = find_changes(demo, read_book(path))
    assert [(change.dial, change.before, change.after) for change in changes] == [("pincer.lands", 0.8, 0.75)]


def test_a_formula_in_a_book_counts_with_its_value(tmp_path: Path, demo: mint.Game) -> None:
    book = tmp_path / "book.xlsx"
    write_book(book, make_sheets(demo))
    opened = openpyxl.load_workbook(book)
    page = opened["attacks"]
    assert page.freeze_panes == "C3"
    cell = next(c for c in page[3] if page.cell(1, c.column).value == "lands")
    cell.value = "=0.5+0.25"
    opened.save(book)
    # Never opened by a spreadsheet program: the formula has no value yet.
    with pytest.raises(BadRequest, match=r"attacks!D3 holds a formula that was never worked out"):
        read_book(book)
    _work_out(book, "=0.5+0.25".lstrip("="), "0.75")
    assert [c.after for c in find_changes(demo, read_book(book))] == [0.75]


def _work_out(book: Path, formula: str, value: str) -> None:
    """Put the value of a formula into the book, as a spreadsheet program does when it saves."""
    import shutil
    import zipfile

    made = book.with_suffix(".new")
    with zipfile.ZipFile(book) as old, zipfile.ZipFile(made, "w") as new:
        for item in old.infolist():
            content = old.read(item)
            content = content.replace(f"<f>{formula}</f><v />".encode(), f"<f>{formula}</f><v>{value}</v>".encode())
            content = content.replace(f"<f>{formula}</f><v></v>".encode(), f"<f>{formula}</f><v>{value}</v>".encode())
            new.writestr(item, content)
    shutil.move(made, book)


@pytest.mark.parametrize(
    ("table", "old", "new", "said"),
    [
        ("attacks", "0.8", "often", r"attacks.csv!D3: 'often' is no number"),
        ("attacks", "pincer", "pinser", r"attacks.csv!A3: the game has no 'pinser' here, did you mean 'pincer'\?"),
        ("stats", "bosun", "crab", r"stats.csv!A\d: 'crab' stands twice, first in stats.csv!A\d"),
        ("stats", "bosun,", "kraken,", r"the game has no 'kraken' here; a new kind is made in the game file"),
        ("attacks", "lands", "landz", r"attacks.csv!D1: there is no number 'landz' in attacks, did you mean 'lands'\?"),
        ("attacks", "name,", "who,", r"no heading row that begins with 'name'"),
        ("attacks", "1.4,0.8", "1.4,", r"attacks.csv!D3: is empty, and the game has 0.8 there"),
        ("attacks", "2.5,,", "2.5,0.9,", r"attacks.csv!D4: cudgel has no 'lands' in the game file yet"),
        ("attacks", "0.8", "inf", r"attacks.csv!D3: wants a finite number"),
    ],
)
def test_what_is_wrong_is_named_by_its_cell(
    folder: Path, command: Command, table: str, old: str, new: str, said: str
) -> None:
    import re

    path = folder / "tables" / f"{table}.csv"
    path.write_text(path.read_text("utf-8").replace(old, new, 1), "utf-8")
    before = (folder / "saltmere.yaml").read_text("utf-8")
    refused = command("tables", "import", "saltmere.yaml", "tables", "--write")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert re.search(said, refused.stderr), refused.stderr
    assert (folder / "saltmere.yaml").read_text("utf-8") == before


def test_all_wrong_cells_are_named_in_one_go(folder: Path, command: Command) -> None:
    path = folder / "tables" / "attacks.csv"
    path.write_text(path.read_text("utf-8").replace("0.8", "x").replace("2.5", "y"), "utf-8")
    refused = command("tables", "import", "saltmere.yaml", "tables")
    assert len(refused.stderr.splitlines()) == 2


def test_numbers_that_make_no_game_are_refused(folder: Path, command: Command) -> None:
    _edit(folder / "tables" / "stats.csv", "keeper", "health.max", "-5")
    refused = command("tables", "import", "saltmere.yaml", "tables", "--write")
    assert refused.returncode == 2
    assert "keeper.health" in refused.stderr
    assert "Traceback" not in refused.stderr


@pytest.mark.slow
def test_a_book_that_is_not_ours_or_cannot_be_read_is_refused(folder: Path, command: Command) -> None:
    (folder / "other.xlsx").write_bytes(b"PK not a book")
    openpyxl.Workbook().save(folder / "foreign.xlsx")
    (folder / "empty").mkdir()
    (folder / "else.csv").write_text("a,b\n")
    for name, said in (
        ("other.xlsx", "is no XLSX book"),
        ("foreign.xlsx", "was not made by `tables export`"),
        ("empty", "has none of the tables"),
        ("else.csv", "a table is named after its sheet"),
        ("missing.xlsx", "cannot be read"),
    ):
        refused = command("tables", "import", "saltmere.yaml", name)
        assert (refused.returncode, refused.stdout) == (2, "")
        assert said in refused.stderr
    refused = command("tables", "export", "saltmere.yaml", "-o", "book.ods")
    assert "one .xlsx book, or into a folder" in refused.stderr


@pytest.mark.parametrize("name", ["book.xlsx", "stats.csv"])
def test_a_locked_book_is_told_as_such(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    (tmp_path / name).write_bytes(b"")

    # As the system says it of a file that another program holds; root could read one without permissions.
    def locked(*_: object) -> bytes:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(Path, "open", locked)
    with pytest.raises(BadRequest, match=rf"{name} cannot be read: Permission denied; is it open in another program"):
        read_book(tmp_path / name)


def test_labels_and_units_stand_beside_the_numbers() -> None:
    game = mint.loads(
        "title: T\nkinds: {cart: {label: the cart, stats: {load: {start: 1, min: 0, fade: {rate: 2, after: 3}}}}}\n"
    )
    sheet = make_sheets(game)[0]
    assert sheet.lines[0].label == "the cart"
    units = dict(zip(sheet.columns, sheet.units, strict=True))
    assert (units["load.fade.rate"], units["load.fade.after"]) == ("points per s", "s")


def test_changes_of_a_variant_and_of_the_file_go_in_together(demo: mint.Game, tmp_path: Path) -> None:
    write_book(tmp_path / "t", make_sheets(demo))
    _edit(tmp_path / "t" / "variants.csv", "oil_can.amount", "calm", "25")
    _edit(tmp_path / "t" / "numbers.csv", "stair_limit", "value", "7")
    text = changed_source(demo, find_changes(demo, read_book(tmp_path / "t"))).text
    after = mint.loads(text)
    assert after.dials.value("stair_limit") == 7
    assert after.variants["calm"]["oil_can.amount"] == 25


def test_numbers_for_a_game_engine_are_stable_and_carry_the_files_hash(command: Command, folder: Path) -> None:
    import hashlib

    found = json.loads(command("export", "saltmere.yaml", "--all").stdout)
    assert found["game_sha256"] == hashlib.sha256((folder / "saltmere.yaml").read_bytes()).hexdigest()
    assert list(found["variants"]) == ["today", "calm"]
    assert found["variants"]["today"]["crab.bite"] == 12
    assert found["variants"]["calm"]["crab.bite"] == 11
    assert list(found["variants"]["calm"]) == list(found["variants"]["today"])
    game = mint.load(folder / "saltmere.yaml")
    assert numbers_of(game, ["today", "calm"]) == found
    rows = list(csv.reader(numbers_csv(game, ["calm"]).splitlines()[1:]))
    assert rows[0] == ["dial", "calm"]
    assert dict(rows[1:])["crab.bite"] == "11"
    assert command("export", "saltmere.yaml", "--variant", "clam").stderr.strip().endswith("did you mean 'calm'?")
    assert command("export", "saltmere.yaml", "-o", "n.csv", "--all").returncode == 0
    assert command("export", "saltmere.yaml", "-o", "n.txt").returncode == 2
