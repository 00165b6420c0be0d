"""What once gave a wrong number: two things of one name, turned games, numbers that cancel, luck that moved."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.errors import BrokenProgram
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import LayoutBuilder

HEAD = "title: Weir\nclock: {unit: turn, limit: 12}\n"


def closings(game: mint.Game, *accounts: str, engine: str = "reference") -> list[float]:
    run = game.run(engine=engine)  # type: ignore[arg-type]
    return [run.statement(account).closing for account in accounts]


# Names are no identity


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_rules_of_one_name_under_different_owners_are_two_rules(engine: str) -> None:
    text = (
        HEAD
        + """
kinds:
  heron: {stats: {caught: 0}, rules: [{name: parry, when: {hit: stab}, at_most: 3, do: ["caught += dice(1, 6)"]}]}
  perch: {stats: {health: 900}}
stats: {seen: 0, third: 0}
attacks: {stab: {from: heron, to: perch, when: {every: 1}, damage: 1}}
rules:
  - {name: parry, when: {hit: stab}, do: ["seen += dice(1, 6)"]}
  - {name: parry, when: {hit: stab}, at_most: 3, do: [third += 1]}
"""
    )
    run = mint.loads(text).run(engine=engine)  # type: ignore[arg-type]
    assert run.statement("third").closing == 3
    assert run.statement("heron.caught").lines[0].changes == 3
    assert run.statement("seen").lines[0].changes == 12


@pytest.mark.parametrize("names", [("pay", "pay", "pay #2"), ("pay #2", "pay", "pay")])
def test_rules_of_one_name_under_one_owner_all_fire(names: tuple[str, ...]) -> None:
    rules = ", ".join(f"{{name: {n!r}, when: {{every: 2}}, do: [p{i} += 1]}}" for i, n in enumerate(names))
    text = HEAD + f"kinds: {{miller: {{stats: {{p0: 0, p1: 0, p2: 0}}, rules: [{rules}]}}}}"
    for engine in ("reference", "native"):
        assert closings(mint.loads(text), "miller.p0", "miller.p1", "miller.p2", engine=engine) == [6, 6, 6]


RACE = """
title: Race
clock: {{unit: turn, limit: 40}}
kinds:
  {0}: {{stats: {{at: 0}}, rules: [{{name: go, when: {{every: 1}}, do: ["at += 1 if chance(0.5) else 0"]}}],
         endings: {{first to three: {{result: win, if: at >= 3}}}}}}
  {1}: {{stats: {{at: 0}}, rules: [{{name: go, when: {{every: 1}}, do: ["at += 1 if chance(0.25) else 0"]}}],
         endings: {{first to three: {{result: {2}, if: at >= 3}}}}}}
"""


@pytest.mark.parametrize("result", ["win", "lose"])
def test_endings_of_one_name_under_two_kinds_are_both_counted(result: str) -> None:
    game = mint.loads(RACE.format("oak_sled", "stone_sled", result))
    exact = game.exact()
    # Three successes at one in two within t turns, before three at one in four: by hand.
    fast, slow = (lambda t: stats.nbinom(3, 0.5).cdf(t - 3)), (lambda t: stats.nbinom(3, 0.25).cdf(t - 3))
    first = sum((fast(t) - fast(t - 1)) * (1 - slow(t - 1)) for t in range(3, 41))
    assert exact.winners["oak_sled"] == pytest.approx(first, abs=1e-9)
    assert exact.rate("first to three") == pytest.approx(1.0, abs=1e-6)
    assert exact.rate("win") == pytest.approx(first if result == "lose" else 1.0, abs=1e-6)
    sampled = game.study(2_000)
    assert sampled.rate("win").low <= exact.rate("win") <= sampled.rate("win").high


def test_a_column_is_never_handed_out_in_two_shapes() -> None:
    layout = LayoutBuilder()
    layout.column(Handle("timer base", ("rules", 0)), "time", 0, 3)
    with pytest.raises(BrokenProgram, match=r"timer base of rules\.0"):
        layout.column(Handle("timer base", ("rules", 0)), "time", 0, 4)
    assert layout.column(Handle("timer base", ("rules", 1)), "time", 0, 4).base == 3


# Renaming changes no number without chance


def test_renaming_kinds_stats_and_rules_changes_nothing_but_names(demo: mint.Game) -> None:
    text = Path(mint.demo_path()).read_text("utf-8")
    other = text
    for old, new in (("bosun", "captain"), ("shutters", "blinds"), ("footing breaks", "balance goes")):
        assert old in other
        other = other.replace(old, new)
    # Without chance: the script alone.
    script = [{"at": n, "act": "swing"} for n in range(1, 40)]
    one, two = (mint.loads(t).run(script=script, only_script=True) for t in (text, other))
    assert one.closing == two.closing and len(one.rows) == len(two.rows)


# A turned game is a game


TURNED = """
# how strong a wave is
title: Bank
clock: {step: 0.1, limit: 30}
kinds:
  bank: {stats: {height: {start: 40, min: 0, dry: true}}, when_hit: {armor: 1, through: [height]}}
  wave: {copies: 2, stats: {force: 3}}    # a comment that stays
