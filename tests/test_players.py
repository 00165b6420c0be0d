"""The range of play: against games whose best player is known, chance alone, and planted acts."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from duels import DUELS

import mint_ledger as mint
from mint_ledger.engines.native.engine import NativePlayer, native_code
from mint_ledger.errors import BadRequest, BrokenProgram, NotFound
from mint_ledger.players.candidate import Played, Slot, Term, find_space, habit_of, tidy
from mint_ledger.players.neighbors import change
from mint_ledger.players.writing import with_habit
from mint_ledger.studies.estimate import rate

# The fuse is drawn again each second. Ducking with it at 7 and more earns a point, below that it costs three: who ducks
# just then comes to 5 points for certain in 60 seconds, who always ducks is out at once as a rule.
FUSE = """
title: Fuse
clock: {step: 0.5, limit: 60}
kinds:
  scout: {stats: {fuse: {start: 0, min: 0, max: 10, whole: true}, points: {start: 3, min: 0, max: 8}, hats: {start: 0, min: 0, max: 5}}}
actions:
  duck: {by: scout, do: [{if: fuse >= 7, do: [points += 1], else: [points -= 3]}]}
  doff: {by: scout, do: [hats = 5 - hats, points -= 1]}
rules: [{name: burns, when: {every: 1}, do: ["scout.fuse = whole(0, 10)"]}]
endings: {out: {result: lose, if: scout.points <= 0}, cheered: {result: win, if: scout.points >= 8}}
habits:
  eager: {by: scout, reaction: 0.5, acts: [{do: duck}]}
