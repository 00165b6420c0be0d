"""Stores that were damaged or made by others: never believed, never blamed on the game, always answered."""

from __future__ import annotations

import json
import random
import sqlite3
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.studies.packing import checksum
from mint_ledger.studies.store import Store

GAME = """
title: Kiln
clock: {unit: turn, limit: 40}
stats: {heat: {start: 0, min: 0, max: 30}}
rules: [{name: burns, when: {every: 1}, do: ["heat += dice(1, 6) - 2"]}]
endings: {glows: {result: win, if: heat >= 25}}
measures: {left: closing(heat)}
"""
RUNS = 150


@pytest.fixture
def kept(tmp_path: Path) -> Path:
    (tmp_path / "kiln.yaml").write_text(GAME)
    mint.load(tmp_path / "kiln.yaml").study(RUNS, store=tmp_path / "kiln.sqlite")
    with sqlite3.connect(tmp_path / "kiln.sqlite") as connection:
        connection.execute("pragma journal_mode = delete")
    return tmp_path / "kiln.sqlite"


def change(store: Path, statement: str, *values: object) -> None:
    with sqlite3.connect(store) as connection:
        connection.execute("pragma ignore_check_constraints = on")
        connection.execute(statement, values)


def content(store: Path, first: int) -> bytes:
    with sqlite3.connect(store) as connection:
        return bytes(connection.execute("select content from blocks where first = ?", (first,)).fetchone()[0])


def signed(store: Path, first: int, runs: int, forged: bytes) -> None:
    """Put a block that has its own checksum."""
    with sqlite3.connect(store) as connection:
        key = connection.execute("select key from studies").fetchone()[0]
    change(
        store,
        "update blocks set content = ?, checksum = ? where first = ?",
        forged,
        checksum(key, first, runs, forged),
        first,
    )


