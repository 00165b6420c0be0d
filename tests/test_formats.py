"""Files of other formats: older ones are read as they are and upgraded, newer ones are refused."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.cli import exits
from mint_ledger.game.formats import upgraded
from mint_ledger.game.source import parse_source

BODY = "title: Weir   # the name\nstats: {a: 1}\n"


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (BODY, f"mint_ledger: 1\n{BODY}"),
        (f"# about it\n\n{BODY}", f"# about it\n\nmint_ledger: 1\n{BODY}"),
        (f"---\n{BODY}", f"---\nmint_ledger: 1\n{BODY}"),
        ("{title: Weir, stats: {a: 1}}", "{mint_ledger: 1, title: Weir, stats: {a: 1}}"),
        ('{"title": "Weir"}', '{"mint_ledger": 1, "title": "Weir"}'),
        ('{\n  "title": "Weir"\n}\n', '{"mint_ledger": 1, \n  "title": "Weir"\n}\n'),
        ("  title: Weir\n  stats: {a: 1}\n", "  mint_ledger: 1\n  title: Weir\n  stats: {a: 1}\n"),
    ],
)
def test_a_file_without_a_number_is_given_one_and_keeps_all_else(before: str, after: str) -> None:
    made = upgraded(parse_source(before, "weir.yaml"))
    assert made is not None
    assert made.replace("1, \n", "1,\n") == after.replace("1, \n", "1,\n")
    assert upgraded(parse_source(made, "weir.yaml")) is None
    assert dict(mint.loads(made).dials) == dict(mint.loads(before).dials)


def test_check_upgrades_the_file_and_says_what_changes(command: Command, tmp_path: Path) -> None:
    path = tmp_path / "weir.yaml"
    path.write_text(f"# about it\n{BODY}", "utf-8")
    assert command("check", path).returncode == 0
    assert "mint_ledger" not in path.read_text("utf-8")
    done = command("check", path, "--upgrade")
    assert done.returncode == 0 and "+mint_ledger: 1" in done.stdout
    assert path.read_text("utf-8") == f"# about it\nmint_ledger: 1\n{BODY}"
    again = command("check", path, "--upgrade")
    assert again.returncode == 0 and "written" not in again.stdout
    assert command("check", "-", "--upgrade", input=BODY).returncode == exits.UNUSABLE


@pytest.mark.parametrize(
    ("number", "words"),
    [
        ("2", "format 2 is of a newer version of Mint Ledger; this one reads game files of format 1"),
        ("one", "the format is a whole number"),
    ],
)
def test_other_numbers_are_refused_in_words(number: str, words: str) -> None:
    with pytest.raises(mint.GameError, match=words):
        mint.loads(f"mint_ledger: {number}\n{BODY}")
