"""Each mistake in every spelling of a gain, and beside it the honest game: a table of mistake × spelling × twin, all run.

What is counted is always `score`; how it is counted is spelled in each of the ways that a file has.
"""

from __future__ import annotations

from itertools import product

import pytest
from twins import found

# How one point is given: the step, and what the file has besides (rules, stats, lots).
SPELLINGS: dict[str, tuple[str, str, str, str]] = {
    "plain": ("score += 1", "", "", ""),
    "as a sum": ("score = score + 1", "", "", ""),
    "less a loss": ("score -= -1", "", "", ""),
    "under a condition": ("{if: time >= 0, do: [score += 1]}", "", "", ""),
    "by a worked out stat": ("score += unit", "", ", unit: {formula: 1}", ""),
    "by a cue": ("{cue: counts}", "  - {name: counted, when: {cue: counts}, do: [score += 1]}\n", "", ""),
    "by a cue with a value": (
        "{cue: counts, with: {by: 1}}",
        "  - {name: counted, when: {cue: counts}, let: {more: cue.by}, do: [score += more]}\n",
        "",
        "",
    ),
    "by a lot": ("{lot: gives}", "", "", "lots: {gives: {of: {one: {weight: 1, do: [score += 1]}}}}\n"),
    "for each": ("{each: keeper, do: [score += 1]}", "", "", ""),
}

HEAD = """
title: At the mill
clock: {step: 0.1, limit: 40}
stats: {score: {start: 0, min: 0MORE}STATS}
kinds:
  keeper: {side: us, stats: {health: {start: 60, min: 0}}}
"""
RATS = """  rat:
    side: wild
    copies: 4
    room: 8
    stats: {health: {start: 4, min: 0}}
    gone_if: health <= 0
    rules: [RAT]
attacks:
  broom: {from: keeper, to: rat, when: {every: 0.7}, damage: 2, lands: 0.9BROOM}
  trap: {from: keeper, to: rat, when: {every: 1.9}, damage: 4TRAP}
rules:
  - {name: more rats, when: {every: 1.5}, do: [{spawn: rat}]}
RULES"""
READOUT = 'readout: ["Score {score}"]\n'
LEVELS = """  rat: {side: wild, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0, rules: [RAT]}
attacks:
  broom: {from: keeper, to: rat, when: {every: 0.7}, damage: 2}
levels:
  loft: {present: {rat: 1}, until: count(rat) == 0LOFT}
  cellar: {present: {rat: 1}CELLAR}
endings: {clean: {result: win, if: level == cellar and count(rat) == 0}}
rules:
  - {name: a gleam, when: {every: 9}, do: [keeper.health += 0]}
RULES"""
PLATE = """  plate: {stats: {size: 1}, rules: [{name: points, when: WHEN, do: [POINT]}]}
rules:
  - {name: steps on it, when: {every: 4}, do: [{meet: [keeper, plate], for: 2}]}
RULES"""
HEAT = """rules:
  - {name: warms, when: {every: 0.5}, if: rising, do: [heat += 2]}
  - {name: cools, when: {every: 0.5}, if: not rising, do: [heat -= 2]}
  - {name: full, when: {becomes: heat >= TOP}, do: [rising = false]}
  - {name: empty, when: {becomes: heat <= LOW}, do: [rising = true]}
  - {name: points, when: {becomes: WHEN}, do: [POINT]}
RULES"""
JITTER = """rules:
  - {name: trembles, when: {every: 0.1}, do: ["heat += pick(-1, 1)"]}
  - {name: points, when: {becomes: heat >= 10}COOL, do: [POINT]}
RULES"""
EATS = """actions: {grinds: {by: keeper, cooldown: 1NEEDS, do: [TAKES, POINT]}}
habits: {busy: {by: keeper, reaction: 0.3, acts: [{do: grinds}]}}
rules:
  - {name: a gleam, when: {every: 9}, do: [keeper.health += 0]}
RULES"""


def counted(body: str, **slots: str) -> str:
    """A game with its slots filled; those that are not named are empty."""
    for slot in ("RAT", "BROOM", "TRAP", "LOFT", "CELLAR", "WHEN", "COOL", "NEEDS", "TAKES", "TOP", "LOW"):
        body = body.replace(slot, slots.get(slot, ""))
    return body


