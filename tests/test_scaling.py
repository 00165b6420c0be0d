"""Dials of patterns, of words, and several variants and habits together."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.studies.store import Store

GARDEN = """
title: Garden
clock: {unit: turn, limit: 40}
numbers: {sharpness: 1}
tables: {wage: {columns: [rank, pay], rows: [[1, 10], [2, 20]]}}
kinds:
  mara:
    stats:
      weapon: {one_of: [trowel, rake, shears], start: rake}
      bite: {formula: "wage.pay[1] / 10 * sharpness * (3 if weapon == trowel else 5 if weapon == rake else 8)"}
      mood: {formula: "'keen' if weapon == shears else 'calm'", one_of: [keen, calm]}
      tired: {start: 0}
  foe:
    copies: 0
    stats: {health: {start: 20, min: 0, max: 100}, bite: {start: 3, whole: true}, tough: {start: 5, whole: true, round: up}}
    gone_if: health <= 0
  weed: {like: foe, copies: [{}, {health: 40}]}
  bramble: {like: foe, stats: {health: {start: 60}}}
attacks: {cut: {from: mara, to: foe, when: {every: 1}, damage: self.bite, lands: 0.8}}
actions: {rest: {by: mara, do: [tired = 0]}, stretch: {by: weed, do: [health += 1]}}
habits:
  idle: {by: mara, reaction: 1, acts: [{do: rest}]}
  lively: {by: weed, reaction: 1, acts: [{do: stretch}]}
endings: {tidy: {result: win, if: count(foe) == 0}}
variants:
  easy: {'foe.*': {times: 0.5}}
  hard: {'*.health': {times: 1.5}, bramble.bite: 9}
  shears: {mara.weapon: shears, bramble.health: 50}
