"""What a strange file may cost: formulas that grow, steps without an end, journals, rules, Ctrl-C."""

from __future__ import annotations

import math
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command, heed_ctrl_c

import mint_ledger as mint
from mint_ledger.engines import work
from mint_ledger.errors import GameError, RunStopped
from mint_ledger.exact import answers
from mint_ledger.formula import syntax
from mint_ledger.game import cast, clock, kind, source, table
from mint_ledger.lowering import lot, lower, sharing
from mint_ledger.program import expressions as ex
from mint_ledger.program.walking import nodes
from mint_ledger.studies import making
from mint_ledger.tables import book

ENGINES = ("reference", "native")
ONE_RULE = (
    "clock: {{limit: 3}}\nstats: {{a: {a}, b: 0}}\nrules: [{{name: r, when: {{every: 1}}, do: ['b = {text}']}}]\n"
)


def worked_out(text: str, a: float, engine: str) -> float:
    run = mint.loads(ONE_RULE.format(a=a, text=text)).run(engine=engine)  # type: ignore[arg-type]
    return float(run.statement("b").closing)


def nested(before: str, after: str, depth: int) -> str:
    return before * depth + "a" + after * depth


@pytest.mark.parametrize("engine", ENGINES)
@pytest.mark.parametrize(
    ("text", "a"),
    [
        (nested("a % (", " + 1)", 14), 300.0),
        (nested("a // (", " + 1)", 14), 300.0),
        (nested("1 + abs(a % (", " - 7.5))", 9), -31.25),
        ("a**a**a**a**a**a - a**a**a**a", 1.1),
        (nested("log(9 + ", ")", 14), 3.0),
        (nested("min(9, sqrt(2 + max(1, ", ")))", 9), 3.0),
        ("1 if " + nested("(1 < 2 < 2 + ", " < 9999)", 9) + " else 2", 5.0),
    ],
)
def test_what_stands_twice_once_it_is_written_out_is_worked_out_once(text: str, a: float, engine: str) -> None:
    wanted = eval(text, {"a": a, "log": math.log, "sqrt": math.sqrt, "min": min, "max": max, "abs": abs})
    assert worked_out(text, a, engine) == pytest.approx(float(wanted), rel=1e-12)


@pytest.mark.parametrize("engine", ENGINES)
def test_stats_that_build_on_each_other_grow_by_as_much_each(engine: str) -> None:
    stats = "".join(f"  s{i}: {{formula: 's{i - 1} * 1.1 + s{i - 1} / 10'}}\n" for i in range(1, 21))
    text = f"clock: {{limit: 3}}\nstats:\n  s0: 2\n  top: 0\n{stats}rules: [{{name: r, when: {{every: 1}}, do: [top = s20]}}]"
    game = mint.loads(text)
    assert game.run(engine=engine).statement("top").closing == pytest.approx(2 * 1.2**20, rel=1e-12)  # type: ignore[arg-type]
    sizes = [len(list(nodes((p.body, p.result)))) for p in game.lowered.program.procedures.values()]
    assert max(sizes) < 2_000
    assert any(isinstance(n, ex.With) for p in game.lowered.program.procedures.values() for n in nodes(p.body))


@pytest.mark.parametrize("engine", ENGINES)
def test_what_is_shared_is_not_worked_out_where_it_would_not_have_been(engine: str) -> None:
    """A large part that divides by 0 stands behind what guards it."""
    large = "(" + " + ".join(f"(a + {k}) / a" for k in range(12)) + ")"
    text = f"""
    clock: {{limit: 2}}
    stats: {{a: 0, b: 0, ratio: {{formula: "{large}"}}}}
    rules: [{{name: r, when: {{every: 1}}, if: "a != 0 and ratio > 1 and ratio < 900", do: [b += 1]}}, {{name: s, when: {{every: 1}}, do: ["b += ratio * ratio if a != 0 else 2"]}}]
    """
    assert mint.loads(text).run(engine=engine).statement("b").closing == 4  # type: ignore[arg-type]


def test_what_grows_all_the_same_is_refused_with_its_place() -> None:
    stats = "".join(
        f"  s{i}: {{formula: '(s{i - 1} if a > {i} else 0) + (s{i - 1} / 2 if b > {i} else 1)'}}\n"
        for i in range(1, 18)
    )
    text = f"clock: {{limit: 3}}\nstats:\n  a: 1\n  b: 1\n  s0: 2\n{stats}rules: [{{name: r, when: {{every: 1}}, do: [a = s17]}}]"
    with pytest.raises(GameError, match=r"game:\d+:\d+: .*grows to [\d,]+ parts .* 20,000 are the most"):
        mint.loads(text)


