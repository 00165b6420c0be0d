"""A short fuzz of games, formulas, `try` lines, books and stores: no fault of our own, no hang. `benchmarks/fuzz.py` goes on."""

from __future__ import annotations

import os
import random
import secrets
from pathlib import Path

import pytest
from fuzzing import HOST, broken_text, try_book, try_editor, try_formula, try_game, try_line, try_store

import mint_ledger as mint
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