"""
CHANCE = """
title: Coin
clock: {step: 1, limit: 10}
kinds: {fool: {stats: {luck: {start: 0, min: 0, max: 9}}}}
actions: {wave: {by: fool, do: [luck = 1]}}
rules: [{name: falls, when: {every: 5}, do: [{if: chance(0.4), do: [{finish: heads}], else: [{finish: tails}]}]}]
endings: {heads: {result: win}, tails: {result: lose}}
habits: {merry: {by: fool, reaction: 1, acts: [{do: wave}]}}
"""
FEW = {"runs": 1_000, "most_runs": 30_000}


@pytest.fixture(scope="module")
def fuse() -> object:
    return mint.loads(FUSE).play_range(**FEW)  # type: ignore[arg-type]


def test_a_threshold_that_is_known_is_found(fuse) -> None:  # type: ignore[no-untyped-def]
    assert fuse.best.value == 1.0
    [slot] = fuse.found
    assert slot.action == "duck"
    [term] = slot.terms
    low, high = fuse.spans[0, 0]
    assert (term.feature, term.below) == ("fuse", False)
    # Who waits for 8 or 9 comes to it as well.
    assert low == 7.0 <= term.threshold <= high
    assert fuse.habits["eager"].high < 0.5


def test_acts_are_judged_by_the_best_with_and_without_them(fuse) -> None:  # type: ignore[no-untyped-def]
    assert fuse.enough == ["duck"]
    assert fuse.unused == ["doff"]
    assert fuse.needed == ["duck"]
    assert fuse.without["duck"].value == 0.0
    assert fuse.without["doff"].value == 1.0
    assert fuse.idle.value == 0.0
    assert fuse.acts_matter
    assert "One action is enough: duck" in fuse.summary()
    assert "never uses doff" in fuse.summary()


def test_what_few_runs_cannot_tell_apart_is_not_called_as_good(fuse) -> None:  # type: ignore[no-untyped-def]
    near = replace(fuse, best=rate(350, 500), habits={"eager": rate(327, 500)}, runs=500)
    text = " ".join(near.summary().split())
    assert "won 4.6 points more than the best habit of the file; with 500 runs that may be chance" in text
    assert "about as good as the best found" in replace(near, habits={"eager": rate(348, 500)}).summary()


def test_in_a_game_of_chance_acts_do_not_matter() -> None:
    play = mint.loads(CHANCE).play_range(**FEW)  # type: ignore[arg-type]
    assert not play.acts_matter
    # Only fresh luck is told, so the search does not claim more than there is.
    assert play.best.low < 0.4 < play.best.high
    assert not play.worse_than_chance
    assert "Actions do not matter" in play.summary()


def test_a_search_without_time_says_nothing_of_what_it_did_not_look_for() -> None:
    game = mint.loads(FUSE.replace("fuse >= 7", "fuse >= 0").replace("start: 3", "start: 5"))
    play = game.play_range(runs=1_000, seconds=1e-9)

    assert play.found == ()
    assert not play.only
    assert not play.without
    assert play.acts_matter
    text = " ".join(play.summary().split())
    assert "Too few runs were left to measure what each action is worth." in text
    assert "points less than the best habit of the file: give it more runs" in text
    assert "Actions do not matter" not in text
    assert "never uses" not in text


@pytest.mark.slow
def test_so_many_runs_are_searched_and_few_more() -> None:
    duel = mint.loads(DUELS["kiln"].text)
    # To look at all pairs of acts without each of them would take more than there are.
    few = duel.play_range("plain", runs=100, most_runs=5_000)
    assert not few.without
    # What is needed is known from all states all the same, which were walked without each act.
    assert set(few.needed) == {act for act, most in few.most_without.items() if few.most and most < few.most - 0.01}
    assert "Too few runs" in few.summary()


@pytest.mark.night
def test_runs_that_are_searched_come_near_what_was_allowed() -> None:
    duel = mint.loads(DUELS["kiln"].text)
    play = duel.play_range("plain", runs=100, most_runs=400_000)

    # Pruning and judging what was found come to it; without a limit two to ten millions are played.
    assert play.searched < 700_000
    assert len(play.without) == 5


def test_the_same_seed_finds_the_same() -> None:
    game = mint.loads(FUSE)
    one, other = (game.play_range(runs=200, most_runs=6_000, seed=3) for _ in range(2))
    assert one.found == other.found
    assert one.as_json() == other.as_json()


def test_a_candidate_plays_as_the_habit_that_is_written_of_it(demo: mint.Game) -> None:
    space = find_space(demo, "careful")
    assert {"health", "broth", "count(foe)"} <= set(space.features)
    played = Played(demo, space)
    sip = Slot("sip", (Term("health", True, 50.0), Term("broth", False, 2.0)))
    candidate = (Slot("swing", (Term("stamina", False, 15.0),)), sip)
    found = played.wins(candidate, 1_000, 5).mean()
    written = with_habit(demo, "mine", habit_of(space.base, candidate))
    assert "# simulated players choose" in written.text or "# how simulated players choose actions" in written.text
    study = mint.loads(written.text).study(1_000, 6, habit="mine")
    gap = abs(found - study.rate("win").value)
    assert gap < 4 * np.sqrt(2 * 0.25 / 1_000)


HABIT = {"by": "keeper", "reaction": 0.4, "acts": [{"do": "swing"}, {"do": "sip", "if": "health < 40"}]}


def test_a_habit_is_written_between_the_lines_of_the_file_and_all_others_stay(demo: mint.Game) -> None:
    old = demo.source.text.splitlines()
    new = with_habit(demo, "mine", HABIT).text.splitlines()
    at = new.index("  mine:")
    added = new[at : at + len(new) - len(old)]
    assert new[:at] + new[at + len(added) :] == old
    assert old[at - 1].startswith('    meets: [{oil_can: "between(25')
    # In the place of one of that name; its neighbors stay.
    again = with_habit(mint.loads("\n".join(new)), "mine", {**HABIT, "reaction": 0.5}).text.splitlines()
    assert [line for line in again if line not in new] == ["    reaction: 0.5"]
    assert len(again) == len(new)
    first = with_habit(demo, "careful", HABIT).text.splitlines()
    assert first[: old.index("  careful:")] == old[: old.index("  careful:")]
    assert first[first.index("  reckless:") :] == old[old.index("  reckless:") :]


@pytest.mark.parametrize(
    "habits", ["habits: {}", "habits: {eager: {by: scout, reaction: 0.5, acts: [{do: duck}]}}", "", "# none yet\n"]
)
def test_a_habit_is_written_wherever_there_is_room(habits: str) -> None:
    game = mint.loads(FUSE[: FUSE.index("habits:")] + habits)
    written = with_habit(game, "late", {"by": "scout", "reaction": 2, "acts": [{"do": "duck"}]})
    assert mint.loads(written.text).habits["late"].reaction.number == 2.0
    assert set(mint.loads(written.text).habits) == {*game.habits, "late"}


def test_what_a_habit_sees_is_all_that_is_looked_at() -> None:
    text = FUSE.replace("reaction: 0.5", "reaction: 0.5, sees: [points]")
    assert list(find_space(mint.loads(text), "eager").features) == ["points"]


POOL = """
title: Tide pool
clock: {step: 0.5, limit: 60}
kinds:
  diver: {stats: {size: {start: 10, min: 5, max: 20}, air: {start: 10, min: 0, max: size * 2}}}
actions:
  dive: {by: diver, cooldown: 2, do: [air -= 3, size += 1]}
  rest: {by: diver, do: [air += 1]}
