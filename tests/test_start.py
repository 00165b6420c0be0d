"""What accounts open with: formulas, with chance, in an order that lets each read what it needs."""

from __future__ import annotations

import pytest
from scipy import stats

import mint_ledger as mint

MOTHS = """
title: Moths
clock: {unit: turn, limit: 6}
stats: {wave: 3, glow: {start: wave * 2}}
kinds:
  moth:
    copies: 3
    room: 5
    stats:
      health: {start: max, min: 0, max: 10 * size}
      half: {start: max / 2, max: 30}
      size: {start: "whole(1, 4) + wave"}
rules:
  - {name: more, when: {every: 3}, do: [{spawn: moth}]}
  - {name: spent, when: {every: 2}, do: [{each: moth, do: [empty other.health]}]}
  - {name: filled, when: {every: 5}, do: [{each: moth, do: [fill other.half, other.half = other.size.start]}]}
"""


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_start_may_be_a_formula_that_reads_what_stands_below_it(engine: str) -> None:
    run = mint.loads(MOTHS).run(engine=engine)
    opening = run.at(0)
    assert opening["glow"] == 6
    for moth in ("moth[1]", "moth[2]", "moth[3]"):
        assert opening[f"{moth}.size"] in (4, 5, 6, 7)
        assert opening[f"{moth}.health"] == 10 * opening[f"{moth}.size"]
        assert opening[f"{moth}.half"] == 15
        assert run.at(5)[f"{moth}.half"] == opening[f"{moth}.size"]
    spawned = run.at(3)
    assert spawned["moth[4].health"] == 10 * spawned["moth[4].size"]
    run.reconcile()


def test_each_copy_draws_for_itself_and_as_the_formula_says() -> None:
    game = mint.loads(MOTHS)
    drawn = [int(game.run(3, run=k).at(0)[f"moth[{c}].size"]) for k in range(200) for c in (1, 2, 3)]
    counts = [drawn.count(size) for size in (4, 5, 6, 7)]
    assert stats.chisquare(counts).pvalue > 1e-4
    first, second = drawn[0::3], drawn[1::3]
    assert (
        stats.chi2_contingency(
            [
                [sum((a, b) == (i, j) for a, b in zip(first, second, strict=True)) for j in (4, 5, 6, 7)]
                for i in (4, 5, 6, 7)
            ]
        ).pvalue
        > 1e-4
    )
    study = game.study(400, seed=3, measures={"size": "closing(moth[1].size)"})
    assert study.estimate("mean(size)").interval(0.999)[0] <= 5.5 <= study.estimate("mean(size)").interval(0.999)[1]


def test_a_start_outside_its_limits_is_clamped_with_a_row() -> None:
    text = "kinds: {a: {stats: {h: {start: 4 + 4, max: 5}, w: {start: 9, max: 2 * 3}, n: {start: 0 - 2, min: 0}}}}"
    run = mint.loads(text + "\nclock: {limit: 1}").run()
    assert (run.at(0)["a.h"], run.at(0)["a.w"], run.at(0)["a.n"]) == (5, 6, 0)
    rows = run.journal[run.journal["cause"] == "limit"]
    names = rows["entity"] + "." + rows["stat"]
    assert sorted(zip(names, rows["after"] - rows["before"], rows["waste"], strict=True)) == [
        ("a.h", 0, 3),
        ("a.n", 0, -2),
        ("a.w", 0, 3),
    ]
    run.reconcile()


def test_each_visit_of_a_level_draws_anew_what_it_resets() -> None:
    text = """
    clock: {unit: turn, limit: 40}
    kinds: {a: {stats: {h: {start: "whole(1, 1000)", resets: level}, k: {start: "whole(1, 1000)"}}}}
    levels: {one: {until: level_time >= 1, next: two}, two: {until: level_time >= 1, next: one}}
    """
    run = mint.loads(text).run()
    assert len({run.at(turn)["a.h"] for turn in range(0, 40, 2)}) > 10
    assert len({run.at(turn)["a.k"] for turn in range(40)}) == 1


def test_a_place_may_be_drawn() -> None:
    text = """
    clock: {limit: 1}
    space: {}
    kinds: {wisp: {copies: 9, where: ["between(0, 10)", "5 + between(0, 1)"], faces: "whole(0, 3) * 90"}}
    """
    opening = mint.loads(text).run(seed=4).at(0)
    xs = [opening[f"wisp[{c}].x"] for c in range(1, 10)]
    assert len(set(xs)) == 9
    assert all(0 <= x < 10 for x in xs)
    assert {opening[f"wisp[{c}].faces"] for c in range(1, 10)} <= {0, 90, 180, 270}


def test_a_number_replaces_the_formula() -> None:
    game = mint.loads(MOTHS + "variants: {dim: {moth.size: 2}}\n")
    assert game.run(variant="dim").at(0)["moth[1].health"] == 20
    assert game.with_dials({"moth.size": 1, "moth.half": 3}).run().at(0)["moth[3].half"] == 3
    text = game.with_dials({"moth.size": 1}).to_yaml()
    assert mint.loads(text).run().at(0)["moth[2].size"] == 1
    own = mint.loads(MOTHS.replace("copies: 3", "copies: [{}, {size: 9}, {}]"))
    assert own.run().at(0)["moth[2].health"] == 90
    assert own.run().at(0)["moth[1].size"] in (4, 5, 6, 7)
    with pytest.raises(mint.NotFound, match="starts as a formula"):
        game.tune("moth.size", "1..4", runs=20)


@pytest.mark.parametrize(
    ("stats", "fault"),
    [
        ("h: {start: max}", "'h' has no max to start at"),
        ("h: {start: g}, g: {start: h}", "go round in a circle: a.h reads a.g reads a.h"),
        ("h: {start: g, max: 9}, g: {start: 1, max: h}", "round in a circle"),
        ("h: {start: h.start}", "round in a circle"),
        ("h: {start: b.g}", "reads b.g, which opens later than the kind 'a'"),
        ("h: {start: speed}", "unknown name 'speed'"),
        ("h: {start: 12, max: 9}", "starts at 12, above its max of 9"),
        ("h: {start: 'true and false', one_of: [x, y]}", "is yes or no; a word is wanted"),
        ("h: {start: \"'z' if 1 > 0 else 'x'\", one_of: [x, y]}", "'z' is not one of x, y"),
    ],
)
def test_a_start_that_cannot_be_worked_out_says_why(stats: str, fault: str) -> None:
    with pytest.raises(mint.GameError) as error:
        mint.loads(f"kinds: {{a: {{stats: {{{stats}}}}}, b: {{stats: {{g: 2}}}}}}")
    assert fault in str(error.value)


def test_a_word_may_be_drawn() -> None:
    text = "clock: {limit: 1}\nkinds: {a: {copies: 40, stats: {hue: {start: \"pick('red', 'blue')\", one_of: [red, blue]}}}}"
    run = mint.loads(text).run()
    words = mint.loads(text).lowered.program.words
    assert {words[int(value)] for name, value in run.at(0).items() if name.endswith(".hue")} == {"red", "blue"}