def flipped(store: Path) -> None:
    data = bytearray(content(store, 50))
    data[len(data) // 2] ^= 1
    change(store, "update blocks set content = ? where first = 50", bytes(data))


def swapped(store: Path) -> None:
    change(
        store,
        "update blocks set (content, checksum) = (select content, checksum from blocks where first = 0) where first = 50",
    )


def cut(store: Path) -> None:
    signed(store, 50, 50, content(store, 50)[:-20])


def bomb(store: Path) -> None:
    packer = zlib.compressobj(9)
    zeros = packer.compress(b"{}\n") + b"".join(packer.compress(bytes(1 << 20)) for _ in range(800)) + packer.flush()
    signed(store, 50, 50, zeros)


def other_shapes(store: Path) -> None:
    head, _, rest = zlib.decompress(content(store, 50)).partition(b"\n")
    told = json.loads(head)
    told["arrays"]["ending"] = ["<i2", [10**12]]
    signed(store, 50, 50, zlib.compress(json.dumps(told).encode() + b"\n" + rest))


def other_sort(store: Path) -> None:
    head, _, rest = zlib.decompress(content(store, 50)).partition(b"\n")
    signed(store, 50, 50, zlib.compress(head.replace(b'"<i8"', b'"|O8"') + b"\n" + rest))


def no_such_ending(store: Path) -> None:
    head, _, rest = zlib.decompress(content(store, 50)).partition(b"\n")
    signed(store, 50, 50, zlib.compress(head + b"\n" + np.full(50, 77, dtype="<i2").tobytes() + rest[100:]))


def a_text(store: Path) -> None:
    change(store, "update blocks set content = 'nothing here' where first = 50")


DAMAGES = (flipped, swapped, cut, bomb, other_shapes, other_sort, no_such_ending, a_text)


@pytest.mark.parametrize("damage", DAMAGES)
def test_a_damaged_block_is_played_again_and_kept_anew(kept: Path, damage: Callable[[Path], None]) -> None:
    damage(kept)
    game = mint.load(kept.parent / "kiln.yaml")
    with Store(kept) as opened:
        [seen] = opened.verify()
        assert seen.damaged == ((50, 50),)
        assert opened.show(1).runs == 50
    study = game.study(RUNS, store=kept)
    assert study.replayed == 50
    assert study.measures.equals(game.study(RUNS).measures)
    with Store(kept) as opened:
        assert opened.verify()[0].is_sound
    assert game.study(RUNS, store=kept).replayed == 0


def test_the_commands_tell_what_is_damaged(kept: Path, command: Command) -> None:
    flipped(kept)
    seen = command("history", kept, "--verify")
    assert seen.returncode == 1
    assert "runs 50 to 99" in seen.stdout
    shown = command("history", kept, 1)
    assert "of 150 runs only the first 50 can be read" in shown.stderr
    told = command("study", kept.parent / "kiln.yaml", "--runs", RUNS, "--store", kept)
    assert told.returncode == 0
    assert f"50 runs in {kept} were damaged; they were played again and kept again" in told.stderr
    assert told.stdout == command("study", kept.parent / "kiln.yaml", "--runs", RUNS).stdout
    fixed = command("history", kept, "--verify")
    assert (fixed.returncode, fixed.stderr) == (0, "")
    assert "150 runs as they were kept" in fixed.stdout


def test_a_forged_block_is_found_by_playing_it_again(kept: Path) -> None:
    head, _, rest = zlib.decompress(content(kept, 50)).partition(b"\n")
    signed(kept, 50, 50, zlib.compress(head + b"\n" + np.ones(50, dtype="<i2").tobytes() + rest[100:]))
    with Store(kept) as opened:
        [seen] = opened.verify()
    assert (seen.damaged, seen.again) == (((50, 50),), 3)


@pytest.mark.parametrize(
    "statement",
    [
        "update blocks set runs = -50 where first = 50",
        "update blocks set runs = 0 where first = 50",
        "update blocks set runs = 9e15 where first = 50",
        "update blocks set runs = 'many' where first = 50",
        "update blocks set first = -50 where first = 50",
        "update blocks set first = 7 where first = 50",
        "update blocks set first = 9223372036854775807 where first = 50",
        "insert into blocks values (1, 150, 9223372036854775807, x'00', x'00')",
        "update blocks set checksum = null where first = 50",
        "delete from blocks where first = 50",
    ],
)
def test_rows_that_are_no_blocks_give_way_to_those_that_are(kept: Path, statement: str) -> None:
    try:
        change(kept, statement)
    except sqlite3.IntegrityError:
        return
    game = mint.load(kept.parent / "kiln.yaml")
    for _ in range(2):
        study = game.study(RUNS, store=kept)
        assert study.measures.equals(game.study(RUNS).measures)


@pytest.mark.parametrize(
    ("statement", "words"),
    [
        ("create view extra as select * from studies", "no store as Mint Ledger makes it"),
        ("create trigger t after insert on blocks begin delete from studies; end", "no store as Mint Ledger makes it"),
        ("alter table blocks add column more", "no store as Mint Ledger makes it"),
        ("update studies set request = '{\"text\": 3}'", "damaged"),
        ("update studies set request = x'ff'", "damaged"),
        ("update studies set request = replace(request, 'heat', 'h eat')", "damaged"),
        ("update studies set request = replace(request, 'Kiln', 'Kilt')", None),
        ("update studies set key = 'abc'", "another version"),
        ("update studies set title = 9", None),
    ],
)
def test_a_damaged_store_is_never_blamed_on_the_game(
    kept: Path, command: Command, statement: str, words: str | None
) -> None:
    change(kept, statement)
    looks: list[Callable[[Store], object]] = [Store.entries, Store.verify, lambda store: store.show(1)]
    for look in looks:
        try:
            with Store(kept) as opened:
                look(opened)
            told = words or ""
        except mint.BadRequest as error:
            told = str(error)
        assert "kiln.yaml:" not in told
    assert words is None or words in told
    told = command("history", kept, 1).stderr
    assert words is None or words in told


def test_whatever_byte_is_turned_the_numbers_are_right_or_it_is_refused(kept: Path) -> None:
    game = mint.load(kept.parent / "kiln.yaml")
    right = game.study(RUNS).measures
    whole = kept.read_bytes()
    luck = random.Random(5)
    answered = 0
    for turn in range(60):
        data = bytearray(whole)
        for _ in range(luck.choice((1, 3, 40))):
            data[luck.randrange(len(data))] = luck.randrange(256)
        if turn % 10 == 0:
            data = data[: luck.randrange(len(data))]
        torn = kept.with_name(f"torn{turn}.sqlite")
        torn.write_bytes(bytes(data))
        try:
            assert game.study(RUNS, store=torn).measures.equals(right)
            answered += 1
            with Store(torn) as opened:
                opened.verify()
        except mint.BadRequest as error:
            assert str(torn) in str(error)
    assert answered > 5


def test_a_store_of_an_older_format_is_told_apart(kept: Path, command: Command) -> None:
    change(kept, "pragma user_version = 1")
    told = command("study", kept.parent / "kiln.yaml", "--store", kept)
    assert told.returncode == 2
    assert "was made by an older version of Mint Ledger" in told.stderr


def test_one_damaged_study_does_not_hide_the_others(kept: Path, command: Command) -> None:
    game = mint.load(kept.parent / "kiln.yaml")
    for seed in (2, 3):
        game.study(RUNS, seed=seed, store=kept)
    change(kept, "update studies set request = ? where id = 2", "{no request")
    told = command("history", kept)
    assert told.returncode == 0
    lines = told.stdout.splitlines()
    assert [line.split()[0] for line in lines[1:4]] == ["1", "3", "2"]
    assert "damaged: this study cannot be read; the others can" in lines[3]
    found = json.loads(command("history", kept, "--json").stdout)
    assert [study["number"] for study in found["studies"]] == [1, 3] and found["damaged"] == [2]
    assert command("history", kept, 3).returncode == 0
    refused = command("history", kept, 2)
    assert refused.returncode == 2 and "study 2 is damaged" in refused.stderr
    change(kept, "delete from studies where id != 2")
    assert "no study that can be read" in command("history", kept).stdout