attacks: {breaks: {from: wave, to: bank, when: {every: 1.5}, lands: 0.7, damage: "self.force + dice(1, 4)"}}
endings: {washed away: {result: lose, if: bank.height <= 0}}
variants: {storm: {wave.force: 9}}
""".replace(", dry: true", "")


@pytest.mark.parametrize(
    "turn",
    [
        lambda g: g.with_dials({"wave.force": 5}),
        lambda g: g.with_dials({"wave.copies": 1, "bank.when_hit.armor": 0}),
        lambda g: g.with_variant("storm"),
        lambda g: g.with_dials({"wave.force": 5}).with_dials({"breaks.lands": 0.25}),
    ],
    ids=["a number", "a structure", "a variant", "twice"],
)
def test_a_turned_game_gives_the_same_numbers_wherever_it_is_played(turn, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    game = turn(mint.loads(TURNED))
    again = mint.loads(game.to_yaml())
    assert dict(zip(again.dials.names, again.dials.numbers, strict=True)) == dict(
        zip(game.dials.names, game.dials.numbers, strict=True)
    )
    assert "# a comment that stays" in game.to_yaml()
    game.save(tmp_path / "saved.yaml")
    wanted = again.study(120, engine="native").measures
    store = tmp_path / "bank.sqlite"
    with ThreadPoolExecutor(2) as pool:
        ways = [
            game.study(120, engine="native"),
            game.study(120, engine="reference"),
            game.study(120, executor=pool),
            game.study(120, store=store),
            game.study(120, store=store),
            again.study(120, store=store),
            mint.load(tmp_path / "saved.yaml").study(120),
        ]
    assert all(study.measures.equals(wanted) for study in ways)
    plain = mint.loads(TURNED).study(120, store=store)
    assert not plain.measures.equals(wanted)


def test_a_store_of_another_version_is_not_believed(tmp_path: Path) -> None:
    import sqlite3

    from mint_ledger.studies.store import Store

    store = tmp_path / "old.sqlite"
    mint.loads(TURNED).study(50, store=store)
    with sqlite3.connect(store) as connection:
        connection.execute("update studies set key = 'by another rule', version = '0.1.0'")
    with Store(store) as opened, pytest.raises(mint.BadRequest, match=r"another version \(0\.1\.0"):
        opened.show(1)


def test_a_copy_of_a_game_with_other_sections_is_lowered_anew() -> None:
    game = mint.loads(TURNED)
    assert game.run().result == "unfinished" or game.run().result == "lose"
    ended = game.model_copy(update={"endings": {}})
    assert ended.run().result == "unfinished" and not ended.lowered.program.endings
    assert "washed away" not in ended.to_yaml()


def test_impossible_dials_of_playtests_and_variants_are_faults_of_the_file() -> None:
    base = "kinds: {hero: {stats: {health: {start: 50, min: 0, max: 100}}}}\n"
    for more in (
        "playtests: {p: {dials: {hero.health: 200}, expect: [{at: 0, that: true}]}}",
        "variants: {v: {hero.health: 200}}",
        "variants: {v: {hero.health.max: 40}}",
    ):
        with pytest.raises(mint.GameError, match=r"makes an impossible game: hero\.health starts at"):
            mint.loads(base + more)
    [result] = mint.loads(
        base + "playtests: {p: {start: {hero.health: 200}, expect: [{at: 0, that: true}]}}"
    ).play_tests()
    assert not result.passed and "above its max of 100" in result.stopped


SPACE = """
title: Yard
clock: {step: 0.1, limit: 20}
space: {}
kinds:
  girl: {where: [9, 0]}
  goose: {where: [0, 0], moves: {toward: girl, speed: 1.5}}
  gander: {like: goose, moves: [{toward: girl, speed: 1}]}
