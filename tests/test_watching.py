"""Conditions are watched where something was posted; where none can have changed, machine code knows it without looking."""

from __future__ import annotations

import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.engines.native.context import SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.facts.pieces import pieces_of
from mint_ledger.facts.watching import idle_rounds
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st

BAKERY = """
clock: {{step: 0.5, limit: 20}}
stats: {{tally: 0}}
kinds:
  baker:
    stats:
      oven: {{start: 0, min: 0, max: 100, recover: {{rate: 10}}}}
      loaves: 0
      burnt: 0
    rules:
      - {{name: hot, when: {{becomes: "{condition}"}}, do: [burnt += 1]}}
      - {{name: count, when: {{every: {every}}}, do: [loaves += 1]}}
"""


def rows_of_change(game: mint.Game, engine: str) -> list[tuple[float, str]]:
    journal = game.run(engine=engine).journal  # type: ignore[arg-type]
    changed = journal[journal["stat"].isin(["burnt", "loaves"])]
    return list(zip(changed["time"].astype(float), changed["stat"], strict=True))


@pytest.mark.parametrize("every", [4.5, 5, 5.5, 0.5, 7])
def test_what_time_makes_true_is_seen_where_something_else_is_posted_in_that_very_step(every: float) -> None:
    """The oven passes 50 by flow after 5 s; loaves, which no condition asks for, are counted before flows are looked
    at. Where both fall into one step, the rule that counts sees it first.
    """
    game = mint.loads(BAKERY.format(condition="oven >= 50", every=every))
    for engine in ("reference", "native"):
        rows = rows_of_change(game, engine)
        assert rows.count((5.0, "burnt")) == 1
        assert [stat for _, stat in rows].count("burnt") == 1
        if (5.0, "loaves") in rows:
            assert rows.index((5.0, "loaves")) < rows.index((5.0, "burnt"))
    assert_same(game.lowered, None)


@pytest.mark.parametrize(
    "condition", ["loaves >= 3", "loaves + tally >= 3", "oven + loaves >= 53", "time >= 5", "burnt == 0"]
)
def test_conditions_on_what_is_posted_on_time_and_on_both_are_the_same_in_both_engines(condition: str) -> None:
    assert_same(mint.loads(BAKERY.format(condition=condition, every=1)).lowered, None)


HEARTHS = """
clock: {limit: 3}
stats: {sparks: 0}
kinds: {hearth: {copies: 100, stats: {ash: 0}, rules: [{name: full, when: {becomes: ash >= 9}, do: [sparks -= 1]}], gone_if: ash >= 20}}
rules:
  - {name: go, when: {every: 1}, do: [CUES]}
  - {name: spark, when: {cue: crackle}, do: [sparks += 1]}
"""


def test_what_is_not_watched_is_counted_as_work_all_the_same() -> None:
    """Sixty settlings, in each of which two hundred conditions would be looked at."""
    game = mint.loads(HEARTHS.replace("CUES", ", ".join(["{cue: crackle}"] * 60)))
    program = game.lowered.program
    code = make_code(program)
    step = round(1 / game.lowered.program.clock.step)
    work = {}
    for skips in (SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS):
        player = NativePlayer(code, skips=skips)
        player.play(until_step=step)
        work[skips] = int(player.context.work)
    assert work[SKIP_NOTHING] > 60 * 200
    # Parts that are quiet are passed over, a few hundred rounds of loops in all.
    assert work[SKIP_NOTHING] - 1_000 < work[SKIP_PARTS] <= work[SKIP_NOTHING]
    assert work[SKIP_STEPS] == work[SKIP_PARTS]
    assert idle_rounds(program.procedures[parts.WATCH].body) == 100
    assert idle_rounds(program.procedures[parts.WATCH_GONE].body) == 100
    assert_same(game.lowered, None, runs=(0,))


def test_work_that_depends_on_the_state_is_not_known() -> None:
    inner = st.Each(1, ((0, 4),), (st.Leave("each"),))
    call = st.Call(parts.WATCH, ())
    assert idle_rounds((st.Each(0, ((0, 3), (5, 2)), (st.Let(2, ex.ONE),)), st.Let(3, ex.ONE))) == 5
    assert idle_rounds((st.Each(0, ((0, 3),), (inner,)),)) is None
    assert idle_rounds((st.Each(0, (), (), ex.ONE),)) is None
    assert idle_rounds((call,)) is None
    assert idle_rounds((st.Each(0, ((0, 3),), (st.If(ex.ONE, (call,)),)),)) == 3


def test_conditions_that_ask_for_all_others_are_the_same_in_both_engines() -> None:
    game = mint.loads(
        "clock: {limit: 9}\nkinds: {owl: {copies: 3, stats: {ash: 0}, rules: [{name: full, when: {becomes: "
        "any(owl.ash > self.ash + 1)}, do: [ash += 2]}]}}\n"
        "rules: [{name: r, when: {every: 1}, do: [{each: owl, do: [owl.ash += chance(0.5)]}]}]\n"
    )
    assert_same(game.lowered, None)


def test_a_run_that_ends_in_a_settling_ends_at_once() -> None:
    game = mint.loads(
        BAKERY.format(condition="oven >= 50", every=1) + "endings: {over: {result: lose, if: baker.burnt >= 1}}\n"
    )
    assert game.run().time == 5.0
    assert_same(game.lowered, None)


DOMINOES = """
clock: {step: 0.5, limit: 6}
stats: {fallen: 0, echo: 0}
kinds:
  tile:
    copies: 3
    stats: {lean: 0, weight: 5}
    gone_if: lean >= 9
    rules:
      - {name: topples, when: {becomes: lean >= 5}, do: [fallen += 1]}
      - {name: lands, when: gone, do: [fallen += 10]}
  bell:
    stats: {rung: 0}
    rules:
      - {name: one, when: {becomes: fallen >= 1}, do: ["tile[2].lean += 7"]}
      - {name: two, when: {becomes: fallen >= 2}, do: ["tile[2].lean += 7", rung += 1]}
      - {name: three, when: {becomes: fallen >= 12}, do: [rung += 1]}
rules:
  - {name: push, when: {every: 2}, do: ["tile[1].lean += 6"]}
"""


def test_what_sets_off_the_next_while_conditions_are_watched_is_seen_in_the_same_step() -> None:
    """At 2 s tile 1 topples (1), so bell one pushes tile 2, which topples (2); so bell two pushes it again to 14 and it
    is gone (12), so bell three rings. At 4 s tile 1 stands at 12 and is gone (22).
    """
    game = mint.loads(DOMINOES)
    for engine in ("reference", "native"):
        journal = game.run(engine=engine).journal  # type: ignore[arg-type]
        fallen = journal[journal["stat"] == "fallen"]
        seen = list(zip(fallen["time"].astype(float), fallen["after"].astype(float), strict=True))
        assert [row for row in seen if row[0] > 0] == [(2.0, 1.0), (2.0, 2.0), (2.0, 12.0), (4.0, 22.0)]
        rung = journal[(journal["stat"] == "rung") & (journal["time"] > 0)]
        assert list(rung["time"].astype(float)) == [2.0, 2.0]
    assert_same(game.lowered, None)


def test_where_nothing_is_to_be_left_out_no_piece_sleeps() -> None:
    program = mint.loads(DOMINOES).lowered.program
    player = NativePlayer(make_code(program), skips=SKIP_NOTHING)
    player.play()
    assert not player.wakes[: len(pieces_of(program))].any()
