"""Games with very many rules: what is alike is compiled once, and plays as it would apart."""

from __future__ import annotations

import numpy as np
import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.engines.native import alike
from mint_ledger.engines.native.compiling import module_text
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.studies.block import NativeBlocks, ReferenceBlocks, block_of
from mint_ledger.studies.request import StudyRequest, prepare_game

COUNT = 130


def bells_text(count: int) -> str:
    """Bells that ring in turn; some count, some are lost, some listen to others."""
    rules = []
    for i in range(count):
        every = 1 + i % 7 / 2
        match i % 5:
            case 0:
                rules.append(f"{{when: {{every: {every}}}, if: 'x > {i}', do: [x += {i % 4}]}}")
            case 1:
                rules.append(f"{{when: {{every: 'between({every}, {every + 2})'}}, do: [y -= {i}, {{cue: c{i % 3}}}]}}")
            case 2:
                rules.append(f"{{when: {{becomes: 'x > {i}'}}, do: [y += {i} / 3]}}")
            case 3:
                rules.append(f"{{when: {{cue: c{i % 3}}}, if: 'chance({0.3 + i / 1000})', do: [z += x / {i}]}}")
            case _:
                rules.append(
                    f"{{when: {{every: 9, first: {1 + i / 9}}}, if: 'x != {i}', do: [x += y / {1000 + i}, z += 1]}}"
                )
    lines = "".join(f"  - {{name: bell {i}, {rule[1:]}\n" for i, rule in enumerate(rules))
    return f"clock: {{limit: 20}}\nstats: {{x: 0, y: 0, z: 0}}\nrules:\n{lines}"


def bells(count: int) -> mint.Game:
    return mint.loads(bells_text(count))


@pytest.fixture(scope="module")
def many() -> mint.Game:
    return bells(COUNT)


def test_many_rules_play_the_same_in_both_engines(many: mint.Game) -> None:
    assert_same(many.lowered, None)


