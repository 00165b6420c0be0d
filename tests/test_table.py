"""Tables of numbers: looked up, drawn straight, searched backwards; in the file or in a CSV beside it."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from conftest import Command

import mint_ledger as mint

TEXT = """
title: Ranks
clock: {unit: turn, limit: 12}
tables:
  rank:
    columns: [rank, health, xp]
    rows: [[1, 60, 0], [2, 66, 20], [4, 73, 55]]
kinds:
  smith:
    stats: {at: 0, found: 0, held: 0, straight: 0, back: 0, rank: {start: 3, max: 9}}
rules:
  - name: looks
    when: {every: 1}
    do:
      - smith.at = turn / 2
      - smith.found = rank.health[smith.at]
      - "smith.straight = smith.at if smith.at < 0 else smooth(rank.health, smith.at)"
      - "smith.back = key_at(rank.xp, 10 * smith.at)"
      - smith.held = rank.health[99] + smith.rank.max
"""


def path(run: mint.Run, account: str, at: float) -> float:
    return run.at(at)[account]


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_row_is_the_one_of_the_greatest_key_not_above_and_the_ends_hold(engine: str) -> None:
    run = mint.loads(TEXT).run(engine=engine)
    for turn in range(1, 12):
        at = turn / 2
        found = 60 if at < 2 else 66 if at < 4 else 73
        straight = np.interp(at, [1, 2, 4], [60, 66, 73])
        back = 1 if 10 * at < 20 else 2 if 10 * at < 55 else 4
        assert path(run, "smith.found", turn) == found
        assert path(run, "smith.straight", turn) == pytest.approx(straight, rel=1e-15)
        assert path(run, "smith.back", turn) == back
        # The table is the table, and what every account has is the account's, though both are called rank.
        assert path(run, "smith.held", turn) == 73 + 9


def test_each_cell_is_a_dial_by_its_key() -> None:
    game = mint.loads(TEXT)
    assert [name for name in game.dials.names if name.startswith("rank.")] == [
        "rank.health[1]",
        "rank.xp[1]",
        "rank.health[2]",
        "rank.xp[2]",
        "rank.health[4]",
        "rank.xp[4]",
    ]
    turned = game.with_dials({"rank.health[4]": 80, "rank.xp[2]": 30})
    assert path(turned.run(), "smith.found", 11) == 80
    assert path(turned.run(), "smith.back", 5) == 1
    assert mint.loads(turned.to_yaml()).run().journal_csv() == turned.run().journal_csv()


def test_a_column_that_is_searched_may_not_fall_however_it_is_turned() -> None:
    game = mint.loads(TEXT)
    with pytest.raises(mint.GameError, match=r"rank\.xp\[4\] is 55 after 60"):
        game.with_dials({"rank.xp[2]": 60})
    with pytest.raises(mint.GameError, match=r"impossible game: rank\.xp\[4\] falls below rank\.xp\[2\]"):
        mint.loads(TEXT + "variants: {steep: {'rank.xp[2]': 60}}\n")
    # A column that is only looked up may.
    assert path(game.with_dials({"rank.health[2]": 5}).run(), "smith.found", 5) == 5


@pytest.mark.parametrize(
    ("cells", "fault"),
    [
        ("columns: [a, b], rows: [[1, 2], [1, 3]]", "1 comes after 1"),
        ("columns: [a, b], rows: [[2, 2], [1, 3]]", "the keys rise from row to row"),
        ("columns: [a, b], rows: [[1, 2], [2]]", "has 1 cells, and the table has 2 columns"),
        ("columns: [a, b], rows: [[1, many], [2, 3]]", "'b' in row 1 wants a number, not 'many'"),
        ("columns: [a, b], rows: [[x, 1], [2, 3]]", "the key of row 1 wants a number, not 'x'"),
        ("columns: [a, max], rows: [[1, 2]]", "every account has a 'max'"),
        ("columns: [a, b, b], rows: [[1, 2, 3]]", "stands here twice"),
        ("columns: [a, 2b], rows: [[1, 2]]", "'2b' is no name"),
        ("columns: [a], rows: [[1]]", "two columns at least"),
        ("columns: [a, b]", "wants 'rows'"),
        ("file: none.csv", "this game is a text without a folder"),
        ("file: none.csv, columns: [a, b], rows: [[1, 2]]", "not in both"),
    ],
)
def test_what_is_no_table_is_told_once_with_its_cell(cells: str, fault: str) -> None:
    with pytest.raises(mint.GameError, match="(?s).*" + fault.replace("(", r"\(")) as error:
        mint.loads(f"tables: {{t: {{{cells}}}}}\nkinds: {{a: {{stats: {{h: 1}}}}}}\n")
    assert len(error.value.faults) == 1


@pytest.mark.parametrize(
    ("formula", "fault"),
    [
        ("rank.health", "is a column of a table; write rank.health"),
        ("rank", "'rank' is a table"),
        ("rank.strength[1]", "has no column 'strength'"),
        ("ranks.health[1]", "no table 'ranks', did you mean 'rank'"),
        ("smooth(3, 1)", "is no column of a table"),
        ("key_at(rank.xp)", "wants 2 values"),
        ("rank.health[self]", "an entity; a number is wanted"),
    ],
)
def test_a_wrong_look_says_what_would_be_right(formula: str, fault: str) -> None:
    text = "tables: {rank: {columns: [rank, health, xp], rows: [[1, 2, 3]]}}\nkinds: {a: {stats: {h: {formula: '%s'}}}}"
    with pytest.raises(mint.GameError, match=fault):
        mint.loads(text % formula)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "waves.csv").write_text("wave;foes;pay\n1;3;1,5\n5; 6 ;2\n", encoding="utf-8")
    (tmp_path / "game.yaml").write_text(
        "title: Waves  # a note\n"
        "clock: {unit: turn, limit: 6}\n"
        "tables: {waves: {file: waves.csv}}\n"
        "kinds: {a: {stats: {h: 0}, rules: [{name: r, when: {every: 1}, do: ['h = waves.foes[turn]']}]}}\n",
        encoding="utf-8",
    )
    return tmp_path


def test_a_csv_beside_the_game_is_the_table(folder: Path) -> None:
    game = mint.load(folder / "game.yaml")
    assert game.dials.value("waves.pay[1]") == 1.5
    assert [path(game.run(), "a.h", turn) for turn in range(1, 6)] == [3, 3, 3, 3, 6]
    inline = game.to_yaml()
    assert "# a note" in inline
    assert "[1, 3, 1.5]" in inline
    assert mint.loads(inline).run().journal_csv() == game.run().journal_csv()


def test_what_is_written_goes_into_the_csv_and_leaves_the_rest_as_it_was(folder: Path, command: Command) -> None:
    shutil.copy(folder / "game.yaml", folder / "before.yaml")
    command("tables", "export", folder / "game.yaml", "-o", folder / "book.xlsx")
    openpyxl = pytest.importorskip("openpyxl")
    book = openpyxl.load_workbook(folder / "book.xlsx")
    page = book["table waves"]
    assert [cell.value for cell in page[4]] == ["5", None, 6, 2]
    page["C4"] = 7
    page["D3"] = 1.25
    book.save(folder / "book.xlsx")
    answer = command("tables", "import", folder / "game.yaml", folder / "book.xlsx", "--write")
    assert answer.returncode == 0, answer.stderr
    assert (folder / "waves.csv").read_text(encoding="utf-8") == "wave;foes;pay\n1;3;1,25\n5; 7 ;2\n"
    assert (folder / "game.yaml").read_text(encoding="utf-8") == (folder / "before.yaml").read_text(encoding="utf-8")


def test_marks_quotes_and_line_ends_of_spreadsheets_stay_as_they_are(folder: Path) -> None:
    from mint_ledger.lowering.patched import with_numbers

    content = '\ufeff"wave";foes;"pay"\r\n1;3;1,5\r\n"5";" 6";2\r\n'
    (folder / "waves.csv").write_bytes(content.encode("utf-8"))
    game = mint.load(folder / "game.yaml")
    assert game.dials.value("waves.foes[5]") == 6
    source = with_numbers(game, {"waves.foes[5]": 8, "waves.pay[1]": 2.5})
    assert source.files["waves.csv"] == '\ufeff"wave";foes;"pay"\r\n1;3;2,5\r\n5;8;2\r\n'


def test_the_bytes_of_a_csv_belong_to_the_game(folder: Path) -> None:
    from mint_ledger.tables.numbers import numbers_of

    first = numbers_of(mint.load(folder / "game.yaml"))["game_sha256"]
    text = (folder / "waves.csv").read_text(encoding="utf-8")
    (folder / "waves.csv").write_text(text.replace("5; 6", "4; 6"), encoding="utf-8")
    game = mint.load(folder / "game.yaml")
    assert numbers_of(game)["game_sha256"] != first
    assert path(game.run(), "a.h", 4) == 6


@pytest.mark.parametrize(
    ("content", "fault"),
    [
        (None, "does not stand beside the game file"),
        ("", "is empty"),
        ("wave,foes\n1,3\n2,lots\n", "waves.csv:3:3: waves.foes[2]: 'foes' in row 2 wants a number, not 'lots'"),
        ("wave,foes\n1,3\n1,4\n", "waves.csv:3:1: waves.wave[1]: the keys rise"),
        ("wave,foes\n1,3\n2,4,5\n", "waves.csv:3:1: waves.rows[2]: has 3 cells"),
        ("wave\n1\n", "two columns at least"),
        ("wave,pay\n1,2\n", "no column 'foes'"),
    ],
)
def test_a_csv_that_is_none_is_told_with_its_cell(
    folder: Path, content: str | None, fault: str, command: Command
) -> None:
    if content is None:
        (folder / "waves.csv").unlink()
    else:
        (folder / "waves.csv").write_text(content, encoding="utf-8")
    answer = command("check", folder / "game.yaml")
    assert answer.returncode != 0
    assert fault in answer.stdout + answer.stderr
    assert "Traceback" not in answer.stderr


@pytest.mark.parametrize("name", ["../waves.csv", "/tmp/waves.csv", "link.csv"])
def test_no_file_outside_the_folder_is_read(folder: Path, name: str, tmp_path_factory: pytest.TempPathFactory) -> None:
    outside = tmp_path_factory.mktemp("outside") / "waves.csv"
    outside.write_text("wave,foes\n1,2\n", encoding="utf-8")
    (folder / "link.csv").symlink_to(outside)
    (folder / "game.yaml").write_text(f"tables: {{waves: {{file: {name}}}}}\n", encoding="utf-8")
    with pytest.raises(mint.GameError, match="outside the folder"):
        mint.load(folder / "game.yaml")


def test_a_column_is_drawn(folder: Path, command: Command) -> None:
    picture = folder / "foes.png"
    answer = command("run", folder / "game.yaml", "--plot", picture, "--account", "waves.foes", "--account", "a.h")
    assert answer.returncode == 0, answer.stderr
    assert picture.read_bytes().startswith(b"\x89PNG")
    assert command("run", folder / "game.yaml", "--plot", "waves.foes", cwd=folder).returncode == 0
    assert (folder / "waves.foes.png").read_bytes().startswith(b"\x89PNG")
    assert "a figure is written as" in command("run", folder / "game.yaml", "--plot", "waves.fo", cwd=folder).stderr


WATCHED = """
clock: {step: 0.1, limit: 30}
tables:
  t: {columns: [k, b], rows: [[0, 1], [2, 4], [3.5, 9], [7, 2], [11, 20]]}
  u: {columns: [k, b], rows: [[1, 2], [2, 5], [3, 1], [4, 8], [5, 0], [6, 3]]}
  w: {columns: [k, b], rows: [[1, 0], [2, 3], [4, 5]]}
