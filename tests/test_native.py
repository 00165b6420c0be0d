from __future__ import annotations

import ctypes
import decimal
import math
import operator
import random
import re
from pathlib import Path

import numpy as np
import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.client import read_script
from mint_ledger.demo import demo_text, starter_text
from mint_ledger.engines.native import machine
from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import WEIGHTS, Routine, number
from mint_ledger.engines.native.compiling import INTRINSICS, arithmetic_module, module_text, object_code
from mint_ledger.engines.native.context import Context
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.engines.native.expressions import seconds_function
from mint_ledger.engines.native.machine import llvm
from mint_ledger.engines.native.turning import due_function
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.lowering.lower import lower

EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.yaml"))


@pytest.mark.parametrize(
    ("habit", "variant"),
    [
        ("careful", None),
        ("reckless", "calm"),
        *(pytest.param(*pair, marks=pytest.mark.slow) for pair in [(None, None), ("reckless", None), (None, "calm")]),
    ],
)
def test_the_demo_is_the_same_in_both_engines(habit: str | None, variant: str | None) -> None:
    game = mint.loads(demo_text())
    turned = game.with_variant(variant) if variant else game
    assert_same(turned.lowered, habit)


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_every_example_is_the_same_in_both_engines(path: Path) -> None:
    game = mint.load(path)
    for habit in [None, *game.habits][-1:]:
        assert_same(game.lowered, habit, runs=range(2))


@pytest.mark.slow
@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_every_habit_and_variant_of_every_example_is_the_same_in_both_engines(path: Path) -> None:
    game = mint.load(path)
    for habit in [None, *game.habits]:
        assert_same(game.lowered, habit, runs=range(3))
    for variant in game.variants:
        assert_same(game.with_variant(variant).lowered, next(iter(game.habits), None))


def test_the_starter_is_the_same_in_both_engines() -> None:
    assert_same(mint.loads(starter_text()).lowered, None, runs=range(5))


def test_a_script_is_the_same_in_both_engines() -> None:
    game = mint.loads(demo_text())
    script = [
        {"at": 0.5, "hit": "keeper", "with": "cudgel", "by": "bosun"},
        {"at": 1, "go": "rocks"},
        {"at": 2, "act": "swing"},
        {"at": 2, "set": "keeper.oil = 5"},
        {"at": 3, "give": "dazed", "to": "keeper", "for": 2},
        {"at": 4, "cue": "landed", "with": {"speed": 9}},
        {"at": 5, "meet": ["oil_can[1]", "keeper"], "for": 0.5},
    ]

    assert_same(lower(game, read_script(script)), "careful")


CORNERS = """
mint_ledger: 1
title: Corners
clock: {step: 0.1, limit: 20}
kinds:
  lamp:
    stats:
      # A whole stat with a flow keeps what has built up of the next point.
      wick: {start: 10, min: 0, max: 12, whole: true, fade: {rate: 0.7, after: 0.3}}
      glow: {start: 250, min: 0, max: 255, whole: true, at_limit: wrap}
      heat: {start: 5, min: -4, max: 40, recover: {rate: 3, after: 1, after_limit: 2, if: "wick > 3"}}
      soot: {start: 0, min: 0, max: 9, recover: {to: 4.5, at_once: true, after: 0.7}}
      calm: {formula: "exp(0 - heat / 10) + heat ** 0.5 + sqrt(heat + 4)"}
    rules:
      - {when: {every: 0.7}, do: ["heat -= normal(6, 2)", "glow += dice(2, 6)", soot = 9]}
      - {when: {every: 1.3, first: 0.2}, if: "chance(0.4)", do: ["wick -= 9 // 4 % 3"]}
      - {when: {becomes: heat <= 0}, at_most: 3, do: [wick += 2]}
      - {when: {while: heat > 39}, do: [soot -= 0.01]}
endings:
  cold: {result: lose, if: "lamp.wick <= 0 and time > 12.3"}
"""


def test_whole_flows_wrapping_and_waits_are_the_same_in_both_engines() -> None:
    assert_same(mint.loads(CORNERS).lowered, None, runs=range(20))


@pytest.mark.slow
def test_odd_step_lengths_are_the_same_in_both_engines() -> None:
    for step in ("0.07", "0.3", "1", "0.0125"):
        assert_same(mint.loads(CORNERS.replace("step: 0.1", f"step: {step}")).lowered, None, runs=range(4))


