"""Exact answers against closed forms, and sampled studies against exact answers."""

from __future__ import annotations

import json
import os
import secrets
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from hypothesis import HealthCheck, given, seed, settings
from random_games import games
from scipy import stats

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError, NotFound, RunStopped
from mint_ledger.exact import walk
from mint_ledger.studies.estimate import rate

MANY = int(os.environ.get("MINT_LEDGER_RANDOM_GAMES", "300"))

GAMBLER = """
title: The Toll Bridge
clock: {unit: turn, limit: 100000}
numbers: {luck: 0.45}
kinds:
  hauler:
    stats: {purse: {start: 3, min: 0, max: 10, whole: true}, crossings: 0}
    rules:
      - name: pays or earns
        when: {every: 1}
        do: [{if: chance(luck), do: [purse += 1], else: [purse -= 1]}, crossings += 1]
endings:
  broke: {result: lose, if: hauler.purse <= 0}
  rich: {result: win, if: hauler.purse >= 10}
targets:
  - {name: rarely rich, measure: rate(win), want: 0.1..0.2}
  - {name: soon over, measure: mean(time), want: ..10}
  - {name: of the purse, measure: mean(closing(hauler.purse)), want: 1..2}
"""
# A swing a second, of which 7 in 10 land; five that land fell the tree.
TREE = """
title: Tree
clock: {{step: {step}, limit: {limit}}}
kinds:
  tree: {{stats: {{bark: {{start: 5, min: 0}}}}, when_hit: {{through: [bark]}}}}
  axe: {{}}
attacks: {{chops: {{from: axe, to: tree, when: {{every: 1}}, lands: 0.7, damage: 1}}}}
endings: {{felled: {{result: win, if: tree.bark <= 0}}}}
"""
# Two take turns with a die; the first six wins.
SIXES = """
title: Sixes
clock: {unit: turn, limit: 5000}
kinds:
  caster: {copies: 2}
turns: ["caster[1]", "caster[2]"]
rules:
  - {name: a six, when: {every: 1}, if: "dice(1, 6) == 6", do: [{if: "whose == caster[1]", do: [{finish: first}], else: [{finish: second}]}]}
endings:
  first: {result: win}
  second: {result: lose}
"""


def test_the_gamblers_ruin_is_that_of_the_closed_form() -> None:
    exact = mint.loads(GAMBLER).exact()
    odds = 0.55 / 0.45
    wins = (1 - odds**3) / (1 - odds**10)
    assert exact.rate("win") == pytest.approx(wins, abs=1e-9)
    assert exact.rate("broke") == pytest.approx(1 - wins, abs=1e-9)
    assert exact.mean_time == pytest.approx(3 / 0.1 - 10 / 0.1 * wins, abs=1e-9)
    # The purse of 1 to 9; what nobody asks about (crossings) makes no states.
    assert exact.states == 9


@pytest.mark.parametrize("step", [0.05, 0.25, 1])
def test_swings_until_the_fifth_lands_are_negative_binomial(step: float) -> None:
    exact = mint.loads(TREE.format(step=step, limit=400)).exact()
    swings = stats.nbinom(5, 0.7, loc=5)  # swings in all: those that miss, and five
    assert exact.mean_time == pytest.approx(swings.mean(), abs=1e-9)
    for seconds in (5, 6, 9, 14):
        by_then = exact.chances[exact.times <= seconds + 1e-9].sum()
        assert by_then == pytest.approx(stats.nbinom.cdf(seconds - 5, 5, 0.7), abs=1e-9)
    assert exact.time_quantile(0.9) == swings.ppf(0.9)


def test_what_reaches_the_clocks_limit_is_unfinished() -> None:
    exact = mint.loads(TREE.format(step=0.5, limit=8)).exact()
    assert exact.rate("unfinished") == pytest.approx(stats.nbinom.sf(3, 5, 0.7), abs=1e-9)
    assert exact.rate("win") + exact.rate("unfinished") == pytest.approx(1, abs=1e-12)
    assert exact.times[-1] == 8


def test_players_who_take_turns_come_to_six_elevenths() -> None:
    exact = mint.loads(SIXES).exact()
    assert exact.rate("first") == pytest.approx(6 / 11, abs=1e-9)
    assert exact.mean_time == pytest.approx(6, abs=1e-9)
    assert exact.states <= 3


