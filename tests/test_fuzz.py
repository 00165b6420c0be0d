"""A short fuzz of games, formulas, `try` lines, books and stores: no fault of our own, no hang. `benchmarks/fuzz.py` goes on."""

from __future__ import annotations

import json
import os
import random
import secrets
from pathlib import Path

import pytest
from fuzzing import (
    HOST,
    MESSAGES,
    broken_json,
    broken_text,
    merging_text,
    try_book,
    try_editor,
    try_formula,
    try_game,
    try_line,
    try_plays,
    try_store,
)

import mint_ledger as mint
from mint_ledger.cli.editor_server import make_server
from mint_ledger.cli.hand_table import Table
from mint_ledger.tables.book import write_book
from mint_ledger.tables.sheets import make_sheets

MANY = int(os.environ.get("MINT_LEDGER_RANDOM_GAMES", "90"))
EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.yaml"))


COIN = """
title: Coin
clock: {step: 1, limit: 3}
rules: [{name: toss, when: start, do: [{if: chance(0.4), do: [{finish: heads}]}]}]
endings: {heads: {result: win}}
"""


@pytest.fixture
def luck() -> random.Random:
    seed = 7 if os.environ.get("CI") else secrets.randbits(32)
    print(f"seed {seed}")
    return random.Random(seed)


def test_broken_formulas_are_refused_in_words_or_played(luck: random.Random) -> None:
    seen = [try_formula(luck) for _ in range(MANY)]
    assert {"GameError", "played"} <= set(seen)


def test_broken_games_are_refused_in_words_or_played(luck: random.Random) -> None:
    texts = [HOST.format(where="do: [b += 1]"), *(mint.load(path).to_yaml() for path in EXAMPLES)]
    seen = [try_game(broken_text(luck, luck.choice(texts))) for _ in range(MANY // 4)]
    assert "GameError" in seen


def test_games_in_json_are_refused_in_words_or_played(luck: random.Random) -> None:
    [text] = [json.dumps(mint.loads(HOST.format(where="do: [b += 1]")).source.data)]
    assert try_game(text) == "played"
    whole = json.loads(text)
    seen = [try_game(json.dumps(broken_json(luck, whole))) for _ in range(MANY // 4)]
    seen += [try_game(broken_text(luck, text)) for _ in range(MANY // 4)]
    assert "GameError" in seen


def test_mappings_merged_at_random_are_refused_in_words_or_read(luck: random.Random) -> None:
    seen = [try_game(merging_text(luck)) for _ in range(MANY // 3)]
    assert set(seen) <= {"GameError", "BadRequest", "played"}


def test_recorded_plays_with_slips_are_refused_in_words_or_judged(luck: random.Random, tmp_path: Path) -> None:
    game = mint.loads(COIN + "stats: {b: 3}\n")
    seen = [try_plays(luck, game, tmp_path) for _ in range(MANY // 2)]
    assert {"BadRequest", "judged"} <= set(seen)


def test_messages_to_the_editor_that_make_no_sense_are_kept_apart(luck: random.Random) -> None:
    server, _ = make_server()
    protocol = server.protocol
    for _ in range(MANY):
        whole = broken_json(luck, luck.choice(MESSAGES))
        message = json.loads(json.dumps(whole), object_hook=protocol.structure_message)
        assert message is not None


def test_broken_texts_are_answered_in_an_editor(luck: random.Random) -> None:
    texts = [HOST.format(where="do: [b += 1]"), *(mint.load(path).to_yaml() for path in EXAMPLES)]
    seen = [try_editor(luck, broken_text(luck, luck.choice(texts))) for _ in range(MANY // 10)]
    assert "faulty" in seen


def test_wrong_lines_of_try_are_answered(luck: random.Random, tmp_path: Path) -> None:
    seen = set()
    for _ in range(5):
        table = Table(mint.loads(HOST.format(where="do: [b += 1]")).play(), tmp_path / "game.yaml")
        seen |= {try_line(luck, table) for _ in range(MANY // 5)}
    assert "answered" in seen
    assert len(seen) > 1


def test_broken_books_get_a_line(luck: random.Random, tmp_path: Path) -> None:
    write_book(tmp_path / "book.xlsx", make_sheets(mint.loads(HOST.format(where="do: [b += 1]"))))
    content = (tmp_path / "book.xlsx").read_bytes()
    seen = {try_book(luck, content, tmp_path) for _ in range(MANY // 6)}
    assert "BadRequest" in seen


def test_broken_stores_are_told_and_never_believed(luck: random.Random, tmp_path: Path) -> None:
    store = tmp_path / "good.sqlite"
    truth = mint.loads(COIN).study(120, seed=3, store=store)
    content = store.read_bytes()
    seen = {try_store(luck, content, tmp_path, truth) for _ in range(MANY // 4)}
    assert {"BadRequest", "played"} <= seen