"""


@pytest.fixture(scope="module")
def garden() -> mint.Game:
    return mint.loads(GARDEN)


def values(game: mint.Game, *names: str) -> list[float]:
    return [game.dials.value(name) for name in names]


def test_a_pattern_multiplies_each_number_once_where_it_stands(garden: mint.Game) -> None:
    health = ("foe.health", "weed.health", "weed[2].health", "bramble.health")
    turned = garden.with_dials({"*.health": "x0.8"})
    assert values(turned, *health) == [16, 16, 32, 48]
    # Limits stay, and so does all that is called otherwise.
    assert values(turned, "foe.health.max", "foe.bite", "sharpness") == [100, 3, 1]
    assert values(garden.with_dials({"*.max": "×2"}), "foe.health.max", "foe.health") == [200, 20]
    # What is said of a kind is meant of all that are like it; one of those alone is left apart.
    assert values(garden.with_dials({"foe.*": "x0.5"}), *health) == [10, 10, 20, 30]
    assert values(garden.with_dials({"weed.*": "x2"}), *health) == [20, 40, 80, 60]
    assert values(garden.with_dials({"wage.pay*": "x3"}), "wage.pay[1]", "wage.pay[2]") == [30, 60]
    assert values(garden.with_dials({"*": "x1.1"}), "sharpness", "clock.limit", "cut.every") == [1.1, 40, 1.1]


def test_whole_numbers_are_rounded_as_their_stats_round(garden: mint.Game) -> None:
    turned = garden.with_dials({"foe.*": "x0.5"})
    assert values(turned, "foe.bite", "foe.tough") == [2, 3]  # 1.5 to the nearest, 2.5 up
    assert garden.with_dials({"bramble.health": "x0.5"}).dials.value("bramble.health") == 30


def test_a_number_that_is_named_itself_is_set_and_not_multiplied(garden: mint.Game) -> None:
    turned = garden.with_dials({"bramble.health": 11, "*.health": "x2"})
    assert values(turned, "bramble.health", "foe.health") == [11, 40]


def test_variants_go_one_after_another_and_later_ones_win(garden: mint.Game) -> None:
    names = ("foe.health", "bramble.health", "bramble.bite")
    assert values(garden.with_variant("hard"), *names) == [30, 90, 9]
    # 60 is set to 50 first, and then multiplied.
    assert values(garden.with_variant("shears + hard"), *names) == [30, 75, 9]
    assert values(garden.with_variant("hard + shears"), *names) == [30, 50, 9]
    one, other = (garden.run(variant=v) for v in (["hard", "shears"], "hard + shears"))
    assert one.journal_csv() == other.journal_csv()
    assert garden.with_variant("hard").with_dials({"*.health": "x0.5"}).dials.value("bramble.health") == 45
    again = mint.loads(garden.with_variant("hard + shears").to_yaml())
    assert again.dials.numbers == garden.with_variant("hard + shears").dials.numbers


@pytest.mark.parametrize(
    ("dials", "error", "message"),
    [
        ({"fo.*": "x2"}, mint.NotFound, "no number has a name like"),
        ({"foe.*": 2}, mint.BadRequest, "means several numbers; multiply them"),
        ({"mara.weapon": "spade"}, mint.BadRequest, "one of trowel, rake, shears, not 'spade'"),
        ({"mara.weapon": "x2"}, mint.BadRequest, "is no number, so it cannot be multiplied"),
        ({"foe.health": "many"}, mint.BadRequest, "wants a number, not 'many'"),
        ({"foe.health": "x9"}, mint.GameError, "above its max of 100"),
    ],
)
def test_what_no_dial_can_be_is_told(
    garden: mint.Game, dials: dict[str, object], error: type[Exception], message: str
) -> None:
    with pytest.raises(error, match=message):
        garden.with_dials(dials)  # type: ignore[arg-type]


def test_words_are_dials(garden: mint.Game) -> None:
    words = garden.lowered.program.words
    for word, bite in (("trowel", 3), ("rake", 5), ("shears", 8)):
        game = garden.with_dials({"mara.weapon": word})
        assert game.dials.shown("mara.weapon") == word
        assert game.with_dials({"cut.lands": 1}).run(habit="none").journal["asked"].dropna().iloc[0] == -bite
        assert mint.loads(game.to_yaml()).dials.shown("mara.weapon") == word
    assert "keen" in words
    own = mint.loads(
        GARDEN.replace(
            "weed: {like: foe, copies: [{}, {health: 40}]}", "weed: {like: mara, copies: [{}, {weapon: shears}]}"
        )
        .replace("by: weed", "by: mara")
        .replace("[health += 1]", "[tired += 1]")
    )
    opening = own.run().at(0)
    assert [words[int(opening[f"weed[{k}].weapon"])] for k in (1, 2)] == ["rake", "shears"]
    assert own.with_dials({"mara.weapon": "trowel"}).dials.shown("weed.weapon") == "trowel"
    with pytest.raises(mint.GameError, match="'spade' is not one of trowel, rake, shears"):
        mint.loads(
            GARDEN.replace("copies: 0", "copies: 0", 1).replace("mara:\n", "mara:\n    copies: [{weapon: spade}]\n")
        )


def test_playtests_and_levels_set_words(tmp_path: Path) -> None:
    text = (
        GARDEN
        + """
levels: {lawn: {start: {mara.weapon: trowel}, until: level_time >= 2, next: bed}, bed: {}}
playtests:
  with shears: {dials: {mara.weapon: shears, '*.health': {times: 0.5}}, only_script: true, level: bed, expect: [{at: 1, that: mara.weapon == shears and bramble.health == 30}]}
  as it starts: {start: {mara.weapon: rake}, only_script: true, level: bed, expect: [{at: 1, that: mara.weapon == rake}]}
  on the lawn: {only_script: true, expect: [{at: 1, that: mara.weapon == trowel}]}