def test_damage_of_dice_comes_to_the_convolution() -> None:
    exact = mint.loads(
        """
title: Dough
clock: {unit: turn, limit: 100}
kinds: {baker: {stats: {dough: {start: 20, min: 0, whole: true}}}}
rules:
  - {name: kneads, when: {every: 1}, let: {strength: "dice(2, 4) + pick(0, 1, 3)"}, if: strength > 3, do: [baker.dough -= strength]}
endings: {kneaded: {result: win, if: baker.dough <= 0}}
"""
    ).exact()
    dice = np.convolve(np.full(4, 1 / 4), np.full(4, 1 / 4))  # of 2 to 8
    strength = np.zeros(12)
    for more in (0, 1, 3):
        strength[2 + more : 9 + more] += dice / 3
    strength[0], strength[:4] = strength[:4].sum(), [strength[:4].sum(), 0, 0, 0]
    dough, left, mean = np.eye(21)[20], 1.0, 0.0
    for turn in range(1, 101):
        hit = np.zeros(21)
        for points, chance in enumerate(strength):
            for value in range(1, 21):
                hit[max(value - points, 0)] += dough[value] * chance
        mean += turn * hit[0]
        left -= hit[0]
        dough = hit * (np.arange(21) > 0)
    assert exact.mean_time == pytest.approx(mean + 100 * left, abs=1e-9)


# Statuses, cooldowns, layers, safe time, a habit, spawning, flows, levels and random aims, all of few values.
WORKSHOP = """
title: Clay Workshop
clock: {step: 0.5, limit: 40}
stats: {pots: {start: 0, min: 0, max: 3, whole: true}}
kinds:
  potter:
    side: bench
    stats:
      calm: {start: 4, min: 0, max: 4, whole: true}
      clay: {start: 3, min: 0, max: 3, recover: {rate: 1, after: 1}}
    when_hit: {safe_for: 1, dodge: 0.25, through: [calm]}
  imp:
    side: mischief
    stats: {health: {start: 2, min: 0, whole: true}}
    gone_if: health <= 0
    rules: [{name: back again, when: gone, chance: 0.5, do: [{cue: returns}]}]
attacks:
  tease: {from: imp, to: potter, when: {every: 1.5, first: 1}, lands: 0.6, damage: "whole(1, 2)", also: [{give: flustered, to: other}]}
  shoo: {from: potter, to: imp, aims: random, damage: 1, crit: {chance: 0.2, times: 2}}
statuses:
  flustered: {lasts: 1.5, blocks: [throw], again: restart}
actions:
  throw: {by: potter, costs: {clay: 2}, lasts: 1, cooldown: 1.5, do: [pots += 1]}
  wave: {by: potter, needs: count(imp) > 0, cooldown: 2, do: [{attack: shoo}]}
rules:
  - {name: imps come back, when: {cue: returns}, cooldown: 3, do: [{spawn: imp}]}
habits:
  steady: {by: potter, reaction: 0.5, slips: 0.1, acts: [{do: throw, if: calm > 2}, {do: wave}, {do: throw}]}
endings:
  done: {result: win, if: pots >= 3}
  beside herself: {result: lose, if: potter.calm <= 0}
"""


@pytest.mark.slow
def test_sampled_studies_agree_with_the_exact_answer_within_their_intervals() -> None:
    game = mint.loads(WORKSHOP, "workshop.yaml")
    exact = game.exact(habit="steady")
    study = game.study(40_000, 5, habit="steady")
    assert 100 < exact.states < 20_000
    for what in ("win", "lose", "unfinished"):
        wide = rate(int((study.measures["result"] == what).sum()), 40_000, 0.999)
        assert wide.low <= exact.rate(what) <= wide.high
    counts = study.measures["time"].value_counts().reindex(exact.times, fill_value=0).to_numpy()
    expected = exact.chances * 40_000
    often = expected >= 8
    observed = np.append(counts[often], counts[~often].sum())
    wanted = np.append(expected[often], expected[~often].sum())
    assert counts.sum() == 40_000  # no run ends at a time that has no chance
    assert stats.chisquare(observed, wanted * observed.sum() / wanted.sum()).pvalue > 1e-3


def test_a_game_that_reads_the_time_is_answered_too_though_no_state_comes_again() -> None:
    text = GAMBLER.replace("limit: 100000", "limit: 30").replace("chance(luck)", "chance(luck if turn < 10 else 0.9)")
    purse, wins, broke = np.eye(11)[3], 0.0, 0.0
    for turn in range(1, 31):
        luck = 0.45 if turn < 10 else 0.9
        moved = np.zeros(11)
        for value in range(1, 10):
            moved[value + 1] += luck * purse[value]
            moved[value - 1] += (1 - luck) * purse[value]
        wins, broke = wins + moved[10], broke + moved[0]
        purse = moved
        purse[[0, 10]] = 0
    exact = mint.loads(text).exact()
    assert (exact.rate("win"), exact.rate("broke")) == pytest.approx((wins, broke), abs=1e-12)
    assert exact.rate("unfinished") == pytest.approx(purse.sum(), abs=1e-12)