@pytest.mark.parametrize("fewest", [2, *(pytest.param(n, marks=pytest.mark.night) for n in (3, 10**6))])
def test_what_is_compiled_once_plays_as_what_is_compiled_apart(
    many: mint.Game, fewest: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    program = many.lowered.program
    journals = []
    for thorough in (False, True):
        monkeypatch.setitem(alike.FEWEST, "thorough" if thorough else "quick", fewest)
        player = NativePlayer(make_code(program, thorough=thorough), seed=4)
        journals.append(player.journal(0))
    monkeypatch.undo()

    assert journals[0] == journals[1] == NativePlayer(make_code(program), seed=4).journal(0)
    assert len(journals[0]) > COUNT


def test_what_has_to_be_compiled_grows_little_with_each_rule() -> None:
    few, more = (module_text(bells(count).lowered.program)[0].count("\n") for count in (COUNT, 2 * COUNT))

    # Apart, a rule has some three hundred lines.
    assert (more - few) / COUNT < 60


def test_no_routine_grows_with_the_rules_without_end(many: mint.Game) -> None:
    text, _ = module_text(many.lowered.program)
    lines = [routine.count("\n") for routine in text.split("\n}\n")]

    # Some ten lines a rule: the step's look at each, and the calls of its part of an opening.
    assert max(lines) < 25 * COUNT


def test_numbers_that_cannot_be_handed_keep_routines_apart() -> None:
    routine = """define internal i32 @p{i}(ptr noalias %s) {{
entry:
  %v1 = load double, ptr %s
  %v2 = fptosi double %v1 to i64
  switch i64 %v2, label %b1 [ i64 {i}, label %b2 ]
b1:
  ret i32 0
b2:
  store double 0.0, ptr %s
  br label %b1
}}"""
    texts = [routine.format(i=i) for i in range(5)]

    assert alike.shared(texts, 3) == texts


MANY_STATS = """
clock: {{limit: 12}}
kinds:
  bell:
    copies: 2
    stats:
{stats}
    rules:
{rules}
actions: {{ring: {{by: bell, needs: s3 > 1, do: [s3 -= 1, s4 += 2]}}}}
habits: {{ringer: {{by: bell, reaction: 0.7, acts: [{{do: ring}}]}}}}
"""


@pytest.mark.parametrize("many", [7, pytest.param(60, marks=pytest.mark.night)])
def test_very_many_stats_of_copies_play_and_add_up_the_same_in_both_engines(many: int) -> None:
    stats = "".join(
        f"      s{i}: {{start: {i % 9}, min: 0, max: {i % 9 + 8}, recover: {{rate: {1 + i % 3}, after: 0.{i % 7}}}}}\n"
        for i in range(many)
    )
    rules = "".join(
        f"      - {{name: r{i}, when: {{every: {1 + i % 4}}}, do: [s{i} -= {i % 6}]}}\n" for i in range(many)
    )
    text = MANY_STATS.format(stats=stats.rstrip("\n"), rules=rules.rstrip("\n"))
    game = mint.loads(text)
    assert_same(game.lowered, "ringer")
    accounts = tuple(f"bell[{1 + i % 2}].s{i}" for i in (0, 3, 4, many // 2 + 1, many - 1))
    request = StudyRequest(text, "bells", 7, habit="ringer", accounts=accounts, sampled=accounts, times=(0.5, 3, 11.9))
    prepared = prepare_game(game, request)
    for thorough in (False, True):
        native = NativeBlocks(prepared, make_code(prepared.lowered.program, thorough=thorough)).block(0, 6)
        reference = ReferenceBlocks(prepared).block(0, 6)
        assert np.array_equal(native.sums, reference.sums)
        assert np.array_equal(native.samples, reference.samples, equal_nan=True)


def test_routines_that_call_themselves_or_each_other_stay_apart() -> None:
    routine = """define internal i32 @p{i}(ptr noalias %s) {{
entry:
  %v1 = getelementptr double, ptr %s, i64 {i}
  %v2 = load double, ptr %v1
  %v3 = getelementptr double, ptr %s, i64 7
  store double %v2, ptr %v3
  %v4 = call i32 @p{j}(ptr %s)
  ret i32 %v4
}}"""
    itself = [routine.format(i=i, j=i) for i in range(4)]
    each_other = [routine.format(i=i, j=(i + 1) % 4) for i in range(4)]

    assert alike.shared(itself, 3) == itself
    assert alike.shared(each_other, 3) == each_other


def test_numbers_and_callees_that_differ_are_handed_over() -> None:
    leaf = """define internal i32 @p{i}(ptr noalias %s) {{
entry:
  %v1 = add i64 {i}, {slot}
  %v2 = getelementptr double, ptr %s, i64 %v1
  %v3 = getelementptr double, ptr %s, i64 {slot}
  store double 0x40{i:02}000000000000, ptr %v2
  store double 0x4000000000000000, ptr %v3
  store double 0x4000000000000000, ptr %v3
  ret i32 {code}
}}"""
    texts = [leaf.format(i=i, slot=70 + i, code=0) for i in range(4)]
    texts.append("define internal i32 @top(ptr noalias %s) {\nentry:\n  %v1 = call i32 @p2(ptr %s)\n  ret i32 %v1\n}")

    one, top = alike.shared(texts, 3)

    assert one.startswith("define internal i32 @alike0(ptr noalias %s, i64 %n0, i64 %n1, double %n2) noinline {")
    assert "%v1 = add i64 %n0, %n1\n" in one
    assert "ptr %s, i64 %n1\n" in one
    assert "store double 0x4000000000000000" in one
    assert "call i32 @alike0(ptr %s, i64 2, i64 72, double 0x4002000000000000)" in top


def test_runs_of_a_block_that_are_played_apart_add_up_as_in_one_go(many: mint.Game) -> None:
    asked = [
        (many, StudyRequest(bells_text(COUNT), "bells", 7, accounts=("x", "z"), sampled=("y",), times=(0.5, 9))),
        (
            mint.loads(demo_text()),
            StudyRequest(demo_text(), "demo", 7, habit="careful", accounts=("keeper.health",), times=(1, 300)),
        ),
    ]
    for game, request in asked:
        prepared = prepare_game(game, request)
        blocks = NativeBlocks(prepared, make_code(prepared.lowered.program))
        whole = blocks.block(100, 50)
        apart = block_of(prepared, [blocks.part(100, 20), blocks.part(120, 1), blocks.part(121, 29)])

        for name in ("ending", "winner", "steps", "level", "sums", "samples"):
            assert np.array_equal(getattr(apart, name), getattr(whole, name), equal_nan=True), name
        assert {name: v.tolist() for name, v in apart.measures.items()} == {
            name: v.tolist() for name, v in whole.measures.items()
        }
        assert apart.visited == whole.visited
