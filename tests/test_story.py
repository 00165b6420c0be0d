"""The words of the books, read as a designer would."""

from __future__ import annotations

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.journal.wording import decimals, number, signed
from mint_ledger.views.check_text import order_text

GAME = """
title: Larder
clock: {step: 0.1, limit: 20}
stats: {crumbs: {start: 5, min: 0, whole: true}, lamp: true, mood: {one_of: [calm, cross]}}
kinds:
  cook: {side: a, label: the cook, stats: {health: {start: 9, min: 0, max: 9, recover: {rate: 0.5, after: 2}}, wits: 3}}
  mouse: {side: b, copies: 2, room: 2, stats: {health: {start: 2, min: 0}}, gone_if: health <= 0}
attacks:
  nibble: {from: mouse, to: cook, damage: 2.5, type: teeth}
  ladle: {from: cook, to: mouse, damage: 3}
rules:
  - {name: sweeps, when: {cue: broom}, do: [crumbs -= cue.strokes, lamp = false, mood = cross, {tell: "{crumbs} crumbs, mood {mood}, lamp {lamp}, first {mouse[1].health} of {cook}"}]}
  - {name: more mice, when: {cue: night}, do: [{spawn: mouse}]}
endings: {clean: {result: win, if: crumbs <= 0}}
readout: ["Crumbs {crumbs}", {bar: cook.health}, "Lamp {lamp}, mood {mood}"]
"""


def play(*script: dict) -> mint.Run:
    return mint.loads(GAME).run(script=list(script))


def told(run: mint.Run, **options: object) -> list[str]:
    from mint_ledger.views.story import story_text

    text = story_text(run, **options)  # type: ignore[arg-type]
    return text.split("\n\n")[1].splitlines() if "\n\n" in text else text.splitlines()


def test_a_hit_reads_as_who_whom_with_what_and_what_it_changed() -> None:
    run = play({"at": 1, "hit": "cook", "with": "nibble", "by": "mouse[2]"})
    assert told(run)[:2] == [
        "   1.00  mouse[2] hits cook (nibble): 2.5 damage",
        "           cook.health               9 → 6.5          −2.5",
    ]


def test_a_defeat_is_told_with_what_was_wasted_and_by_whom() -> None:
    run = play({"at": 1, "hit": "mouse[1]", "with": "ladle"})
    assert told(run)[:3] == [
        "   1.00  cook hits mouse[1] (ladle): 3 damage",
        "           mouse[1].health           2 → 0              −2  1 wasted",
        "   1.00  mouse[1] is gone (gone_if, by cook)",
    ]


def test_only_damage_that_is_drawn_is_rolled() -> None:
    drawn = GAME.replace("damage: 3", 'damage: "whole(3, 3)"')
    run = mint.loads(drawn).run(script=[{"at": 1, "hit": "mouse[1]", "with": "ladle"}])
    assert told(run)[0] == "   1.00  cook hits mouse[1] (ladle): rolled 3"


def test_what_appears_where_it_opens_is_not_told_as_a_change() -> None:
    text = """
title: Gulls
clock: {step: 0.5, limit: 3}
space: {}
kinds: {gull: {where: [0, 0], copies: 0, room: 2, stats: {zeal: 3}}}
rules: [{name: lands, when: {every: 2}, do: [{spawn: gull, where: [0, 3]}]}]
"""
    run = mint.loads(text).run()
    assert told(run)[:3] == [
        "   2.00  gull[1] appears",
        "   2.00  lands",
        "           gull[1].y                 0 → 3              +3",
    ]
    texts = run.journal[run.journal["what"] == "posting"]["text"].tolist()
    assert "gull[1].zeal opens at 3" in texts


def test_cues_tellings_flags_and_words() -> None:
    run = play({"at": 1, "cue": "broom", "with": {"strokes": 2}})
    lines = told(run)
    assert "   1.00  cue broom (2)" in lines
    assert "           lamp                    yes → no" in lines
    assert "           mood                   calm → cross" in lines
    assert any("3 crumbs, mood cross, lamp no, first 2 of cook" in line for line in lines)


def test_rounding_is_told_apart_from_waste() -> None:
    run = play({"at": 1, "cue": "broom", "with": {"strokes": 1.4}})
    assert any("rounded from −1.4" in line for line in told(run))


def test_flows_a_full_room_and_the_end() -> None:
    run = play(
        {"at": 1, "hit": "cook", "with": "nibble", "by": "mouse[1]"},
        {"at": 2, "cue": "night"},
        {"at": 12, "set": "crumbs = 0"},
    )
    lines = told(run)
    assert "   8.00    cook.health             6.5 → 9            +2.5  recover since 3.00" in lines
    assert "   2.00  no room for one more mouse" in lines
    assert lines[-1] == "  12.00  win: clean"
    assert run.story().endswith("  Crumbs 0\n  cook.health  ████████████████████████  9 of 9\n  Lamp yes, mood calm")


