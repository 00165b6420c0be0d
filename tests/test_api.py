from __future__ import annotations

import pydantic
import pytest

import mint_ledger as mint

pytestmark = pytest.mark.smoke


def well() -> mint.Game:
    return mint.Game(
        title="Well",
        clock={"unit": "turn", "limit": 20},
        stats={"buckets": 0},
        kinds={"digger": {"copies": [{}, {"strength": 3}], "stats": {"strength": 1}}},
        rules=[{"name": "digs", "when": {"every": 1}, "do": [{"each": "digger", "do": ["buckets += other.strength"]}]}],
        endings={"full": {"result": "win", "if": "buckets >= 20"}},
    )


def test_a_game_built_in_python_plays() -> None:
    run = well().run()
    assert (run.result, run.time, run.ending) == ("win", 5, "full")
    assert "turn 5" in run.story()


def test_a_game_goes_to_yaml_and_back() -> None:
    text = well().to_yaml()
    again = mint.loads(text)
    assert again.run(seed=3).journal_csv() == well().run(seed=3).journal_csv()
    assert mint.loads(again.to_yaml()).run().time == 5


def test_a_misspelt_key_in_python_is_refused() -> None:
    with pytest.raises(pydantic.ValidationError):
        mint.Game(title="Well", kindz={})


def test_a_game_in_python_with_unknown_names_says_so_on_first_use() -> None:
    with pytest.raises(mint.GameError, match="there is no stat 'bukets'"):
        mint.Game(title="W", stats={"buckets": 0}, rules=[{"when": "start", "do": ["bukets += 1"]}]).run()


def test_dials_are_turned_by_their_paths_and_the_game_stays_as_it_is() -> None:
    game = well()
    faster = game.with_dials({"digger.strength": 4})
    assert faster.run().time == 3  # 4 + 3 a turn
    assert game.with_dials({"digger[2].strength": 9}).run().time == 2
    assert game.with_dials({"clock.limit": 1}).run().result == "unfinished"
    assert game.run().time == 5
    assert faster.dials.value("digger.strength") == 4


def test_a_kind_like_another_has_dials_of_its_own() -> None:
    game = mint.loads("""
title: Farm
clock: {unit: turn, limit: 3}
kinds:
  beast: {copies: 0, stats: {weight: {start: 10, max: 90}}}
  cow: {like: beast}
  goat: {like: beast, stats: {weight: 5}}
""")
    turned = game.with_dials({"cow.weight": 30}).run().at(0)
    assert turned == {"cow.weight": 30, "goat.weight": 5}
    assert game.with_dials({"beast.weight": 20}).run().at(0) == {"cow.weight": 20, "goat.weight": 5}
    with pytest.raises(mint.GameError, match="starts at 100, above its max of 90"):
        game.with_dials({"cow.weight": 100})


def test_copies_are_a_dial_up_to_the_room(demo: mint.Game) -> None:
    assert demo.with_dials({"crab.copies": 5}).run().at(0)["crab[5].health"] == 22
    with pytest.raises(mint.GameError, match="room for 5, but 6 copies"):
        demo.with_dials({"crab.copies": 6})


def test_an_unknown_dial_names_the_nearest(demo: mint.Game) -> None:
    with pytest.raises(mint.NotFound, match=r"there is no dial 'crab.byte', did you mean 'crab.bite'\?"):
        demo.with_dials({"crab.byte": 3})
    with pytest.raises(mint.NotFound, match=r"there is no account 'keeper.helth', did you mean 'keeper.health'\?"):
        demo.run().statement("keeper.helth")
    with pytest.raises(mint.NotFound, match=r"there are several of 'crab.health': crab\[1\]"):
        demo.run().statement("crab.health")


@pytest.mark.parametrize("seed", [-1, 2**64, 1.5, True])
def test_what_is_no_seed_is_refused(seed: object, demo: mint.Game) -> None:
    with pytest.raises(mint.BadRequest, match="a seed is a whole number"):
        demo.run(seed)  # type: ignore[arg-type]


def test_scripts_come_from_python_too(demo: mint.Game) -> None:
    script = [{"at": 1, "hit": "crab[2]", "with": "lantern_swing", "sure": True}, {"at": 3, "set": "keeper.oil = 1"}]
    run = demo.run(script=script, only_script=True)
    assert run.at(1)["crab[2].health"] == 12
    assert (run.ending, run.time) == ("lamp out", 5)
    with pytest.raises(mint.GameError, match=r"script\[1\]: wants one of hit, meet"):
        demo.run(script=[{"at": 1, "hitt": "crab[2]"}])
    with pytest.raises(mint.GameError, match="unknown attack 'lantern_swig', did you mean 'lantern_swing'"):
        demo.run(script=[{"at": 1, "hit": "crab[2]", "with": "lantern_swig"}])
    with pytest.raises(mint.GameError, match="'cudgel' strikes keeper, not crab"):
        demo.run(script=[{"at": 1, "hit": "crab[2]", "with": "cudgel", "by": "bosun"}])


def test_a_plot_has_a_panel_for_each_account(demo: mint.Game) -> None:
    figure = demo.run(seed=7).plot(["keeper.health", "keeper.lives", "ships", "keeper.standing"])
    assert len(figure.axes) == 4
    assert [axis.get_ylabel() for axis in figure.axes] == ["keeper.health", "keeper.lives", "ships", "keeper.standing"]
    assert figure.axes[-1].get_xlabel() == "time (s)"
    line = figure.axes[0].get_lines()[0]
    assert line.get_ydata()[0] == 100 and line.get_ydata()[-1] == demo.run(seed=7).statement("keeper.health").closing


def test_the_package_lists_what_is_public() -> None:
    for name in mint.__all__:
        assert getattr(mint, name) is not None
    with pytest.raises(AttributeError):
        mint.nothing_of_that_name  # noqa: B018