def test_no_function_of_a_c_library_is_called() -> None:
    text, _ = module_text(mint.loads(CORNERS).lowered.program)
    for module in (text, arithmetic_module()):
        declared = set(re.findall(r"declare .*?@([\w.]+)\(", module))
        intrinsics = {"llvm.fabs.f64", "llvm.sqrt.f64", "llvm.copysign.f64"}
        # One instruction each, where they are used; what machine code needs from outside is looked at below.
        intrinsics |= {"llvm.trunc.f64", "llvm.floor.f64", "llvm.ceil.f64"}
        moves = {"llvm.memcpy.p0.p0.i64", "llvm.memset.p0.i64"}
        ours = {name for name in declared if name.startswith("mint_")}
        assert declared - ours <= intrinsics | moves
        assert not re.search(r"\b(fast|contract|reassoc|afn)\b", module)
        parsed = llvm().parse_assembly(module)
        parsed.verify()


def test_comparing_what_was_read_with_a_number_is_as_float64_compares() -> None:
    values = [0.0, -0.0, 1.0, -1.0, 5e-324, -5e-324, math.inf, -math.inf, math.nan, 2.0, 1.0000000000000002]
    signs = {
        "==": operator.eq,
        "!=": operator.ne,
        "<": operator.lt,
        "<=": operator.le,
        ">": operator.gt,
        ">=": operator.ge,
    }
    cases = [(sign, constant) for sign in signs for constant in values]
    r = Routine("void @compare(ptr %s, ptr %into)", "unreachable")
    for place, (sign, constant) in enumerate(cases):
        flag = op.compared(r, sign, r.let("load double, ptr %s"), number(constant))
        address = r.let(f"getelementptr i8, ptr %into, i64 {place}")
        r.do(f"store i8 {r.let(f'zext i1 {flag} to i8')}, ptr {address}")
    r.leave("void")
    for thorough in (True, False):
        loaded = machine.Machine(object_code(r.text().replace("define internal", "define"), thorough=thorough))
        compare = ctypes.CFUNCTYPE(None, ctypes.c_void_p, ctypes.c_void_p)(loaded.address("compare"))
        for value in values:
            state, into = np.array([value]), np.zeros(len(cases), dtype=np.int8)
            compare(state.ctypes.data, into.ctypes.data)
            assert into.tolist() == [int(signs[sign](value, constant)) for sign, constant in cases], value


@pytest.mark.parametrize("has_instruction", [True, False])
def test_amounts_are_rounded_as_decimal_numbers_are(monkeypatch: pytest.MonkeyPatch, *, has_instruction: bool) -> None:
    """Against `decimal`, which knows each float64 exactly: beside and at halves, where halves end, where there are none."""
    if not has_instruction:
        monkeypatch.setattr(machine, "rounds", lambda: False)
    some = [0.0, 5e-324, 0.25, 0.5, 1.0, 1.5, 2.5, 3.5, 1e6 + 0.5, 2.0**51 + 0.5, 2.0**51 + 1.5, 2.0**52 - 0.5, 2.0**52]
    some += [2.0**52 + 1, 2.0**53 - 1, 2.0**53, 2.0**53 + 2, 2.0**63, 1e300]
    some += [math.nextafter(value, end) for value in some for end in (0.0, math.inf)]
    values = [sign * value for value in some for sign in (1.0, -1.0)]
    ways = {"nearest": "ROUND_HALF_UP", "down": "ROUND_DOWN", "up": "ROUND_UP"}
    r = Routine("void @rounds(ptr %s, ptr %into)", "unreachable")
    value = r.let("load double, ptr %s")
    for place, way in enumerate(ways):
        address = r.let(f"getelementptr double, ptr %into, i64 {place}")
        r.do(f"store double {op.rounded(r, value, way)}, ptr {address}")
    r.leave("void")
    text = "\n".join([*INTRINSICS, r.text().replace("define internal", "define"), *WEIGHTS])
    for thorough in (True, False):
        loaded = machine.Machine(object_code(text, thorough=thorough))
        call = ctypes.CFUNCTYPE(None, ctypes.c_void_p, ctypes.c_void_p)(loaded.address("rounds"))
        for amount in values:
            state, into = np.array([amount]), np.zeros(len(ways))
            call(state.ctypes.data, into.ctypes.data)
            with decimal.localcontext(prec=400):
                exact = [float(decimal.Decimal(amount).to_integral_value(rounding)) for rounding in ways.values()]
            assert into.tolist() == exact, amount
            assert not np.signbit(into[into == 0.0]).any(), amount


@pytest.mark.slow
def test_a_processor_without_an_instruction_for_floors_plays_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    programs = [mint.loads(text).lowered.program for text in (CORNERS, demo_text(), starter_text())]
    quick = [NativePlayer(make_code(program), seed=5).journal(3) for program in programs]
    monkeypatch.setattr(machine, "rounds", lambda: False)
    assert all(not re.search(r"call double @llvm\.(floor|ceil|trunc)", module_text(program)[0]) for program in programs)
    assert [NativePlayer(make_code(program), seed=5).journal(3) for program in programs] == quick


