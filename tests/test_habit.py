from __future__ import annotations

import pytest

import mint_ledger as mint

GAME = """
title: Well
clock: {step: 0.1, limit: 20}
kinds:
  digger:
    copies: [{}, {habit: lazy}, {}]
    stats: {dug: 0, drunk: 0, thirst: {start: 0, min: 0}}
  flask: {stats: {}, rules: [{name: is drunk, when: {meets: digger}, do: [other.drunk += 1]}]}
actions:
  dig:   {by: digger, cooldown: 1, do: [dug += 1, thirst += 1]}
  drink: {by: digger, lasts: 1, needs: thirst > 0, do: [thirst = 0]}
habits:
  busy: {by: digger, reaction: 0.5, acts: [{do: drink, if: thirst >= 3}, {do: dig}]}
  lazy: {by: digger, reaction: 0.5, acts: [{do: dig, every: 4}]}
  clumsy: {by: digger, reaction: 0.5, slips: 0.5, acts: [{do: dig}]}
  sips: {by: digger, reaction: 1, meets: [{flask: 3}]}
"""


def play(habit: str | None, **more: object) -> mint.Run:
    run = mint.loads(GAME).run(habit=habit, **more)  # type: ignore[arg-type]
    run.reconcile()
    return run


def test_without_a_habit_only_the_copies_that_name_one_play() -> None:
    values = play(None).at(20)
    assert (values["digger[1].dug"], values["digger[2].dug"], values["digger[3].dug"]) == (0, 5, 0)


def test_a_player_looks_after_each_reaction_and_takes_the_first_that_can_be_done() -> None:
    run = play("busy")
    done = run.journal[(run.journal["what"] == "act") & (run.journal["entity"] == "digger[1]")]
    first = [(round(t, 2), text.split(" ", 1)[1]) for t, text in zip(done["time"], done["text"], strict=True)][:6]
    # digs at 0.5, 1.5 and 2.5 (a cooldown of 1), is thirsty and drinks from 3.0 to 4.0, looks again at once, digs
    assert first == [
        (0.5, "does dig"),
        (1.5, "does dig"),
        (2.5, "does dig"),
        (3.0, "begins drink"),
        (4.0, "does drink"),
        (4.0, "does dig"),
    ]


def test_slips_are_chosen_and_do_not_come_off() -> None:
    run = play("clumsy", seed=3)
    slips = (run.journal["what"] == "slip").sum()
    digs = run.at(20)["digger[1].dug"] + run.at(20)["digger[3].dug"]
    assert slips > 5 and digs > 5


def test_a_player_meets_one_of_a_kind_every_so_often() -> None:
    assert play("sips").at(20)["digger[1].drunk"] == 6


def test_habits_do_not_play_where_only_the_script_does() -> None:
    assert play("busy", only_script=True).at(20)["digger[2].dug"] == 0


def test_a_variant_is_a_named_set_of_dials() -> None:
    text = GAME + "variants:\n  quick: {dig.cooldown: 0.5, busy.reaction: 0.25}\n"
    game = mint.loads(text)
    assert (
        game.run(habit="busy", variant="quick").at(20)["digger[1].dug"] > game.run(habit="busy").at(20)["digger[1].dug"]
    )
    assert game.with_variant("quick").dials.value("dig.cooldown") == 0.5
    with pytest.raises(mint.NotFound, match="there is no variant 'quik', did you mean 'quick'"):
        game.run(variant="quik")
    with pytest.raises(mint.NotFound, match="there is no habit 'bussy', did you mean 'busy'"):
        game.run(habit="bussy")
    with pytest.raises(mint.GameError, match=r"there is no dial 'dig.coldown', did you mean 'dig.cooldown'\?"):
        mint.loads(text.replace("dig.cooldown: 0.5", "dig.coldown: 0.5"))


def test_a_habit_has_aims_of_its_own() -> None:
    game = mint.loads("""
title: Range
clock: {step: 0.1, limit: 3}
kinds:
  bow: {side: a}
  butt: {side: b, copies: [{health: 50}, {health: 40}], stats: {health: 1}}
attacks: {arrow: {from: bow, to: butt, aims: first, damage: 3}}
actions: {shoot: {by: bow, do: [{attack: arrow}]}}
habits:
  plain: {by: bow, reaction: 1, acts: [{do: shoot}]}
  picky: {by: bow, reaction: 1, acts: [{do: shoot}], aims: {arrow: weakest}}
""")
    assert game.run(habit="plain").at(3) == {"butt[1].health": 41, "butt[2].health": 40}
    assert game.run(habit="picky").at(3) == {"butt[1].health": 50, "butt[2].health": 31}


def test_lives_are_a_short_form_of_rules() -> None:
    text = """
title: Pit
clock: {step: 0.1, limit: 9}
kinds:
  player:
    side: a
    stats: {health: {start: 5, min: 0, max: 5}, lives: {start: 3, min: 0, whole: true}}
    lives: {stat: lives, spent_if: health <= 0, fill: [health], safe_for: 2}
  spike: {side: b}
attacks: {stab: {from: spike, to: player, when: {every: 1}, damage: 5}}
endings: {over: {result: lose, if: player.lives <= 0}}
"""
    game = mint.loads(text)
    run = game.run()
    # struck at 1, safe till 3, struck at 3, safe till 5, struck at 5
    assert [run.at(t)["player.lives"] for t in (0.9, 1, 2.9, 3)] == [3, 2, 2, 1]
    assert (run.ending, run.time) == ("over", 5)
    from mint_ledger.views.check_text import order_text

    assert "a life is spent (becomes health <= 0)" in order_text(game, game.lowered.program)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("{do: dig, every: 4}", "{do: digg}", "unknown action 'digg', did you mean 'dig'?"),
        ("{habit: lazy}", "{habit: lasy}", "unknown habit 'lasy', did you mean 'lazy'?"),
        ("meets: [{flask: 3}]", "meets: [{flusk: 3}]", "unknown kind 'flusk', did you mean 'flask'?"),
        ("slips: 0.5", "slip: 0.5", "unknown key 'slip', did you mean 'slips'?"),
        ("busy: {by: digger", "busy: {by: diger", "unknown kind 'diger', did you mean 'digger'?"),
        ("busy: {by: digger, reaction: 0.5,", "busy: {by: digger,", "'reaction' is missing"),
    ],
)
def test_faults_of_habits(old: str, new: str, words: str) -> None:
    assert old in GAME
    with pytest.raises(mint.GameError) as caught:
        mint.loads(GAME.replace(old, new))
    assert words in str(caught.value)
