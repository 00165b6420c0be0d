"""Files that are made to be slow are refused by counting, and what is no regular file is written through."""

from __future__ import annotations

import os
import stat
import threading
from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger.files import write_bytes, write_text

KEYS = ", ".join(f"k{i}: {i}" for i in range(500))


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (f"x0: &x0 {{{KEYS}}}\n" + "".join(f"y{i}: {{<<: *x0}}\n" for i in range(600)), "unfolds to more than 50,000"),
        ("x0: &x0 {a: 1}\ny: {<<: [" + ",".join(["*x0"] * 30_000) + "]}\n", "aliases"),
        ("a: [" + "[]," * 80_000 + "[]]", "more than 50,000 values"),
        ("a: [" + "[]," * 20_000 + "[]]", "more than 12,000 lists"),
        (
            "a0: &a0 [1, 2]\n" + "".join(f"a{i}: &a{i} [*a{i - 1}, *a{i - 1}]\n" for i in range(1, 40)),
            "unfolds to more than",
        ),
    ],
    ids=["merge keys", "aliases in one merge", "brackets", "fewer brackets", "doubling"],
)
def test_what_would_unfold_without_end_is_refused_before_it_is_unfolded(
    text: str, message: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    from ruamel.yaml.constructor import RoundTripConstructor

    def never(*_: object) -> None:
        raise AssertionError("it was unfolded")

    monkeypatch.setattr(RoundTripConstructor, "construct_mapping", never)
    with pytest.raises(mint.GameError, match=message):
        mint.loads(text)


def test_stats_that_each_read_the_one_before_twice_are_gone_through_once() -> None:
    # 60 of them are 2 to the 60th ways through; each would never be done.
    stats = "".join(f"  s{i}: {{formula: s{i - 1} + s{i - 1} * 0.5}}\n" for i in range(1, 60))
    text = f"title: T\nclock: {{limit: 3}}\nstats:\n  s0: 1\n{stats}rules: [{{when: start, do: [s0 += 1]}}]\n"
    try:
        mint.loads(text)
    except mint.GameError as error:
        assert "20,000 are the most" in str(error)


def test_a_pipe_and_a_device_are_written_through_and_stay_what_they_are(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    read: list[bytes] = []
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    write_bytes(pipe, b"all of it")
    reader.join()
    assert read == [b"all of it"] and stat.S_ISFIFO(pipe.stat().st_mode)
    null = Path(os.devnull)
    write_bytes(null, b"nothing stays")
    assert stat.S_ISCHR(null.stat().st_mode)


def test_mode_and_byte_order_mark_of_a_file_stay_and_a_read_only_file_is_left(tmp_path: Path) -> None:
    file = tmp_path / "game.yaml"
    file.write_bytes(b"\xef\xbb\xbftitle: A\n")
    file.chmod(0o640)
    write_text(file, "title: B\n")
    assert file.read_bytes() == b"\xef\xbb\xbftitle: B\n" and stat.S_IMODE(file.stat().st_mode) == 0o640
    file.chmod(0o440)
    with pytest.raises(mint.BadRequest, match="read-only"):
        write_text(file, "title: C\n")
    assert b"title: B" in file.read_bytes()


@pytest.mark.parametrize("value", [float("nan"), float("inf"), None, [1], {"plus": 2}])
def test_what_no_dial_can_be_is_told_with_the_dials_name(value: object) -> None:
    game = mint.loads(
        "title: T\nclock: {limit: 3}\nnumbers: {odds: 0.5}\nendings: {over: {result: win, if: time >= odds}}\n"
    )
    with pytest.raises(mint.BadRequest, match="'odds'"):
        game.with_dials({"odds": value})  # type: ignore[dict-item]
    assert game.with_dials({"odds": {"times": 3}}).dials["odds"] == 1.5  # type: ignore[dict-item]
    assert game.study(5, dials={"*dds": {"times": 2}}).runs == 5  # type: ignore[dict-item]
    for time in ("1", None, float("nan"), -1):
        with pytest.raises(mint.BadRequest, match="a time is a number"):
            game.run().at(time)  # type: ignore[arg-type]
