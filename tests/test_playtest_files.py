"""The playtests worked by hand, in files as a designer would write them."""

from __future__ import annotations

from pathlib import Path

import pytest

import mint_ledger as mint

FILES = sorted((Path(__file__).parent / "playtests").glob("*.yaml"))


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_every_expectation_worked_by_hand_is_found(file: Path) -> None:
    results = mint.load(file).play_tests()
    assert results
    for result in results:
        assert result.passed, (result.name, [(f.at, f.expected, f.values) for f in result.found if not f.held])


def test_a_playtest_can_fail_and_says_what_was_found() -> None:
    text = (Path(__file__).parent / "playtests" / "healing.yaml").read_text("utf-8")
    game = mint.loads(text.replace("that: baker.warmth == 100", "that: baker.warmth == 99"))
    failed = next(r for r in game.play_tests() if r.name == "healing stops at the cap")
    assert not failed.passed
    assert failed.found[0].values == "baker.warmth is 100"