"""
    )
    assert all(result.passed for result in mint.loads(text).play_tests())
    with pytest.raises(mint.GameError, match="one of trowel, rake, shears, not 'spade'"):
        mint.loads(text.replace("dials: {mara.weapon: shears", "dials: {mara.weapon: spade"))


def test_studies_and_sweeps_know_words(garden: mint.Game, tmp_path: Path) -> None:
    dials = {"mara.weapon": ["trowel", "rake", "shears"]}
    sweep = garden.sweep(dials, runs=60, store=tmp_path / "s.sqlite")
    shares = [point.estimates["rate(win)"].value for point in sweep.points]
    assert [point.dials["mara.weapon"] for point in sweep.points] == dials["mara.weapon"]
    assert shares[0] < shares[2]
    assert "shears" in sweep.summary()
    kept = garden.study(60, dials={"mara.weapon": "shears"}, store=tmp_path / "s.sqlite")
    assert kept.estimate("rate(win)").value == shares[2]
    for call in (
        lambda: garden.tune("mara.weapon", "trowel,rake"),
        lambda: garden.sensitivity(["mara.weapon"], runs=20),
        lambda: garden.sweep(dials, points=4, runs=20),
    ):
        with pytest.raises(mint.BadRequest, match="is a word"):
            call()


def test_each_word_is_tuned_as_a_game_of_its_own(garden: mint.Game, tmp_path: Path, command: Command) -> None:
    from mint_ledger.game.target import Target

    want = Target.model_validate({"name": "half", "measure": "rate(win)", "want": "0.5..1"})
    stands = garden.tune_words("mara.weapon", targets=[want], runs=400)
    shares = {word: judged[0].estimate.value for word, judged in stands.judged.items()}
    for word, share in shares.items():
        assert share == garden.with_dials({"mara.weapon": word}).study(400, habit="none").estimate("rate(win)").value
    tuned = garden.tune_words("mara.weapon", ["rake", "shears"], {"*.health": "x0.3..1.6"}, [want], runs=400)
    assert set(tuned.tuned) == {"rake", "shears"}
    assert tuned.reached
    for word in tuned.reached:
        share = tuned.tuned[word].answers[0].dials["*.health"]
        turned = garden.with_dials({"mara.weapon": word, "*.health": f"x{share}"})
        assert turned.study(1000, seed=77).estimate("rate(win)").value >= 0.45
    (tmp_path / "garden.yaml").write_text(GARDEN, encoding="utf-8")
    answer = command("tune", "garden.yaml", "--dial", "mara.weapon=rake,spade", "--want", "0.5", "--runs", 400)
    assert (answer.returncode, "not 'spade'" in answer.stderr) == (2, True)
    answer = command(
        "tune", "garden.yaml", "--dial", "mara.weapon=rake,shears", "--want", "0..1", "--runs", 400, "--json"
    )
    assert json.loads(answer.stdout)["reached"] == ["rake", "shears"]


def test_a_sweep_and_a_tuning_of_a_pattern(garden: mint.Game, tmp_path: Path, command: Command) -> None:
    sweep = garden.sweep({"foe.*": "x0.5..1.5 by 0.5"}, runs=60)
    assert [point.dials["foe.*"] for point in sweep.points] == [0.5, 1.0, 1.5]
    half = garden.with_variant("easy").study(60).estimate("rate(win)").value
    assert sweep.points[0].estimates["rate(win)"].value == half
    file = tmp_path / "garden.yaml"
    file.write_text(GARDEN.replace("max: 100", "max: 900"), encoding="utf-8")
    answer = command("tune", file, "--dial", "foe.*=x0.5..1.5 by 0.1", "--want", "0.4..0.9", "--runs", 400, "--write")
    assert answer.returncode in (0, 1), answer.stderr
    assert (
        "foe.* is 5 numbers: foe.health, foe.bite, foe.tough, weed[2].health, bramble.health"
        in answer.stdout.replace("\n  ", " ")
    )
    if answer.returncode == 0:
        before, after = garden.dials, mint.load(file).dials
        share = after.value("bramble.health") / before.value("bramble.health")
        assert after.value("foe.health") == pytest.approx(20 * share)
        assert after.value("foe.health.max") == 900


def test_several_habits_play_together_and_one_alone_is_played(garden: mint.Game) -> None:
    both = garden.run(habit=["idle", "lively"])
    assert {"rest", "stretch"} <= set(both.journal[both.journal["what"] == "act"]["cause"])
    study = garden.study(20, habit=("idle", "lively"))
    assert "idle + lively" in study.title
    with pytest.raises(mint.BadRequest, match="cannot play by 'idle' and 'other' at once"):
        mint.loads(GARDEN.replace("  lively:", "  other: {by: mara, reaction: 1}\n  lively:")).run(
            habit=["idle", "other"]
        )
    with pytest.raises(mint.NotFound, match="no habit 'lazy'"):
        garden.run(habit=["idle", "lazy"])
    alone = mint.loads(GARDEN.replace("  lively: {by: weed, reaction: 1, acts: [{do: stretch}]}\n", ""))
    assert "act" in set(alone.run().journal["what"])
    assert "act" not in set(alone.run(habit="none").journal["what"])
    assert alone.study(20).title == "Garden · idle"
    assert alone.study(20, habit="none").title == "Garden · nobody plays"
    # The first habit of each kind plays where none is named.
    assert {"rest", "stretch"} <= set(garden.run().journal["cause"])


def test_headings_say_who_plays_and_in_which_variant(garden: mint.Game, tmp_path: Path) -> None:
    assert garden.run(3).title == "Garden · seed 3 · idle + lively"
    assert garden.run(3, run=2, habit="idle", variant="easy").title == "Garden · seed 3 · run 2 · idle · easy"
    assert garden.run(3, habit="none", variant=["easy", "shears"]).title.endswith("nobody plays · easy + shears")
    assert garden.with_variant("easy").with_variant("shears").run().variant == "easy + shears"
    # A script that plays is not nobody.
    assert garden.run(3, script=[{"at": 1, "set": "mara.tired += 2"}]).title == "Garden · seed 3 · idle + lively"
    study = garden.study(20, variant="easy", store=tmp_path / "kept.db")
    assert study.title == garden.with_variant("easy").study(20).title == "Garden · idle + lively · easy"
    assert garden.sweep({"sharpness": (1, 2)}, runs=20, variant="easy").title == study.title
    with Store(tmp_path / "kept.db") as store:
        assert store.entry(1).title == store.show(1).title == study.title
    # Where no habit is written nobody is missed; and copies that name their habit play by it.
    by_hand = "".join(line for line in GARDEN.splitlines(True) if line[:6] not in ("habits", "  idle", "  live"))
    assert mint.loads(by_hand).run().title == "Garden · seed 1"
    own = mint.loads(GARDEN.replace("copies: [{}, {health: 40}]", "copies: [{habit: lively}, {health: 40}]"))
    assert own.run().title == "Garden · seed 1 · idle" and own.run(habit="none").title == "Garden · seed 1"


def test_a_target_of_each_combination_is_judged_for_each(garden: mint.Game) -> None:
    game = mint.loads(
        GARDEN
        + "targets:\n  - {name: done, measure: rate(win), want: 0..1,\n"
        + "     each: {habit: [idle, [idle, lively]], variant: [easy, [shears, hard]]}}\n"
        + "  - {name: all, measure: rate(win), habit: [idle, lively], variant: [easy, shears], want: 0..1}\n"
    )
    judged = game.judge(40)
    assert [(one.habit, one.target.variant) for one in judged] == [
        ("idle", "easy"),
        ("idle", "shears + hard"),
        ("idle + lively", "easy"),
        ("idle + lively", "shears + hard"),
        ("idle + lively", "easy + shears"),
    ]
    with pytest.raises(mint.GameError, match="unknown variant 'easi', did you mean 'easy'"):
        mint.loads(GARDEN + "targets: [{name: x, measure: rate(win), want: 0..1, each: {variant: [[easi, hard]]}}]\n")


def test_the_command_line_takes_several(tmp_path: Path, command: Command) -> None:
    file = tmp_path / "garden.yaml"
    file.write_text(GARDEN, encoding="utf-8")
    answer = command("study", file, "--runs", 20, "--habit", "idle", "--habit", "lively", "--variant", "hard",
                     "--variant", "shears", "--set", "mara.weapon=trowel", "--json")  # fmt: skip
    told = json.loads(answer.stdout)
    assert told["title"].startswith("Garden · idle + lively")
    assert command("run", file, "--set", "nothing.*=x2").returncode == 2


def test_a_pattern_without_the_key_of_a_cell_is_told_how_cells_are_called() -> None:
    table = "{columns: [rank, bite], rows: [[1, 3], [2, 4]]}"
    game = mint.loads(f"title: Ranks\nclock: {{limit: 5}}\ntables: {{rank: {table}}}\n")
    with pytest.raises(mint.NotFound, match=r"cells of a table do: write '\*\.bite\[\*\]'"):
        game.with_dials({"*.bite": "x2"})
    assert game.with_dials({"*.bite[*]": "x2"}).dials.value("rank.bite[2]") == 8