endings: {out: {result: lose, if: diver.air <= 0}, big: {result: win, if: diver.size >= 18}}
habits: {calm: {by: diver, reaction: 0.5, acts: [{do: dive}]}}
"""


def test_shares_are_looked_at_where_what_is_full_changes_and_acts_that_have_to_cool_down() -> None:
    features = find_space(mint.loads(POOL), "calm").features
    assert list(features) == ["size", "air", "air.share", "time", "ready(dive)"]
    assert features["air.share"] == tuple(part / 16 for part in range(1, 16))
    assert features["ready(dive)"] == (1.0,)
    fixed = find_space(mint.loads(POOL.replace("max: size * 2", "max: 40")), "calm").features
    assert "air.share" not in fixed
    seen = find_space(mint.loads(POOL.replace("reaction: 0.5", "reaction: 0.5, sees: [air]")), "calm").features
    assert list(seen) == ["air", "air.share"]


def test_what_plays_alike_is_written_in_one_way() -> None:
    low, lower, much = Term("health", True, 40.0), Term("health", True, 20.0), Term("oil", False, 30.0)
    assert tidy([Slot("sip", (much, low))]) == tidy([Slot("sip", (low, much))])
    # Of two conditions of which one holds wherever the other does, the other is enough.
    assert tidy([Slot("sip", (low, lower))]) == (Slot("sip", (lower,)),)
    high, higher = Term("oil", False, 30.0), Term("oil", False, 60.0)
    assert tidy([Slot("sip", (high, higher))]) == (Slot("sip", (higher,)),)
    one, other, act = Slot("sip", (low,)), Slot("sip", (much,)), Slot("swing")
    assert tidy([one, other, act]) == tidy([other, one, act])
    assert tidy([one, act, other]) != tidy([other, act, one])
    # What stands behind an act without a condition, or right before it, is never come to or changes nothing.
    assert tidy([one, Slot("sip"), act, other]) == (Slot("sip"), act)


def test_a_change_is_known_again_beside_others() -> None:
    swing, sip, dart = Slot("swing"), Slot("sip", (Term("health", True, 40.0),)), Slot("dart")
    assert change((swing,), (sip, swing)) == ((), (sip,), (swing,))
    assert change((dart, swing), (dart, sip, swing)) == ((), (sip,), (swing,))
    assert change((dart, swing), (dart,)) == ((swing,), (), ())
    assert change((swing, swing), (swing,)) == ((swing,), (), ())
    assert change((dart, sip), (dart, swing)) == ((sip,), (swing,), ())


def test_a_batch_beyond_its_room_is_refused() -> None:
    program = mint.loads(CHANCE).lowered.program
    player = NativePlayer(native_code(program), program.dials.numbers, seed=1)
    with pytest.raises(BrokenProgram, match="has room for 0"):
        player.batch(0, 10)


def test_the_command_tells_and_writes_it(command: Command, tmp_path: Path) -> None:
    path = tmp_path / "fuse.yaml"
    path.write_text("# kept\n" + FUSE.lstrip())
    options = ("--runs", 500, "--most-runs", 20_000)
    done = command("players", "fuse.yaml", *options, "--write", "best", "-o", "wins.csv")
    assert done.returncode == 0, done.stderr
    assert "the best found" in done.stdout
    assert max(map(len, done.stdout.splitlines())) <= 80
    again = mint.load(path)
    assert path.read_text().startswith("# kept\n")
    assert again.study(300, habit="best").rate("win").value == 1.0
    assert (tmp_path / "wins.csv").read_text().startswith("player,wins,low,high")
    told = json.loads(command("players", path, *options, "--like", "eager", "--json").stdout)
    assert told["best"]["value"] == 1.0
    assert command("players", path, "--like", "eagre").returncode == 2


def test_what_cannot_be_searched_is_said(demo: mint.Game) -> None:
    with pytest.raises(NotFound, match="did you mean 'careful'"):
        demo.play_range("carful")
    with pytest.raises(BadRequest, match="100 runs at least"):
        mint.loads(FUSE).play_range(runs=10)


# Each turn a lock is turned or rattled; turned five times it is open, and each rattle takes a turn back.
LOCK = """
title: Lock
clock: {unit: turn, limit: 12}
kinds: {thief: {stats: {turned: {start: 0, min: 0, max: 5}}}}
actions:
  turn: {by: thief, needs: turned < 4, do: [turned += 1]}
  open: {by: thief, needs: turned >= 4, do: [turned += 1]}
habits: {eager: {by: thief, reaction: 1, acts: [{do: turn}, {do: open}]}}
endings: {in: {result: win, if: thief.turned >= 5}}
"""


def test_no_act_is_called_enough_below_what_all_states_prove() -> None:
    play = mint.loads(LOCK).play_range("eager", runs=200, most_runs=3_000)
    assert play.most == 1.0
    assert (play.most_only["turn"], play.most_only["open"]) == (0.0, 0.0)
    assert not play.enough and set(play.needed) == {"turn", "open"}
    assert "One act is enough" not in play.summary()


def test_a_small_difference_that_pairs_show_is_not_called_none() -> None:
    # Acting turns 2 in 100 lost runs into won ones and none back; 400 runs of each apart would not tell.
    text = """
title: Charm
clock: {unit: turn, limit: 4}
kinds: {witch: {stats: {charm: {start: 0, min: 0, max: 1}}}}
rules: [{name: fate, when: {every: 2}, at_most: 1, do: [{if: "between(0, 1) < 0.5 + 0.02 * witch.charm", do: [{finish: saved}]}]}]
actions: {wish: {by: witch, needs: charm < 1, do: [charm += 1]}}
habits: {keen: {by: witch, reaction: 1, acts: [{do: wish}]}}
endings: {saved: {result: win}}
"""
    play = mint.loads(text).play_range("keen", runs=2_000, most_runs=2_000)
    assert play.habits["keen"].low < play.idle.high
    assert play.acts_matter and "Actions do not matter" not in play.summary()