# The check, the faulty game, and the honest one; POINT is where the gain stands, which the game is spelled with.
MISTAKES: dict[str, tuple[str, str, str]] = {
    "in every step of a contact": (
        "once-in-every-step",
        counted(HEAD + PLATE, WHEN="{in_contact: keeper}"),
        counted(HEAD + PLATE, WHEN="{meets: keeper}"),
    ),
    "in every step of a condition": (
        "once-in-every-step",
        counted(HEAD + PLATE, WHEN="{while: time > 3}"),
        counted(HEAD + PLATE, WHEN="{becomes: time > 3}"),
    ),
    "lost with the level": (
        "lost-with-the-level",
        counted(HEAD + LEVELS, RAT="{name: a rat, when: {struck: any}, do: [POINT]}").replace(
            "MORE", ", resets: level"
        ),
        counted(HEAD + LEVELS, RAT="{name: a rat, when: {struck: any}, do: [POINT]}"),
    ),
    "lost by a rule of the level": (
        "lost-with-the-level",
        counted(HEAD + LEVELS, RAT="{name: a rat, when: {struck: any}, do: [POINT]}")
        + "  - {name: anew, when: {level: cellar}, do: [score = 0]}\n",
        counted(HEAD + LEVELS, RAT="{name: a rat, when: {struck: any}, do: [POINT]}"),
    ),
    "one way alone counts": (
        "defeat-not-counted",
        counted(HEAD + RATS, BROOM=", also: [{if: other.health <= 0, do: [POINT]}]"),
        counted(HEAD + RATS, RAT="{name: a rat, when: gone, do: [POINT]}"),
    ),
    "counted twice": (
        "counted-twice",
        counted(HEAD + RATS, RAT="{name: a rat, when: gone, do: [score += 1, POINT]}"),
        counted(HEAD + RATS, RAT="{name: a rat, when: gone, do: [POINT]}"),
    ),
    "hits for defeats": (
        "hits-for-defeats",
        counted(HEAD + RATS, BROOM=", also: [POINT]", TRAP=", also: [POINT]").replace(
            "more rats, when: {every: 1.5}", "no more, when: {every: 90}"
        )
        + "endings: {four: {result: win, if: score >= 4}}\n",
        counted(HEAD + RATS, RAT="{name: a rat, when: gone, do: [POINT]}").replace(
            "more rats, when: {every: 1.5}", "no more, when: {every: 90}"
        )
        + "endings: {four: {result: win, if: score >= 4}}\n",
    ),
    "up and down": (
        "fires-twice",
        counted(HEAD + HEAT, WHEN="9 < heat < 15", TOP="20", LOW="0"),
        counted(HEAD + HEAT, WHEN="heat > 9", TOP="20", LOW="0"),
    ),
    "to and fro": (
        "line-is-crossed-again",
        counted(HEAD + JITTER),
        counted(HEAD + JITTER, COOL=", cooldown: 2"),
    ),
    "with nothing left": (
        "gives-with-none",
        counted(HEAD + EATS, TAKES="grain -= 1"),
        counted(HEAD + EATS, TAKES="grain -= 1", NEEDS=", needs: grain >= 1"),
    ),
}


def spelled(game: str, spelling: str) -> str:
    """A game with its gain spelled so."""
    step, rules, stats, lots = SPELLINGS[spelling]
    game = game.replace("POINT", step).replace("RULES", rules).replace("MORE", "")
    game = game.replace("STATS", stats + ", heat: {start: 9, min: 0, max: 40}, rising: true, grain: {start: 3, min: 0}")
    return game + READOUT + lots


@pytest.mark.parametrize(("mistake", "spelling"), list(product(MISTAKES, SPELLINGS)))
def test_it_is_found_in_every_spelling_and_its_honest_twin_is_left_alone(mistake: str, spelling: str) -> None:
    name, faulty, honest = MISTAKES[mistake]
    assert found(spelled(faulty, spelling), name, 6), (mistake, spelling)
    assert not found(spelled(honest, spelling), name, 6), (mistake, spelling)