@pytest.mark.slow
def test_what_machine_code_needs_from_outside_is_memory_moves_alone(tmp_path: Path) -> None:
    import shutil
    import subprocess

    if shutil.which("nm") is None:
        pytest.skip("nm is not here to list the symbols")
    for name, text in (
        ("game", module_text(mint.loads(demo_text()).lowered.program)[0]),
        ("sums", arithmetic_module()),
    ):
        path = tmp_path / f"{name}.o"
        path.write_bytes(object_code(text, thorough=True))
        listed = subprocess.run(["nm", "--undefined-only", str(path)], capture_output=True, text=True, check=False)
        if listed.returncode:
            pytest.skip("nm does not know this kind of object file")
        wanted = {line.split()[-1] for line in listed.stdout.splitlines() if line.strip()}
        assert {name for name in wanted if not name.startswith("mint_")} <= {"memcpy", "memset"}


def test_the_arithmetic_of_both_engines_agrees_to_the_bit_over_its_whole_range() -> None:
    """Formulas with every function, at values from the ends of float64 to its middle."""
    calls = "exp(v) log(abs(v) + 1e-300) abs(v) ** 0.37 abs(v) ** -2.5 v // 3.7 v % -7.3 floor(v) ceil(v) round(v)"
    rules = "\n".join(
        f'      - {{when: {{every: 1}}, if: "time < {2 + i}", let: {{r: "clamp({call}, -1e300, 1e300)"}}, do: [out = r]}}'
        for i, call in enumerate(re.findall(r"\S+(?: (?:\*\*|//|%|\+) \S+)*", calls))
    )
    for value in (0.1, 1.0, -1.0, 3.5, -2.5, 1e-310, 5e-324, 700.0, -745.2, 12345.678, 1e15, -1e15, 4503599627370497.5):
        game = mint.loads(
            f"mint_ledger: 1\ntitle: Sums\nclock: {{step: 1, limit: 12}}\nkinds:\n  sum:\n    stats:\n"
            f"      v: {{start: {value!r}}}\n      out: {{start: 0}}\n    rules:\n{rules}\n"
        )
        assert_same(game.lowered, None, runs=(0,))


def test_dials_are_arguments_of_the_code() -> None:
    game = mint.loads(demo_text())
    code = make_code(game.lowered.program)
    turned = game.with_dials({"crab.bite": 9, "keeper.health.max": 120, "keeper.health": 110, "clock.step": 0.04})
    player = NativePlayer(code, turned.lowered.program.dials.numbers, seed=5)
    engine = ReferenceEngine(turned.lowered.program, seed=5)
    engine.play()
    assert len(player.journal()) == len(engine.rows)
    assert player.state.tobytes() == np.array(engine.state).tobytes()


def test_a_journal_that_outgrows_its_buffer_goes_on_in_a_larger_one() -> None:
    game = mint.loads(
        "mint_ledger: 1\ntitle: Long\nclock: {step: 0.01, limit: 60}\nstats: {n: 0}\n"
        "rules: [{when: {every: 0.01}, do: [n += 1]}]\n"
    )
    run = game.run(seed=1)
    player = NativePlayer(make_code(game.lowered.program), seed=1)
    assert len(run.rows) > 4_096
    assert player.journal() == run.rows


def test_half_of_a_run_can_be_played_and_then_the_rest() -> None:
    program = mint.loads(demo_text()).lowered.program
    engine = ReferenceEngine(program, seed=2, journal=False)
    engine.play(until=31)
    player = NativePlayer(make_code(program), seed=2)
    player.play(0, engine.step_number)
    assert player.state.tobytes() == np.array(engine.state).tobytes()


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        (
            "{when: {every: 1}, do: ['n += 1 / (3 - time)']}",
            ["division by zero", "1.0 / (3.0 - time)", "at 3 s of run 0"],
        ),
        ("{when: {every: 1}, do: ['n += exp(time * 300)']}", ["not a finite number", "at 3 s of run 0"]),
        ("{when: {becomes: n > 2}, do: [n = 0]}\n  - {when: {becomes: n <= 0}, do: [n = 5]}", ["64 deep"]),
    ],
)
def test_a_run_that_cannot_go_on_is_told_as_the_reference_engine_tells_it(rule: str, words: list[str]) -> None:
    game = mint.loads(
        "mint_ledger: 1\ntitle: Stops\nclock: {step: 0.1, limit: 20}\nstats: {n: 0}\n"
        f"rules:\n  - {{when: {{every: 1}}, do: [n += 1]}}\n  - {rule}\n"
    )
    told = []
    for engine in ("native", "reference"):
        with pytest.raises(mint.RunStopped) as stop:
            game.study(runs=120, engine=engine)  # type: ignore[arg-type]
        told.append(str(stop.value))
    assert told[0] == told[1]
    assert all(word in told[0] for word in words), told[0]