def test_a_story_can_be_cut_to_a_time_and_to_a_name() -> None:
    run = play(
        {"at": 1, "hit": "cook", "with": "nibble", "by": "mouse[1]"}, {"at": 2, "hit": "mouse[2]", "with": "ladle"}
    )
    assert all("mouse[2]" in line for line in told(run, only=["mouse[2]"], end=5))
    assert told(run, start=1.5, end=2.5)[0].startswith("   2.00")
    assert not any("nibble" in line for line in told(run, start=1.5))


def test_the_same_run_as_a_statement() -> None:
    run = play({"at": 1, "hit": "cook", "with": "nibble", "by": "mouse[1]"}, {"at": 4, "set": "cook.health += 9"})
    lines = [" ".join(line.split()) for line in str(run.statement("cook.health")).splitlines()[1:]]
    assert lines == [
        "opening 9.0",
        "+ recover 1 change 0.5",
        "+ script 1 change 2.0 (7 wasted above the cap)",
        "− nibble 1 change −2.5",
        "closing 9.0",
    ]
    table = run.statement("cook.health").table()
    assert list(table["cause"]) == ["recover", "script", "nibble"]
    assert table["total"].sum() == 0


@pytest.mark.parametrize(
    ("value", "text"),
    [
        (0, "0"),
        (-0.0, "0"),
        (12, "12"),
        (2.50, "2.5"),
        (-7.126, "−7.13"),
        (0.001, "0.001"),
        (1e12, "1e+12"),
        (float("inf"), "∞"),
    ],
)
def test_numbers_are_short_and_have_a_real_minus(value: float, text: str) -> None:
    assert number(value) == text


def test_changes_always_have_their_sign() -> None:
    assert [signed(3), signed(-3), signed(0)] == ["+3", "−3", "0"]


def test_as_many_decimals_as_are_needed() -> None:
    assert [decimals([1, 2]), decimals([1.5, 2]), decimals([1.25]), decimals([1 / 3])] == [0, 1, 2, 3]


def test_the_firing_order_names_everything_with_its_line() -> None:
    game = mint.loads(GAME)
    lines = order_text(game, game.lowered.program).splitlines()
    assert "  line 12   sweeps (cue broom)" in lines
    assert "  line 14   clean: win if crumbs <= 0" in lines
    assert "  line 6    cook.health.recover" in lines


def test_a_plot_of_words_flags_and_bands(demo: mint.Game) -> None:
    run = play({"at": 1, "cue": "broom", "with": {"strokes": 2}})
    mood, lamp = run.plot(["mood", "lamp"]).axes
    assert [label.get_text() for label in mood.get_yticklabels()] == ["calm", "cross"]
    assert [label.get_text() for label in lamp.get_yticklabels()] == ["no", "yes"]
    standing = demo.run(seed=7, habit="careful").plot(["keeper.standing"]).axes[0]
    assert {"plain", "honoured"} <= {text.get_text() for text in standing.texts}
    with pytest.raises(mint.NotFound, match="room for 6 accounts"):
        demo.run(seed=7).plot(["keeper.health"] * 7)


def test_strikes_that_are_refused_alike_in_one_step_are_counted_and_few_are_told_singly() -> None:
    game = """
title: Quay
clock: {step: 0.1, limit: 1}
kinds:
  vendor: {stats: {pies: {start: 9, min: 0}}, when_hit: {through: [pies], safe_for: 0.3}}
  gull: {copies: 5, stats: {hunger: 1}}
  crow: {copies: 2, stats: {hunger: 1}}
attacks:
  snatches: {from: gull, to: vendor, damage: 1, when: {every: 1}}
  pecks: {from: crow, to: vendor, damage: 1, when: {every: 1}}
"""
    run = mint.loads(game).run()
    story = run.story()
    # The first gull makes the vendor safe: four more are counted, the two crows have a line each.
    assert "  1.00  4 of gull cannot strike vendor with snatches: safe after the last hit\n" in story
    assert [f"crow[{copy}] cannot strike vendor with pecks" in story for copy in (1, 2)] == [True, True]
    assert len(run.journal[run.journal["what"] == "blocked"]) == 6


@pytest.mark.parametrize("name", ["kepper", "-o", "keeper.helth", "crab[9]", "pincr"])
def test_a_name_that_nothing_has_is_refused_and_no_empty_story(name: str, command: Command) -> None:
    told = command("run", mint.demo_path(), f"--only={name}")
    assert told.returncode == 2 and not told.stdout
    assert f"nothing in the game is called '{name}'" in told.stderr


@pytest.mark.parametrize(
    "name", ["keeper", "crab", "crab[1]", "keeper.health", "crab.health", "health", "pincer", "hit"]
)
def test_every_sort_of_name_is_known(name: str, command: Command) -> None:
    told = command("run", mint.demo_path(), "--only", name, "--to", 5)
    assert told.returncode == 0, told.stderr