stats: {n: 0, seen: 0}
kinds: {a: {stats: {h: {start: 0, max: 12, recover: {rate: 0.7}}, g: {formula: "t.b[h]"}, s: {formula: "smooth(t.b, h)"}}}}
rules: [{name: r, when: {becomes: CONDITION}, do: [n += 1, seen = time]}]
"""


@pytest.mark.parametrize(
    ("condition", "times", "last"),
    [
        ("t.b[time / 2] > 3", 2, 22.0),
        ("t.b[a.h] == 2", 1, 10.0),
        ("a.g > 8", 2, 15.8),
        ("a.s > 5.5", 2, 11.2),
        ("smooth(t.b, time / 3) < 4", 1, 18.1),
        ("key_at(w.b, a.h) >= 2", 1, 4.3),
        ("key_at(w.b, time / 4) == 4", 1, 20.0),
        ("u.b[time / 4] > 4", 2, 16.0),
        ("u.b[a.h] == 0", 1, 7.2),
        ("smooth(u.b, a.h / 2) > 4", 2, 9.8),
    ],
)
def test_conditions_over_tables_come_true_in_the_same_step_where_steps_are_passed_over(
    condition: str, times: int, last: float
) -> None:
    game = mint.loads(WATCHED.replace("CONDITION", f'"{condition}"'))
    for engine in ("reference", "native"):
        study = game.study(1, measures={"n": "closing(n)", "seen": "closing(seen)"}, engine=engine)  # type: ignore[arg-type]
        assert study.estimate("mean(n)").value == times
        assert study.estimate("mean(seen)").value == pytest.approx(last)


def test_a_large_table_is_looked_up_by_many_rules() -> None:
    rows = ",".join(f"[{key}, {2 * key}, {3 * key}]" for key in range(1, 1001))
    rules = "\n".join(
        f"  - {{name: r{k}, when: {{every: 1}}, do: ['a.h = t.b[a.h] + smooth(t.c, a.h) + key_at(t.b, a.h)']}}"
        for k in range(5)
    )
    text = f"clock: {{unit: turn, limit: 2}}\ntables: {{t: {{columns: [a, b, c], rows: [{rows}]}}}}\n"
    game = mint.loads(text + f"kinds: {{a: {{stats: {{h: {{start: 5, max: 4000}}}}}}}}\nrules:\n{rules}\n")
    h = 5.0
    for _ in range(5):
        key = min(max(int(h // 2), 1), 1000)
        h = min(2 * min(int(h), 1000) + np.interp(h, [1, 1000], [3, 3000]) + key, 4000)
    assert game.run().at(1)["a.h"] == pytest.approx(h)