def test_a_removed_entity_leaves_no_trace_that_grows() -> None:
    # Each second one of three lanterns goes out with chance 1/2; timers of those gone do not make new states.
    exact = mint.loads(
        """
title: Lanterns
clock: {step: 1, limit: 900}
kinds:
  lantern:
    copies: 3
    rules: [{name: goes out, when: {every: 1}, chance: 0.5, do: [{remove: self}]}]
endings: {dark: {result: lose, if: count(lantern) == 0}}
"""
    ).exact()
    assert exact.states == 7
    # The longest of three geometric waits: sum over k of 1 - (1 - 2⁻ᵏ)³.
    assert exact.mean_time == pytest.approx(sum(1 - (1 - 0.5**k) ** 3 for k in range(200)), abs=1e-9)


@pytest.mark.parametrize("chance", ["between(0, 2)", "normal(1, 0.5)"])
def test_endless_chance_is_refused_with_its_place(chance: str) -> None:
    text = GAMBLER.replace("purse += 1]", f'"purse += {chance}"]')
    with pytest.raises(BadRequest, match=rf"bridge.yaml:11:\d+: .*{chance[:6]}.* more ways than can be counted"):
        mint.loads(text, "bridge.yaml").exact()


def test_continuous_chance_that_is_only_compared_or_rounded_down_can_be_counted() -> None:
    text = GAMBLER.replace("chance(luck)", "'between(0, 2) < 0.9'").replace(
        "purse += 1]", "'purse += floor(between(1, 2))']"
    )
    assert mint.loads(text).exact().rate("win") == pytest.approx(mint.loads(GAMBLER).exact().rate("win"), abs=1e-12)


def test_a_game_of_too_many_states_says_which_account_makes_them() -> None:
    text = GAMBLER.replace("max: 10", "max: 9000").replace(">= 10", ">= 9000").replace("start: 3", "start: 4500")
    with pytest.raises(BadRequest, match=r"more than 500 states: hauler.purse has \d+ values so far"):
        mint.loads(text).exact(states=500)
    with pytest.raises(NotFound, match="did you mean 'win'"):
        mint.loads(GAMBLER).exact().rate("wim")


def test_the_command_tells_the_answer_and_judges_the_targets(command: Command, tmp_path: Path) -> None:
    (tmp_path / "bridge.yaml").write_text(GAMBLER)
    told = command("study", "bridge.yaml", "--exact")
    assert told.returncode == 0
    assert "exact, from all its 9 states" in told.stdout
    assert "12.8252 %" in told.stdout
    assert "met     rarely rich: rate(win) is 12.8252 %, target 10 to 20 %" in told.stdout
    assert "missed  soon over" in told.stdout
    assert "met     of the purse: mean(closing(hauler.purse)) is 1.282523, target 1 to 2" in told.stdout
    found = json.loads(command("study", "bridge.yaml", "--exact", "--json", "--set", "luck=0.5").stdout)
    assert found["results"]["win"] == pytest.approx(0.3, abs=1e-9)
    assert found["time"]["mean"] == pytest.approx(21, abs=1e-9)
    refused = command("study", "bridge.yaml", "--exact", "--until", "0.01")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "--until does not go with --exact" in refused.stderr
    few = command("study", "bridge.yaml", "--exact", "--states", "3")
    assert few.returncode == 2
    assert "more than 3 states" in few.stderr


def _countable(data: object) -> object:
    """A random game with few ways for each of its chances, and few steps."""
    if isinstance(data, dict):
        return {key: _countable(value) for key, value in data.items()}
    if isinstance(data, list):
        return [_countable(item) for item in data]
    if isinstance(data, str):
        return data.replace("between(0, 3)", "whole(0, 3)").replace("between(0.5, 2)", "pick(0.5, 2)")
    return data


ENDINGS = {
    "big": {"result": "win", "if": "queen.size > 33"},
    "lean": {"result": "lose", "if": "queen.food < 9"},
    "hot": {"result": "draw", "if": "heat > 22 or heat < 3"},
    "ant": {"result": "lose", "if": "ants[2].size > 30"},
}
MEASURES = {
    "closes": "closing(queen.food)",
    "moved": "total(queen.food)",
    "over": "waste(queen.food)",
    "least": "lowest(queen.size)",
    "most": "highest(heat)",
    "bites": "hits(bite)",
    "often": "count_of(heat)",
}


