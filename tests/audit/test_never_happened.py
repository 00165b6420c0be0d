from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Potter
clock: {step: 0.5, limit: 30}
stats: {pots: {start: 0, min: 0, whole: true}}
rules:
  - {name: a pot is thrown, when: {every: 5}, do: [pots += 1]}
  - {name: the tenth pot, when: {becomes: pots >= 10}, do: [{tell: "ten!"}]}
endings: {a shelf full: {result: win, if: pots >= 4}}
"""


def test_never_happened_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("pots >= 10", "pots >= 3")
    finding = only_in_the_first(FAULTY, fixed, "never-happened", runs=3)
    assert "in none of 3 runs" in finding.caught.what
    assert finding.caught.where == "the tenth pot"
    assert "tenth" in line_of(FAULTY, finding)


def test_an_attack_an_action_and_a_band_that_never_come_are_named() -> None:
    text = """
title: Idle
clock: {step: 0.5, limit: 10}
kinds:
  guard:
    side: wall
    stats: {calm: {start: 5, min: 0, max: 9, whole: true, bands: {upset: 0..3, calm: 4..9}}}
    rules: [{name: breathes, when: {every: 1}, do: [calm += 1]}]
  goat: {stats: {health: 9}}
attacks: {poke: {from: guard, to: goat, damage: 1}}
actions: {nap: {by: guard, needs: calm < 2, do: [calm += 1]}}
habits: {dull: {by: guard, reaction: 1, acts: [{do: nap}]}}
"""
    names = {finding.caught.where for finding in found(text, "never-happened", 2)}
    assert names == {"poke", "nap", "guard.calm upset"}


PLAYERS = """
title: Forge
clock: {step: 0.5, limit: 20}
kinds:
  smith: {stats: {heat: {start: 5, min: 0, max: 9}}}
  boy: {stats: {coal: {start: 0, min: 0}}}
actions:
  hammer: {by: smith, do: [heat -= 1]}
  blow: {by: smith, do: [heat += 1]}
  fetch: {by: boy, do: [coal += 1]}
habits:
  busy: {by: smith, reaction: 1, acts: [{do: hammer, if: heat > 3}]}
  quick: {by: boy, reaction: 0.5, acts: [{do: fetch}]}
endings:
  molten: {result: lose, if: smith.heat >= 8}
  stocked and cold: {result: win, if: boy.coal >= 30 and smith.heat <= 3}
  hot: {result: draw, if: smith.heat >= 9 and boy.coal >= 900}
"""


def test_players_besides_the_habits_show_what_can_be_reached() -> None:
    notes = {finding.caught.where: finding for finding in found(PLAYERS, "never-happened", 5)}
    # Neither habit alone comes to these: one who acts at once does, and both habits together.
    assert notes["molten"].grade == "note"
    assert "one who acts at" in notes["molten"].caught.evidence[1]
    assert notes["stocked and cold"].caught.evidence[1] == "'busy + quick' came to it"
    # Nobody at all comes to this.
    assert notes["hot"].grade == "maybe"
    assert "nor in" in notes["hot"].caught.evidence[1]
    # What no habit chooses is done by others, and worth a note alone.
    assert notes["blow"].grade == "note"