def test_a_run_is_the_same_by_either_engine_and_so_are_its_books() -> None:
    game = mint.loads(demo_text())
    script = [{"at": 3, "act": "swing"}, {"at": 20, "go": "rocks"}]
    one = game.run(seed=4, habit="careful", script=script, engine="reference")
    other = game.run(seed=4, habit="careful", script=script, engine="native")
    assert one.journal_csv() == other.journal_csv() and one.story() == other.story()
    other.reconcile()
    assert one.statement("keeper.health", 10, 30) == other.statement("keeper.health", 10, 30)
    assert (one.result, one.ending, one.winner, one.time) == (other.result, other.ending, other.winner, other.time)
    with pytest.raises(mint.NotFound, match="no engine 'nativ', did you mean 'native'"):
        game.run(engine="nativ")  # type: ignore[arg-type]


def test_a_run_that_stops_is_told_by_either_engine() -> None:
    game = mint.loads("mint_ledger: 1\nstats: {n: 1}\nrules: [{when: {every: 1}, do: ['n = 1 / (2 - time)']}]\n")
    for engine in ("native", "reference"):
        with pytest.raises(mint.RunStopped, match="division by zero"):
            game.run(engine=engine)  # type: ignore[arg-type]


ANTS = """
clock: {step: 0.5, limit: 4}
stats: {many: 0, all_in_all: 0, least: 0, most: 0, some: 0, every: 0}
kinds: {ant: {copies: 5, stats: {h: {start: 1, min: -9}}, gone_if: h <= 0}}
rules:
  - {name: grow, when: start, do: ["ant[2].h = 2", "ant[3].h = 3", "ant[4].h = 4", "ant[5].h = 5"]}
  - {name: bite, when: {every: 1.5}, do: [{each: ant, do: [ant.h -= 3]}]}
  - name: look
    when: {every: 1}
    do:
      - many = count(ant)
      - all_in_all = total(ant.h)
      - least = lowest(ant.h)
      - most = highest(ant.h)
      - some = any(ant.h < 2)
      - every = all(ant.h < 2)
"""


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_those_who_left_are_not_counted(engine: str) -> None:
    """1, 2, 3, 4 and 5; three less after 1.5 s, when the first three leave; and none from 3 s on."""
    game = mint.loads(ANTS)
    journal = game.run(engine=engine).journal  # type: ignore[arg-type]
    looks = journal[journal["cause"] == "look"]
    found = [looks.loc[looks["time"] == time, "after"].tolist() for time in (1, 2, 3, 4)]
    assert found == [[5, 15, 1, 5, 1, 0], [2, 3, 1, 2, 1, 0], [0, 0, 0, 0, 0, 1], [0, 0, 0, 0, 0, 1]]
    assert_same(game.lowered, None, runs=(0,))


def is_due(context: Context, step: int, when: float) -> bool:
    """Whether a time is due in a step, as the method says it."""
    time = step / context.steps_per_second if context.is_whole else step * context.step_length
    return bool(time - when >= context.tolerance)


def test_the_step_of_a_due_time_is_the_first_later_one_in_which_it_is_due() -> None:
    text = "\n".join([*INTRINSICS, seconds_function(), due_function().replace("define internal", "define"), *WEIGHTS])
    loaded = machine.Machine(object_code(text, thorough=True))
    types = (ctypes.c_void_p, ctypes.c_double, ctypes.c_int64)
    due_step = ctypes.CFUNCTYPE(ctypes.c_int64, *types)(loaded.address("due_step"))
    rng = random.Random(3)
    tried = 0
    for length in (0.05, 0.07, 0.3, 1.0, 7.3, 0.0125, 0.001):
        clock = f"{{step: {length}, limit: {4_000_000 * length}}}"
        game = mint.loads(f"{{mint_ledger: 1, clock: {clock}, stats: {{a: 1}}}}")
        context = NativePlayer(make_code(game.lowered.program), seed=1).context
        for _ in range(3_000):
            now = rng.choice([0, 1, 5, 4_096, 999_998, rng.randrange(2_000_000)])
            step = now + rng.choice([1, 1, 2, 3, 40, 10_000, rng.randrange(1, 1_000_000)])
            # On a step and about where it is just due: by itself, its neighbors, and as a sum of many.
            when = (step + rng.choice([0.0, -1e-6, 1e-6, -1.1e-6, 1e-7, 0.5, rng.random()])) * length
            when = rng.choice([when, math.nextafter(when, 0.0), math.nextafter(when, math.inf), sum([when / 7] * 7)])
            if is_due(context, now, when):
                continue
            first = next(k for k in range(max(now + 1, step - 3), step + 4) if is_due(context, k, when))
            assert first == now + 1 or not is_due(context, first - 1, when)
            assert due_step(ctypes.addressof(context), when, now) == first
            tried += 1
    assert tried > 15_000
