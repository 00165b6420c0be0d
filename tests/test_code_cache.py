"""Machine code is kept, and never loaded blindly."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger import signed
from mint_ledger.engines.native import compiling
from mint_ledger.engines.native import engine as native
from mint_ledger.engines.native.cache import program_key
from mint_ledger.engines.native.engine import known_code, native_code
from mint_ledger.signed import load_entry, save_entry

GAME = """
mint_ledger: 1
title: Kept
clock: {step: 0.1, limit: 9}
stats: {n: {start: 0, max: 50}}
rules: [{when: {every: 0.7}, do: [n += 3]}]
"""


@pytest.fixture
def cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("MINT_LEDGER_CACHE", str(tmp_path / "code"))
    native.arithmetic_code.cache_clear()
    return tmp_path / "code"


def test_a_game_seen_before_is_not_compiled_again(cache: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    program = mint.loads(GAME).lowered.program
    assert known_code(program) is None
    native_code(program)
    monkeypatch.setattr(compiling, "module_text", lambda *_: pytest.fail("compiled again"))
    assert known_code(program) is not None
    # Any number of the file that stands in no formula is an argument.
    for turned in ({"n.max": 40}, {"clock.step": 0.05}, {"clock.limit": 20}, {"n": 4}):
        assert known_code(mint.loads(GAME).with_dials(turned).lowered.program) is not None, turned
    assert known_code(mint.loads(GAME.replace("n += 3", "n += 4")).lowered.program) is None


def test_a_damaged_entry_is_ignored_and_replaced(cache: Path) -> None:
    game = mint.loads(GAME)
    first = game.study(60, engine="native")
    entries = sorted(cache.glob("*-quick.code"))
    assert len(entries) == 1
    good = entries[0].read_bytes()
    for bad in (b"", good[:200], good[:-1] + bytes([good[-1] ^ 1]), good.replace(b"ELF", b"FLE", 1), b"\0" * 5000):
        entries[0].write_bytes(bad)
        assert known_code(game.lowered.program) is None
        assert game.study(60, engine="native").measures.equals(first.measures)
        assert entries[0].read_bytes()[:100] == good[:100]


def test_an_entry_of_another_name_or_owner_is_not_loaded(cache: Path) -> None:
    program = mint.loads(GAME).lowered.program
    key = program_key(program, ()) + "-quick"
    save_entry("elsewhere", b"payload")
    assert load_entry("elsewhere") == b"payload"
    (cache / "elsewhere.code").rename(cache / f"{key}.code")
    assert load_entry(key) is None
    save_entry("open", b"payload")
    (cache / "open.code").chmod(0o666)
    assert load_entry("open") is None
    cache.chmod(0o777)
    save_entry("shared", b"payload")
    assert load_entry("shared") is None


def test_a_planted_entry_is_not_loaded_whatever_it_says_of_itself(
    cache: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """A folder that was handed over holds code that somebody else has signed, or that has the right checksum."""
    key = program_key(mint.loads(GAME).lowered.program, ()) + "-quick"
    save_entry(key, b"payload")
    assert load_entry(key) == b"payload"
    mine = signed.key_file
    monkeypatch.setattr(signed, "key_file", lambda: tmp_path / "other" / "key")
    assert load_entry(key) is None
    save_entry(key, b"planted")
    assert load_entry(key) == b"planted"
    monkeypatch.setattr(signed, "key_file", mine)
    assert load_entry(key) is None
    head = signed.MAGIC + key.encode() + b"\n"
    (cache / f"{key}.code").write_bytes(head + hashlib.sha256(b"planted").digest() + b"planted")
    assert load_entry(key) is None


@pytest.mark.skipif(os.name == "nt", reason="owners and modes")
def test_links_and_folders_that_others_can_change_are_not_trusted(cache: Path, tmp_path: Path) -> None:
    save_entry("one", b"payload")
    assert load_entry("one") == b"payload"
    (cache / "one.code").rename(tmp_path / "elsewhere")
    (cache / "one.code").symlink_to(tmp_path / "elsewhere")
    assert load_entry("one") is None
    save_entry("two", b"payload")
    cache.parent.chmod(0o777)
    assert load_entry("two") is None
    cache.parent.chmod(0o700)
    assert load_entry("two") == b"payload"
    cache.rename(tmp_path / "moved")
    cache.symlink_to(tmp_path / "moved")
    assert load_entry("two") is None
    assert oct(signed.key_file().stat().st_mode & 0o777) == "0o600"


def test_a_key_that_others_can_read_signs_nothing(cache: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(signed, "key_file", lambda: tmp_path / "open key")
    (tmp_path / "open key").write_bytes(bytes(32))
    (tmp_path / "open key").chmod(0o644)
    save_entry("one", b"payload")
    assert load_entry("one") is None
    # Studies go on without a cache.
    assert mint.loads(GAME).study(60, engine="native").runs == 60