"""


def test_the_speed_of_a_single_move_is_a_dial_like_any_other(command: Command, tmp_path: Path) -> None:
    game = mint.loads(SPACE)
    for name in ("goose.moves[1].speed", "goose.moves.speed", "gander.moves[1].speed"):
        turned = game.with_dials({name: 3})
        assert turned.run(engine="native").at(2)[f"{name.partition('.')[0]}.x"] == pytest.approx(5.7)
        assert mint.loads(turned.to_yaml()).run().at(2) == turned.run().at(2)
    (tmp_path / "yard.yaml").write_text(SPACE, "utf-8")
    assert command("run", "yard.yaml", "--set", "goose.moves[1].speed=3").returncode == 0
    test = SPACE + "playtests: {fast: {dials: {'goose.moves[1].speed': 3}, expect: [{at: 2, that: goose.x > 5}]}}"
    [result] = mint.loads(test).play_tests()
    assert result.passed


def test_a_number_that_a_kind_takes_over_is_turned_with_all_that_stands_beside_it() -> None:
    game = mint.loads(
        """
kinds:
  foe:  {copies: 0, stats: {health: {start: 20, min: 0, max: 20, recover: {rate: 1, after: 4}}},
         when_hit: {armor: 2, dodge: 0.5, at_least: 1}}
  crab: {like: foe}
  post: {stats: {n: 0}}
attacks: {pinch: {from: post, to: crab, damage: 9}}
"""
    )
    turned = game.with_dials({"crab.when_hit.armor": 5, "crab.health.recover.rate": 2})
    kind = turned.lowered.program.cast.members["crab"].kind
    assert kind.when_hit.dodge.number == 0.5 and kind.when_hit.at_least.number == 1
    assert kind.stats["health"].recover.after.number == 4
    assert mint.loads(turned.to_yaml()).dials.value("crab.health.recover.after") == 4
    both = game.with_dials({"foe.when_hit.armor": 7})
    assert both.dials.value("crab.when_hit.armor") == 7
    own = turned.with_dials({"foe.when_hit.armor": 7})
    assert own.dials.value("crab.when_hit.armor") == 5


# Limits, cues, ends of time


ANCHORED = """\
mint_ledger: 1
clock: {step: 1, limit: 4}
kinds:
  goat:
    stats: &stats
      health: &health {start: 10, min: 0, max: 20}  # a comment that stays
      bite: &bite 2
  sheep:
    stats: *stats
  ram:
    stats: {health: *health, bite: *bite}
rules:
  - {when: {every: 1}, do: [goat.health -= sheep.bite, ram.health -= goat.bite]}
