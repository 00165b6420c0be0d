"""Patterns: each plays, they go together, and whoever looks for one by a word of the trade is led to it."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.game.trade_words import PATTERNS_SHOWN
from mint_ledger.patterns import game_with, patterns

DOCS = Path(__file__).parent.parent / "docs"
KNOWN = patterns()
PARTS = [name for name, pattern in KNOWN.items() if not pattern.is_a_game]


@pytest.mark.parametrize("name", KNOWN)
def test_a_pattern_plays_its_playtests_pass_and_nothing_in_it_is_wrong(name: str) -> None:
    game = mint.loads(game_with([name]))
    assert all(checked.passed for checked in game.play_tests())
    # Its own playtest or measure, besides the two of the game that it goes into.
    assert len(game.playtests) > (0 if KNOWN[name].is_a_game else 2) or game.measures or KNOWN[name].is_a_game
    assert [f.check.name for f in game.audit(runs=0).findings if f.grade == "wrong"] == []
    assert game.run(seed=1).result in ("win", "lose", "draw")


@pytest.mark.slow
@pytest.mark.parametrize("first", PARTS)
def test_two_patterns_go_together_but_for_those_that_say_so(first: str) -> None:
    for second in PARTS[PARTS.index(first) + 1 :]:
        if second in KNOWN[first].not_with or first in KNOWN[second].not_with:
            with pytest.raises(BadRequest, match="make no sense together"):
                game_with([first, second])
        else:
            assert all(test.passed for test in mint.loads(game_with([first, second])).play_tests()), second


@pytest.mark.parametrize(
    "names", [["boss", "pickups", "lives"], [n for n in PARTS if n != "draw"]], ids=["three", "all"]
)
def test_the_playtests_of_each_hold_in_the_game_of_all(names: list[str]) -> None:
    assert [str(test) for test in mint.loads(game_with(names)).play_tests() if not test.passed] == []


def test_what_cannot_be_put_together_says_why() -> None:
    with pytest.raises(BadRequest, match="turns is a game of its own"):
        game_with(["turns", "boss"])
    with pytest.raises(NotFound, match="did you mean 'boss'"):
        game_with(["bos"])


def test_without_patterns_it_is_the_game_of_the_how_tos() -> None:
    assert game_with([]) == (DOCS / "how-to" / "orchard.yaml").read_text("utf-8")


def test_new_writes_them_and_the_file_plays_at_once(command: Command, tmp_path: Path) -> None:
    made = command("new", "mine.yaml", "--with", "boss,pickups", "--with", "lives")
    assert made.returncode == 0
    checked = command("check", "mine.yaml")
    assert checked.returncode == 0
    assert "5 of 5 passed" in checked.stdout
    assert all(len(line) <= 110 for line in (tmp_path / "mine.yaml").read_text("utf-8").splitlines())
    refused = command("new", "other.yaml", "--with", "draw,lives")
    assert refused.returncode == 2
    assert not (tmp_path / "other.yaml").exists()


def test_a_word_of_the_trade_leads_to_the_pattern_that_shows_it(command: Command, tmp_path: Path) -> None:
    assert set(KNOWN) >= PATTERNS_SHOWN
    (tmp_path / "mine.yaml").write_text("kinds: {hero: {stats: {health: 3}, boss: 1}}\nxp: 3\n", "utf-8")
    said = command("check", "mine.yaml").stderr
    assert "'mint-ledger new GAME --with boss' shows" in said
    assert "'mint-ledger new GAME --with ranks' shows" in said
