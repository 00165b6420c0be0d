"""Books, tables and names that come from strangers: bounded on the way in, neutral on the way out."""

from __future__ import annotations

import csv
import io
import json
import os
import zipfile
from pathlib import Path

import openpyxl
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.plain import guarded, neutral, unguarded

GAME = """
title: "Kiln \\x1b[2J\\u202egnol"
clock: {unit: turn, limit: 5}
kinds: {potter: {stats: {heat: {start: 3, min: 0}}}}
rules: [{name: "=1+cmd|x", when: {every: 1}, do: [potter.heat += 1]}]
endings: {"@glows": {result: win, if: potter.heat >= 6}}
variants: {"-hot": {potter.heat: 5}}
"""


@pytest.fixture
def kiln(tmp_path: Path) -> Path:
    (tmp_path / "kiln.yaml").write_text(GAME)
    return tmp_path


def book(folder: Path, command: Command) -> openpyxl.Workbook:
    assert command("tables", "export", "kiln.yaml", "-o", "kiln.xlsx").returncode == 0
    return openpyxl.load_workbook(folder / "kiln.xlsx")


def refused(command: Command, name: str) -> str:
    told = command("tables", "import", "kiln.yaml", name)
    assert (told.returncode, told.stdout) == (2, "")
    assert "fault of its own" not in told.stderr
    assert len(told.stderr.splitlines()) == 1
    return told.stderr


def test_a_cell_far_outside_is_named_and_not_walked_to(kiln: Path, command: Command) -> None:
    changed = book(kiln, command)
    changed["stats"]["B1048576"] = 5
    changed.save(kiln / "kiln.xlsx")
    assert "1048576" in refused(command, "kiln.xlsx")
    (kiln / "stats.csv").write_text("name,label\n" + "a,b\n" * 30_000)
    assert "more than 20,000 rows" in refused(command, "stats.csv")
    (kiln / "stats.csv").write_text("name,label\n" + "," * 100_000 + "\n")
    assert "500 columns" in refused(command, "stats.csv")


def test_a_book_that_unpacks_to_too_much_is_refused(kiln: Path, command: Command) -> None:
    book(kiln, command)
    packed = kiln / "bomb.xlsx"
    with zipfile.ZipFile(kiln / "kiln.xlsx") as old, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            new.writestr(entry, old.read(entry))
        new.writestr("xl/worksheets/more.xml", b" " * 300_000_000)
    assert packed.stat().st_size < 2_000_000
    assert "MB are the most" in refused(command, "bomb.xlsx")


