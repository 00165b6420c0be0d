"""A game file that was read before is taken from the cache as the same game, and never blindly."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from random_games import games

import mint_ledger as mint
from mint_ledger import signed
from mint_ledger.lowering import kept, playable
from mint_ledger.lowering.flat import NotFlat, flatten, unflatten

EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.yaml"))
GAME = """
mint_ledger: 1
title: Kept
clock: {step: 0.1, limit: 9}
stats: {n: {start: 0, max: 50}, m: {formula: n * 2}}
rules: [{when: {every: 0.7}, do: [n += 3]}, {when: {every: 2}, do: [{if: chance(0.5), do: [n -= 1]}]}]
variants: {more: {n: 7}}
measures: {most: highest(n)}
"""


@pytest.fixture
def cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("MINT_LEDGER_CACHE", str(tmp_path / "code"))
    return tmp_path / "code"


def written(folder: Path, text: str = GAME) -> Path:
    path = folder / "game.yaml"
    path.write_text(text, "utf-8")
    return path


@pytest.mark.parametrize(
    "path",
    [mint.demo_path(), *(pytest.param(path, marks=pytest.mark.slow) for path in EXAMPLES)],
    ids=lambda path: path.stem,
)
def test_a_kept_game_is_the_game(cache: Path, monkeypatch: pytest.MonkeyPatch, path: Path) -> None:
    read = mint.load(path)
    monkeypatch.setattr(kept, "game_source", lambda *_: pytest.fail("read again"))
    again = mint.load(path)
    assert again == read and again.source == read.source
    assert repr(again.lowered) == repr(read.lowered)
    # The hash that names machine code and stores is kept with it, and is what would be worked out.
    hashed = again.lowered.program.content_hash
    del again.lowered.program.__dict__["content_hash"]
    assert again.lowered.program.content_hash == hashed == read.lowered.program.content_hash
    habit = next(iter(read.habits), None)
    assert again.run(seed=3, habit=habit).story() == read.run(seed=3, habit=habit).story()
    assert again.study(60, habit=habit).measures.equals(read.study(60, habit=habit).measures)
    if path == mint.demo_path():
        return  # the examples are audited, with the slow tests
    assert [f.as_json() for f in again.audit(quick=True).findings] == [
        f.as_json() for f in read.audit(quick=True).findings
    ]


def test_a_kept_game_can_be_turned_and_saved(cache: Path, tmp_path: Path) -> None:
    path = written(tmp_path)
    read, again = mint.load(path), mint.load(path)
    for turned in ({"n.max": 8}, {"clock.limit": 5}, {"n": 4}):
        assert again.with_dials(turned).run(2).story() == read.with_dials(turned).run(2).story()
    assert again.with_variant("more").to_yaml() == read.with_variant("more").to_yaml()
    assert again.to_yaml() == GAME
    with pytest.raises(mint.NotFound):
        again.with_dials({"nope": 1})


def test_another_text_name_or_table_is_read_anew(cache: Path, tmp_path: Path) -> None:
    text = GAME + "tables: {t: {file: t.csv}}\n"
    (tmp_path / "t.csv").write_text("k,c\n1,5\n2,7\n")
    path = written(tmp_path, text)
    assert mint.load(path).tables["t"].rows[0][1] == 5
    (tmp_path / "t.csv").write_text("k,c\n1,6\n2,7\n")
    assert mint.load(path).tables["t"].rows[0][1] == 6
    (tmp_path / "t.csv").unlink()
    with pytest.raises(mint.GameError, match=r"t\.csv"):
        mint.load(path)
    plain = written(tmp_path)
    assert mint.load(plain).title == "Kept"
    assert mint.load(written(tmp_path, GAME.replace("Kept", "Other"))).title == "Other"
    other = tmp_path / "other.yaml"
    other.write_text(GAME, "utf-8")
    assert mint.load(other).file == str(other)


def test_what_is_wrong_is_told_each_time(cache: Path, tmp_path: Path) -> None:
    path = written(tmp_path, GAME.replace("n += 3", "k += 3"))
    told = []
    for _ in range(2):
        with pytest.raises(mint.GameError) as caught:
            mint.load(path)
        told.append(str(caught.value))
    assert told[0] == told[1] and "k" in told[0]
    assert not list(cache.glob("*.game"))


def test_a_damaged_or_foreign_entry_is_ignored_and_replaced(
    cache: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = written(tmp_path)
    story = mint.load(path).run(1).story()
    [entry] = cache.glob("*.game")
    good = entry.read_bytes()
    for bad in (b"", good[:100], good[:-1] + bytes([good[-1] ^ 1]), b"\0" * 5000):
        entry.write_bytes(bad)
        assert mint.load(path).run(1).story() == story
        assert entry.read_bytes() == good
    # One that is signed, and holds something else.
    key = entry.stem
    for content in (b"", b"no such thing", flatten(("a", 1)).encode()):
        signed.save_entry(key, content, signed.GAME)
        assert mint.load(path).run(1).story() == story
        assert entry.read_bytes() == good
    # Another user's key.
    monkeypatch.setattr(signed, "key_file", lambda: tmp_path / "other" / "key")
    made = []
    real = playable.open_lowering
    monkeypatch.setattr(playable, "open_lowering", lambda game: made.append(1) or real(game))
    assert mint.load(path).run(1).story() == story
    assert made


def test_no_folder_is_needed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("MINT_LEDGER_CACHE", str(tmp_path / "file" / "deeper"))
    path = written(tmp_path)
    assert mint.load(path).run(1).story() == mint.load(path).run(1).story()


def test_nothing_but_parts_of_games_is_made_of_a_text() -> None:
    planted = (
        [["os", "system", []]],
        [["mint_ledger.files", "write_text", []]],
        [["mint_ledger.game.document", "apart", []]],
        [["mint_ledger.game.source", "Source", ["file"]]],
        [["mint_ledger.game.no_such_file", "X", []]],
    )
    for classes in planted:
        with pytest.raises(NotFlat):
            unflatten(json.dumps([classes, ["touch planted"], [[11, -1]]]))
    for text in ("", "[]", "{}", "[[],[],[]]", "[[],[],[[0,5]]]", "[[],[],[[99]]]", "[" * 100_000):
        with pytest.raises(NotFlat):
            unflatten(text)
    with pytest.raises(NotFlat):
        flatten(object())
    with pytest.raises(NotFlat):
        flatten({"path": Path("a")})


def test_what_is_shared_stays_shared_and_numbers_stay_what_they_are() -> None:
    part = ("a", 1)
    value = [
        part,
        part,
        0.0,
        -0.0,
        1,
        1.0,
        True,
        None,
        float("inf"),
        frozenset({2}),
        {3},
        range(4),
        {"k": [part]},
        "é\ud800",
    ]
    again = unflatten(flatten(value))
    assert repr(again) == repr(value) and [type(x) for x in again] == [type(x) for x in value]
    assert again[0] is again[1] is again[12]["k"][0]


@settings(max_examples=10, deadline=None)
@given(games())
def test_random_games_are_made_again(data: dict[str, Any]) -> None:
    game = mint.Game(**data)
    again = unflatten(flatten(game.lowered))
    assert repr(again) == repr(game.lowered)
    assert again.program.content_hash == game.lowered.program.content_hash


def test_two_processes_at_once_leave_a_whole_entry(cache: Path, tmp_path: Path) -> None:
    path = written(tmp_path)
    program = f"import mint_ledger as m; print(m.load({str(path)!r}).run(1).story())"
    both = [
        subprocess.Popen([sys.executable, "-c", program], env={**os.environ}, stdout=subprocess.PIPE) for _ in range(2)
    ]
    said = {process.communicate()[0] for process in both}
    assert len(said) == 1 and all(process.returncode == 0 for process in both)
    assert mint.load(path).run(1).story().encode() in next(iter(said))