"""


@pytest.mark.parametrize(
    ("dial", "health"),
    [("sheep.bite", {"goat": 0, "ram": 2}), ("goat.bite", {"goat": 2, "ram": 0}), ("ram.bite", None)],
)
@pytest.mark.filterwarnings("error")
def test_a_number_that_the_file_takes_over_by_its_anchor_is_turned_in_one_place(
    dial: str, health: dict[str, float] | None
) -> None:
    turned = mint.loads(ANCHORED).with_dials({dial: 5})
    text = turned.to_yaml()
    assert "# a comment that stays" in text
    for game in (turned, mint.loads(text)):
        assert {name: game.dials.value(name) for name in ("goat.bite", "sheep.bite", "ram.bite")} == {
            "goat.bite": 2, "sheep.bite": 2, "ram.bite": 2, dial: 5
        }  # fmt: skip
        assert game.run().at(4) == turned.run().at(4)
        for kind, left in (health or {"goat": 2, "ram": 2}).items():
            assert game.run().at(4)[f"{kind}.health"] == left


@pytest.mark.parametrize("count", [17, 40])
def test_a_limit_may_go_over_as_many_kinds_as_it_likes(count: int) -> None:
    limit = " + ".join(f"total(stone.w{i})" for i in range(count))
    weights = ", ".join(f"w{i}: 1" for i in range(count))
    text = HEAD + (
        f"stats: {{load: {{start: 0, max: '{limit}'}}}}\n"
        f"kinds: {{stone: {{copies: 2, stats: {{{weights}}}}}}}\n"
        "rules: [{name: more, when: {every: 1}, do: [load += 50]}]"
    )
    for engine in ("reference", "native"):
        assert closings(mint.loads(text), "load", engine=engine) == [2 * count]


@pytest.mark.parametrize("at_once", [True, False])
def test_a_cue_with_nine_values_is_refused_in_words_that_say_so(at_once: bool) -> None:
    names = [f"v{i}" for i in range(9)]
    parts = [names] if at_once else [names[:5], names[5:]]
    rules = [f"{{when: {{every: 1}}, do: [{{cue: bell, with: {{{', '.join(f'{n}: 1' for n in p)}}}}}]}}" for p in parts]
    heard = "{when: {cue: bell}, do: [n += cue.v8]}"
    with pytest.raises(mint.GameError, match="'bell' has 9 values in all") as caught:
        mint.loads(HEAD + f"stats: {{n: 0}}\nrules: [{', '.join([*rules, heard])}]")
    assert "has no value" not in str(caught.value)


def test_a_run_told_to_0_and_a_study_of_one_run_are_plain_json(command: Command, tmp_path: Path) -> None:
    (tmp_path / "bank.yaml").write_text(TURNED, "utf-8")
    told = json.loads(command("run", "bank.yaml", "--to", "0", "--json").stdout)
    assert all(row["time"] == 0 for row in told["journal"])
    for options in (["--runs", "1"], ["--runs", "1", "--measure", "left=closing(bank.height)"]):
        result = command("study", "bank.yaml", *options, "--json")
        assert result.returncode == 0, result.stderr
        assert json.loads(result.stdout)["by_cause"]["bank.height"][0]["low"] is None


# Numbers that cancel


@pytest.mark.parametrize("big", [1e9, 1e12])
def test_large_amounts_that_differ_little_have_the_interval_of_their_differences(big: float) -> None:
    text = (
        "clock: {unit: turn, limit: 1}\nstats: {gold: 0}\n"
        f"rules: [{{name: pay, when: {{every: 1}}, do: ['gold += {big:.0f} + normal(0, 1)']}}]"
    )
    game = mint.loads(text)
    for engine in ("native", "reference"):
        study = game.study(1_000, accounts=["gold"], engine=engine)
        row = study.by_cause("gold").iloc[0]
        sample = game.study(1_000, measures={"g": "closing(gold)"}).measures["g"]
        wanted = stats.sem(sample) * stats.t(999).ppf(0.975)
        assert (row["high"] - row["low"]) / 2 == pytest.approx(wanted, rel=0.02)


# Luck


LUCKY = """
clock: {{unit: turn, limit: 60}}
stats: {{a: 0, b: 0}}
kinds: {{hen: {{copies: 2, stats: {{eggs: 0}}, rules: [{hen}]}}}}
rules: [{rule}, {{when: {{every: 1}}, do: ["b += dice(1, 6)"]}}]
"""
LAYS = '{{when: {{every: 1}}, if: chance({0}), do: ["eggs += whole(1, {1})"]}}'
DROPS = '{{when: {{every: {1}}}, let: {{x: "between(0, 1)"}}, if: "x < {0}", do: [a += 1]}}'


def test_editing_a_number_of_an_unnamed_rule_leaves_its_luck_as_it_was() -> None:
    def series(hen: str, rule: str) -> list[float]:
        run = mint.loads(LUCKY.format(hen=hen, rule=rule)).run(seed=5)
        table = run.journal
        return table.loc[table["entity"] == "hen[1]", "time"].tolist()

    few, more = (series(LAYS.format(p, 3), DROPS.format(0.5, 1)) for p in (0.30, 0.45))
    assert set(few) < set(more)

    def times(chance: float, first: int = 1) -> set[float]:
        run = mint.loads(LUCKY.format(hen=LAYS.format(0.5, 3), rule=DROPS.format(chance, first))).run(seed=5)
        return set(run.journal.loc[run.journal["stat"] == "a", "time"].tolist())

    assert times(0.4) < times(0.55)


def test_luck_is_known_by_owner_and_name_and_by_nothing_else() -> None:
    named = '{{name: {0}, when: {{every: 1}}, do: ["{1} += dice(1, 6)"]}}'
    text = "clock: {{unit: turn, limit: 12}}\nstats: {{a: 0, b: 0}}\nrules: [{0}]"
    alone = mint.loads(text.format(named.format("draws", "a")))
    both = mint.loads(text.format(", ".join([named.format("other", "b"), named.format("draws", "a")])))
    assert closings(alone, "a") == closings(both, "a")
    twin = mint.loads(text.format(", ".join([named.format("draws", "a"), named.format("draws", "b")])))
    assert closings(twin, "a") == closings(alone, "a") and closings(twin, "a") != closings(twin, "b")


def test_compare_pairs_two_files_that_differ_in_a_number_of_an_unnamed_rule(tmp_path: Path) -> None:
    text = "clock: {{unit: turn, limit: 20}}\nstats: {{n: 0}}\nrules: [{{when: {{every: 1}}, do: ['n += 1 if chance({0}) else 0']}}]\nendings: {{up: {{result: win, if: n >= 11}}}}"
    one, two = (mint.loads(text.format(p)) for p in (0.50, 0.55))
    first, second = (game.study(400).measures["result"].astype(str) for game in (one, two))
    # With the same luck, whoever wins at 0.50 wins at 0.55 as well.
    assert not ((first == "win") & (second != "win")).any()


# One pass is one meeting


@pytest.mark.parametrize(
    ("girl", "moves"),
    [
        ("[1.3, -0.8]", "{between: [[-1.61, -1.60], [-0.09, 0.53]], speed: 0.94}"),
        ("[0.4, 1.2]", "{between: [[0.31, -1.86], [-0.15, 2.61]], speed: 0.5}"),
        ("[3, 0]", "still"),
    ],
)
@pytest.mark.parametrize("step", [0.1, 0.05, 0.03, 0.02, 0.01])
def test_one_pass_is_one_meeting_at_any_step(girl: str, moves: str, step: float) -> None:
    text = f"""