@pytest.mark.parametrize("how", ["cut", "turned", "no zip", "no parts", "no xml"])
def test_a_damaged_book_gets_a_line(kiln: Path, command: Command, how: str) -> None:
    book(kiln, command)
    path = kiln / "kiln.xlsx"
    data = path.read_bytes()
    if how == "cut":
        path.write_bytes(data[: len(data) // 2])
    elif how == "turned":
        path.write_bytes(bytes(b ^ 0x55 if 200 < i < 900 else b for i, b in enumerate(data)))
    elif how == "no zip":
        path.write_bytes(b"PK\x03\x04" + bytes(500))
    else:
        with zipfile.ZipFile(path) as old:
            parts = {entry.filename: old.read(entry) for entry in old.infolist()}
        with zipfile.ZipFile(path, "w") as new:
            for name, content in parts.items():
                if how == "no xml":
                    new.writestr(name, b"<no" + content[5:])
                elif "workbook" not in name:
                    new.writestr(name, content)
    assert "is no XLSX book, or it is damaged" in refused(command, "kiln.xlsx")


def test_merged_cells_are_named(kiln: Path, command: Command) -> None:
    changed = book(kiln, command)
    changed["stats"].merge_cells("C3:D3")
    changed.save(kiln / "kiln.xlsx")
    assert "stats!C3:D3 is merged" in refused(command, "kiln.xlsx")


@pytest.mark.parametrize("form", ["kiln.xlsx", "kiln"])
def test_text_stays_text_and_comes_back_unchanged(kiln: Path, command: Command, form: str) -> None:
    before = (kiln / "kiln.yaml").read_bytes()
    assert command("tables", "export", "kiln.yaml", "-o", form).returncode == 0
    if form == "kiln.xlsx":
        cells = [cell for page in openpyxl.load_workbook(kiln / form) for row in page.iter_rows() for cell in row]
    else:
        texts = [value for path in (kiln / form).glob("*.csv") for row in csv.reader(path.open()) for value in row]
        cells = []
        assert not [value for value in texts if value[:1] in ("=", "@") or (value[:1] == "-" and len(value) > 3)]
    assert all(cell.data_type != "f" for cell in cells)
    told = command("tables", "import", "kiln.yaml", form)
    assert told.returncode == 0, told.stderr
    assert (kiln / "kiln.yaml").read_bytes() == before


@pytest.mark.parametrize("text", ["=1+1", "+a", "-a", "@x", "'=1", "''=1", "'", "plain", "", "'quoted", "-", "\tx"])
def test_what_is_guarded_comes_back(text: str) -> None:
    assert unguarded(guarded(text)) == text
    assert guarded(text)[:1] not in ("=", "+", "-", "@", "\t")


def test_data_that_programs_read_is_guarded_too(kiln: Path, command: Command) -> None:
    assert command("study", "kiln.yaml", "--runs", "3", "-o", "out.csv").returncode == 0
    assert "'@glows" in (kiln / "out.csv").read_text()
    assert command("run", "kiln.yaml", "-o", "journal.csv").returncode == 0
    rows = list(csv.DictReader(io.StringIO((kiln / "journal.csv").read_text())))
    assert {"'=1+cmd|x"} <= {value for row in rows for value in row.values()}


@pytest.mark.parametrize(
    "given",
    [
        ["run"],
        ["check"],
        ["study", "--runs", "9"],
        ["statement"],
        ["audit"],
        ["targets"],
        ["matchup"],
        ["run", "--json"],
    ],
)
def test_nothing_that_steers_a_terminal_is_sent(kiln: Path, command: Command, given: list[str]) -> None:
    told = command(given[0], "kiln.yaml", *(["potter.heat"] if given[0] == "statement" else []), *given[1:])
    for stream in (told.stdout, told.stderr):
        assert not [letter for letter in stream if letter in "\x1b\u202e\x07\r"]
    assert neutral("a\x1b[2Jb\u202ec\nd\te\x9b") == "a\\x1b[2Jb\\u202ec\nd\\x09e\\x9b"


def test_json_keeps_its_letters_where_the_stream_cannot_say_them(kiln: Path, command: Command) -> None:
    (kiln / "cafe.yaml").write_text("title: Café 😀\nclock: {limit: 2}\nnumbers: {a: 1}\n", "utf-8")
    plain = {**os.environ, "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0"}
    for given in (["export", "cafe.yaml"], ["study", "cafe.yaml", "--runs", "3", "--json"]):
        told = command(*given, env=plain)
        assert json.loads(told.stdout)["title"] == "Café 😀"
        assert told.stdout.isascii()
    assert json.loads(command("export", "kiln.yaml").stdout)["title"] == "Kiln \x1b[2J\u202egnol"


def test_halves_of_a_character_are_joined_and_a_lone_one_is_refused() -> None:
    assert mint.loads('{"title": "A \\ud83d\\ude00", "clock": {"limit": 2}}').title == "A 😀"
    with pytest.raises(mint.GameError, match="half of a character stands here alone"):
        mint.loads('{"title": "A \\ud83d", "clock": {"limit": 2}}')


def test_pages_pictures_and_test_reports_show_what_steers(kiln: Path, command: Command) -> None:
    made = command("report", "kiln.yaml", "-o", "kiln.html", "--runs", "20")
    assert made.returncode == 0 and "Glyph" not in made.stderr
    assert command("check", "kiln.yaml", "--junit", "kiln.xml").returncode == 0
    assert "Glyph" not in command("study", "kiln.yaml", "--runs", "20", "--plot", "kiln.svg").stderr
    for name in ("kiln.html", "kiln.xml", "kiln.svg"):
        text = (kiln / name).read_text("utf-8")
        assert not [letter for letter in text if letter in "\x1b\u202e\x07"], name
    assert r"Kiln \x1b[2J\u202egnol: a report" in (kiln / "kiln.html").read_text("utf-8")
    assert r"Kiln \x1b[2J\u202egnol" in (kiln / "kiln.xml").read_text("utf-8")
    page = mint.load(kiln / "kiln.yaml").study(20)._repr_html_()
    assert r"Kiln \x1b[2J" in page and "\x1b" not in page


@pytest.mark.parametrize(("word", "meant"), [("no", "false"), ("off", "false"), ("Yes", "true"), ("on", "true")])
def test_a_word_for_yes_or_no_is_told_what_to_write(word: str, meant: str) -> None:
    with pytest.raises(mint.GameError, match=f"a.armed: '{word}' is a word; write {meant}"):
        mint.loads(f"title: Gate\nkinds: {{a: {{stats: {{armed: {word}}}}}}}\n")