@pytest.mark.slow
@pytest.mark.parametrize("part", range(3))
def test_random_games_end_as_often_as_the_exact_answer_says(part: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(walk, "MOST_WAYS", 300)

    @seed(part if os.environ.get("CI") else secrets.randbits(32))
    @given(games())
    @settings(max_examples=MANY // 20, deadline=None, suppress_health_check=list(HealthCheck))
    def check(data: dict) -> None:
        _ends_as_often_as_it_says(data)

    check()


def _ends_as_often_as_it_says(data: dict) -> None:
    clock = {"unit": "turn", "limit": 25} if "unit" in data["clock"] else {"step": 0.5, "limit": 12}
    try:
        more = {"clock": clock, "endings": ENDINGS, "measures": MEASURES}
        game = mint.loads(json.dumps(_countable({**data, **more})))
        exact = game.exact(states=600)
        study = game.study(1_000, 3)
    except (GameError, BadRequest, RunStopped):
        return
    for ending in [*study.endings(), ""]:
        chance = sum(e.chance for e in exact.endings if e.name == ending)
        found = int((study.measures["ending"] == ending).sum())
        assert stats.binomtest(found, 1_000, min(chance, 1.0)).pvalue > 1e-7
    for time, found in study.measures["time"].value_counts().items():
        chance = float(exact.chances[np.isclose(exact.times, time)].sum())
        assert stats.binomtest(int(found), 1_000, min(chance, 1.0)).pvalue > 1e-7
    for name, spread in exact.measures.items():
        counts = study.values(name)
        for value in {*spread.values, *counts}:
            chance = float(spread.chances[np.isclose(spread.values, value, rtol=1e-8)].sum())
            found = int(np.isclose(counts, value, rtol=1e-8).sum())
            assert stats.binomtest(found, 1_000, min(chance, 1.0)).pvalue > 1e-7


def test_time_is_capped_and_what_makes_it_large_is_told() -> None:
    game = mint.loads(
        """
        clock: {step: 1, limit: 60}
        stats: {left: {start: 0}, right: {start: 0}}
        rules: [{name: both, when: {every: 1}, do: ["left += dice(2, 6)", "right += dice(1, 20)"]}]
        endings: {ahead: {result: win, if: left > right + 400}}
        """
    )
    with pytest.raises(mint.BadRequest, match=r"gone on from, as far as .* has .* values so far.*--seconds"):
        game.exact(seconds=0.5)
    with pytest.raises(mint.BadRequest, match="more than 0 seconds"):
        game.exact(seconds=0.0)


def test_dice_that_are_added_up_are_one_draw_of_their_sum() -> None:
    text = """
    clock: {step: 1, limit: 1}
    stats: {left: {start: 0}, right: {start: 0}}
    rules: [{name: both, when: {every: 1}, do: ["left += dice(3, 4)", "right += dice(2, 6)"]}]
    endings: {ahead: {result: win, if: left > right}, level: {result: draw, if: left == right and time > 0}}
    """
    ways = [sum((a, b, c)) for a in range(1, 5) for b in range(1, 5) for c in range(1, 5)]
    others = [a + b for a in range(1, 7) for b in range(1, 7)]
    pairs = len(ways) * len(others)
    exact = mint.loads(text).exact()
    assert exact.rate("win") == pytest.approx(sum(a > b for a in ways for b in others) / pairs, abs=1e-12)
    assert exact.rate("draw") == pytest.approx(sum(a == b for a in ways for b in others) / pairs, abs=1e-12)


def test_what_is_kept_to_save_work_in_space_makes_no_states() -> None:
    game = mint.loads(
        """
title: Bell Walk
clock: {unit: turn, limit: 60}
space: {}
kinds:
  token: {where: [0, 0], radius: 0.4, stats: {luck: {start: 3, min: 0}}}
  bell: {where: [3, 0], radius: 0.4}
rules:
  - {when: {every: 1}, do: [{if: "chance(0.1)", do: [{move: token, to: [token.x + 1, 0]}]}]}
  - {when: {meet: [token, bell]}, do: [token.luck -= 1, {move: token, to: [0, 0]}]}
endings: {rung: {result: win, if: token.luck <= 0}}
"""
    )
    exact = game.exact()
    # Nine moves of 59 ring the bell three times, as it is rung in the turn after the third move. The token is at one
    # of four places with one of three lucks in each turn, however long ago it moved.
    assert exact.rate("win") == pytest.approx(stats.binom.sf(8, 59, 0.1), abs=1e-12)
    assert exact.states <= 2 * 4 * 3 * 60