def doubling(depth: int) -> str:
    rules = "".join(
        f"  - {{name: r{i}, when: {{cue: c{i}}}, do: [{{cue: c{i + 1}}}, {{cue: c{i + 1}}}, x += 1]}}\n"
        for i in range(depth)
    )
    return f"clock: {{limit: 5}}\nstats: {{x: 0}}\nrules:\n  - {{name: go, when: {{every: 1}}, do: [{{cue: c0}}]}}\n{rules}"


def each_in_each(depth: int) -> str:
    step = "x += 1"
    for _ in range(depth):
        step = f"{{each: ant, do: [{step}]}}"
    return (
        "clock: {limit: 5}\nstats: {x: 0}\nkinds: {ant: {copies: 40, stats: {h: 1}}}\n"
        f"rules: [{{name: r, when: {{every: 1}}, do: [{step}]}}]\n"
    )


@pytest.mark.parametrize("engine", ENGINES)
@pytest.mark.parametrize(
    ("text", "place"), [(doubling(40), r"game:\d+:\d+: 'r\d+'"), (each_in_each(6), "game:4:9: 'r'")]
)
def test_a_step_without_an_end_is_stopped_with_the_rule_and_its_line(
    text: str, place: str, engine: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    if engine == "reference":
        monkeypatch.setattr("mint_ledger.engines.accounts.MOST_WORK", 200_000)
        monkeypatch.setattr("mint_ledger.engines.statements.MOST_WORK", 200_000)
    game = mint.loads(text)
    with pytest.raises(RunStopped, match=rf"{place}: one step alone goes round more than .* times"):
        game.run(engine=engine)  # type: ignore[arg-type]
    if engine == "native":
        with pytest.raises(RunStopped, match="one step alone"):
            game.study(3, engine="native")


@pytest.mark.parametrize("engine", ENGINES)
def test_what_is_much_but_has_an_end_is_played(engine: str) -> None:
    assert mint.loads(each_in_each(2)).run(engine=engine).statement("x").closing == 5 * 40**2  # type: ignore[arg-type]
    assert mint.loads(doubling(8)).run(engine=engine).statement("x").closing == 5 * (2**8 - 1)  # type: ignore[arg-type]


@pytest.mark.parametrize("engine", ENGINES)
def test_a_journal_has_an_end(engine: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("mint_ledger.engines.reference.MOST_ROWS", 1_000)
    monkeypatch.setattr("mint_ledger.engines.native.engine.MOST_ROWS", 1_000)
    game = mint.loads(
        "clock: {limit: 90}\nstats: {x: 0}\nrules: [{name: r, when: {every: 0.05}, do: [x += 1, x -= 1]}]\n"
    )
    with pytest.raises(RunStopped, match="its journal has more than"):
        game.run(engine=engine)  # type: ignore[arg-type]
    assert game.study(20).mean("time").value == 90
    assert work.MOST_ROWS == 1_000_000


def test_more_rules_or_numbers_than_can_be_played_are_refused_at_once() -> None:
    many = "clock: {limit: 5}\nstats: {x: 0}\nkinds: {ant: {copies: 5000}}\n"
    statuses = "statuses:\n" + "".join(f"  s{i}: {{lasts: 2}}\n" for i in range(500))
    with pytest.raises(GameError, match="500 statuses, attacks and actions for 5,000 copies are too many"):
        mint.loads(many + statuses)
    wide = "clock: {limit: 5}\nkinds: {ant: {copies: 5000, stats: {h: 1}}}\nstatuses:\n"
    wide += "".join(f"  s{i}: {{lasts: 2}}\n" for i in range(300))
    with pytest.raises(GameError, match=r"keeps [\d,]+ numbers in each moment, and 5,000,000 are the most"):
        mint.loads(wide)


@pytest.mark.skipif(os.name == "nt", reason="signals")
def test_ctrl_c_is_heard_while_code_is_compiled(tmp_path: Path) -> None:
    rules = "".join(f"  - {{name: r{i}, when: {{every: 1}}, do: [x += {i}]}}\n" for i in range(700))
    (tmp_path / "many.yaml").write_text(f"clock: {{limit: 500}}\nstats: {{x: 0}}\nrules:\n{rules}")
    environment = {**os.environ, "MINT_LEDGER_CACHE": str(tmp_path / "cache")}
    given = [sys.executable, "-m", "mint_ledger.cli.main", "study", "many.yaml", "--runs", "3000", "--engine", "native"]
    process = subprocess.Popen(
        given, cwd=tmp_path, env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, preexec_fn=heed_ctrl_c
    )
    time.sleep(4.5)  # it reads for two seconds and compiles for some more
    if process.poll() is None:
        process.send_signal(signal.SIGINT)
        out = process.communicate(timeout=30)
        assert process.returncode == 130, out
        assert b"interrupted" in out[1]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("clock: {limit: " + "9" * 5000 + "}\n", "1:16: a number of 5,000 digits cannot be read; write it as 1e300"),
        ("a: &a\n  <<: *a\n  b: 1\n", "2:1: '<<' takes over the mapping that it stands in itself"),
        ("clock: {limit: 5}\nstats: {{a: 1}: 2}\n", "2:1: a mapping is no key"),
        ("clock: {limit: 5}\nstats: {? [a, b] : 2}\n", "2:1: a list is no key"),
        (ONE_RULE.format(a=1, text="normal(0, -1)"), "normal(…, -1): the second number says how far values spread"),
        (ONE_RULE.format(a=1, text="1 if chance(2) else 0"), "chance(2): a chance lies between 0 (never) and 1"),
        (ONE_RULE.format(a=1, text="between(3, 1)"), "between(3, 1) is the wrong way round"),
        (ONE_RULE.format(a=1, text="clamp(a, 5, 1)"), "clamp(…, 5, 1) is the wrong way round"),
    ],
)
def test_small_slips_get_a_sentence_that_helps(command: Command, tmp_path: Path, text: str, wanted: str) -> None:
    (tmp_path / "slip.yaml").write_text(text)
    told = command("check", "slip.yaml")
    assert (told.returncode, told.stdout) == (2, "")
    assert wanted in told.stderr
    assert len(told.stderr.splitlines()) == 1