clock: {{step: {step}, limit: 4}}
space: {{}}
stats: {{met: 0}}
kinds:
  girl: {{where: {girl}, moves: {moves}}}
  goose: {{where: [0, 0], radius: 0.5, moves: {{toward: girl, speed: 1.5}}}}
  cart: {{where: [-9, 0.1], radius: 0.4, moves: {{ahead: 6}}, rules: [{{when: {{meets: goose}}, do: [met += 1]}}]}}
"""
    game = mint.loads(text)
    native = game.run(engine="native")
    assert native.statement("met").closing <= 1
    assert native.rows == game.run(engine="reference").rows


# Why


WHY = """
clock: {unit: turn, limit: 6}
stats:
  state: {one_of: [dusty, shining], start: dusty}
  polish: {start: 0, bands: {low: 0..2, high: 3..9}}
  noise: 0
  rank: 0
rules:
  - {name: rub, when: {every: 1}, do: [polish += 1, noise += 1]}
  - {name: shines, when: {becomes: polish >= 3}, do: [state = shining]}
  - {name: rises, when: {enters: polish high}, do: [rank += 1]}
"""


def test_why_tells_words_and_the_posting_that_the_condition_read() -> None:
    run = mint.loads(WHY).run()
    state = run.why("state")
    assert state.reasons[0].change == "dusty → shining"
    assert "dusty → shining" in str(state) and "+1" not in str(state).split("shines")[0]
    rank = run.why("rank")
    assert rank.reasons[0].told and "polish" in rank.reasons[0].told[0] and "noise" not in rank.reasons[0].told[0]


def test_where_two_bands_touch_why_and_the_rules_name_the_same() -> None:
    text = HEAD + "stats: {heat: {start: 5, bands: {cold: 0..5, warm: 5..9}}, n: 0}\n"
    game = mint.loads(text + "rules: [{when: {every: 1}, if: heat.band == warm, do: [n += 1]}]")
    run = game.run()
    assert run.statement("n").closing == 12 and run.why("heat").band == "warm"


def test_rules_of_one_name_are_told_apart_in_books_and_studies() -> None:
    text = (
        HEAD
        + """
stats: {till: 0}
kinds:
  miller: {rules: [{name: moves, when: {every: 2}, do: [till += 3]}]}
  baker: {rules: [{name: moves, when: {every: 3}, do: [till -= 1]}]}
rules: [{name: moves, when: {every: 4}, do: [till += 10]}]
"""
    )
    game = mint.loads(text)
    run = game.run()
    wanted = {"moves (miller)": 18, "moves (baker)": -4, "moves": 30}
    assert {line.cause: line.total for line in run.statement("till").lines} == wanted
    table = game.study(20, accounts=["till"]).by_cause("till")
    assert dict(zip(table["cause"], table["total"], strict=True)) == wanted
    assert game.study(20, measures={"all": "total(till, moves)"}).mean("all").value == 44
    # A rule of that name is no motion, and is told.
    assert "till" in run.story().split("readout")[0] and "moves (baker)" in run.story()


KILN = """
clock: {step: 0.5, limit: 16}
stats:
  heat: {start: 20, min: 0, max: 100}
  mood: {one_of: [cold, warm, hot], start: cold}
  shut: {start: false}
rules:
  - {name: stoke, when: {every: 2}, do: [heat += 15]}
  - {name: cool, when: {every: 3}, do: [heat -= 5, "shut = not shut"]}
  - {name: warms, when: {becomes: heat > 50}, do: ["mood = warm"]}
  - {name: heats, when: {becomes: heat > 90}, do: ["mood = hot"]}
"""


@pytest.mark.parametrize(
    ("account", "opening", "lines", "closing"),
    [
        ("mood", "cold", [("warms", "warm", 1), ("heats", "hot", 2)], "hot"),
        ("shut", "no", [("cool", "yes", 3), ("cool", "no", 2)], "yes"),
    ],
)
def test_a_statement_of_words_is_in_words(
    account: str, opening: str, lines: list[tuple[str, str, int]], closing: str
) -> None:
    run = mint.loads(KILN).run()
    statement = run.statement(account)
    assert statement.as_json() == {
        "account": account, "from": 0.0, "to": 16.0, "opening": opening, "closing": closing,
        "causes": [{"cause": cause, "to": to, "changes": changes} for cause, to, changes in lines],
    }  # fmt: skip
    assert list(statement.table().columns) == ["cause", "to", "changes"]
    assert statement.reconciles()
    shown = str(statement)
    assert f"opening {opening}" in " ".join(shown.split()) and f"closing {closing}" in " ".join(shown.split())
    assert "heats → hot 2 changes" in " ".join(str(run.statement("mood")).split())
    assert f"{lines[0][0]} → {lines[0][1]}" in str(statement.beside(statement))
    assert "(+1)" not in str(run.why("mood")) + str(run.why("heat"))
    with pytest.raises(mint.BadRequest, match="nothing to draw"):
        statement.plot()


def test_a_measure_of_a_word_is_whether_it_is_so_and_never_its_place_among_the_words() -> None:
    game = mint.loads(
        """
clock: {step: 1, limit: 1}
stats: {sky: {one_of: [dull, bright, black], start: dull}}
rules: [{name: dawn, when: {every: 1}, chance: 0.3, do: ["sky = bright"]}]
measures: {bright: closing(sky) == bright, other: "'bright' != closing(sky)"}
"""
    )
    study = game.study(runs=2000, seed=4)
    assert study.mean("bright").value == pytest.approx(0.3, abs=0.04)  # 3.9 standard errors
    assert study.mean("bright").value + study.mean("other").value == 1
    for text, message in [
        ("closing(sky)", "sky is a word"),
        ("lowest(sky)", "sky is a word"),
        ("total(sky, dawn)", "sky is a word"),
        ("closing(sky) + 1", "sky is a word"),
        ("closing(sky) > dull", "compare them with =="),
        ("closing(sky) == 2", "'2' is not one of dull, bright, black"),
        ("closing(sky) == blak", "did you mean 'black'"),
    ]:
        with pytest.raises(mint.GameError, match=message):
            game.study(runs=2, measures={"x": text})