def test_devices_and_pipes_are_no_game_files(command: Command, tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.yaml")
    for name in ("pipe.yaml", "/dev/zero", "/dev/null"):
        told = command("check", name)
        assert told.returncode == 2
        assert "this is a device or a pipe, not a file" in told.stderr


def test_numbers_and_places_that_make_no_sense_are_named(command: Command, tmp_path: Path) -> None:
    (tmp_path / "game.yaml").write_text("clock: {limit: 2}\nstats: {a: 1}\n")
    for given, wanted in (
        (["run", "game.yaml", "--run", "-5"], "a run has a whole number from 0 to 4,294,967,295, not -5"),
        (["study", "game.yaml", "--store", "/dev/null"], "/dev/null is a device or a pipe, and a store is a file"),
        (["study", "game.yaml", "--store", "."], ". is a folder, and a store is a file"),
        (["history", "/dev/null"], "a store is a file"),
    ):
        told = command(*given)
        assert (told.returncode, told.stdout) == (2, "")
        assert wanted in told.stderr


def test_the_page_says_the_limits_that_hold() -> None:
    page = (Path(__file__).parent.parent / "docs" / "safety.md").read_text("utf-8")
    for limit in (
        source.MAX_BYTES,
        source.MAX_VALUES,
        syntax.MAX_LENGTH,
        sharing.MOST_PARTS,
        kind.MAX_ENTITIES,
        cast.MAX_ACCOUNTS,
        lower.MOST_RULES,
        lower.MOST_NUMBERS,
        clock.MAX_STEPS,
        work.MOST_WORK,
        work.MOST_ROWS,
        making.MAX_RUNS,
        book.MOST_ROWS,
        table.MOST_ROWS,
        lot.MOST_DRAWINGS,
        lot.MOST_TIMES,
        answers.STATES,
    ):
        assert f"{limit:,}" in page
    assert f"counts for {work.POSTING_WORK} " in page
    assert f"{book.MOST_BYTES // 10**6} MB, {book.MOST_INFLATED // 10**6} MB unpacked" in page


@pytest.mark.parametrize(
    "rule", ["do: ['a += 1,5']", "if: 'a > 1,5', do: [a += 1]", "do: [{if: 'a, b', do: [a += 1]}]"]
)
def test_a_comma_that_is_none_of_a_call_is_told(rule: str) -> None:
    text = f"clock: {{limit: 3}}\nstats: {{a: 1, b: 2}}\nrules: [{{name: r, when: {{every: 1}}, {rule}}}]\n"
    with pytest.raises(GameError, match="a comma stands in calls like min"):
        mint.loads(text)
