from __future__ import annotations

import pytest

import mint_ledger as mint

YARD = """
title: Yard
clock: {{step: 0.1, limit: 10}}
kinds:
  guard:
    side: wall
    stats: {{health: {{start: 100, min: 0}}, shield: {{start: 20, min: 0}}, cloak: {{start: 5, min: 0}}}}
    when_hit: {when_hit}
  ram: {{copies: 3, side: field, stats: {{push: 30}}}}
attacks:
  butt: {{from: ram, to: guard, damage: {damage}, {more}}}
"""


def strike(
    when_hit: str = "{through: [health]}",
    damage: str = "30",
    more: str = "lands: 1",
    times: int = 1,
    by: str = "ram[1]",
    every: float = 1,
) -> mint.Run:
    game = mint.loads(YARD.format(when_hit=when_hit, damage=damage, more=more))
    script = [{"at": 1 + every * k, "hit": "guard", "with": "butt", "by": by, "sure": True} for k in range(times)]
    run = game.run(script=script)
    run.reconcile()
    return run


def closing(run: mint.Run) -> tuple[float, float, float]:
    values = run.at(run.time)
    return values["guard.cloak"], values["guard.shield"], values["guard.health"]


def hit_text(run: mint.Run) -> str:
    return next(iter(run.journal.loc[run.journal["what"] == "hit", "text"]))


@pytest.mark.parametrize(
    ("when_hit", "damage", "left"),
    [
        ("{through: [health]}", 30, (5, 20, 70)),
        ("{through: [shield, health]}", 30, (5, 0, 90)),
        ("{through: [cloak, shield, health]}", 30, (0, 0, 95)),  # leftover after two layers: 30 - 5 - 20
        ("{through: [{layer: shield, spill: false}, health]}", 30, (5, 0, 100)),
        ("{through: [{layer: shield, share: 0.5}, health]}", 30, (5, 5, 85)),
        ("{through: [{layer: shield, if: health < 50}, health]}", 30, (5, 20, 70)),
        ("{armor: 4, through: [health]}", 30, (5, 20, 74)),
        ("{armor: 40, through: [health]}", 30, (5, 20, 100)),
        ("{armor: 40, at_least: 1, through: [health]}", 30, (5, 20, 99)),
        ("{at_most: 12, through: [health]}", 30, (5, 20, 88)),
        ("{resist: {cold: 0.25}, through: [health]}", 30, (5, 20, 70)),
    ],
)
def test_a_hit_goes_through_its_stages_in_order(when_hit: str, damage: int, left: tuple[float, ...]) -> None:
    assert closing(strike(when_hit, str(damage))) == left


def test_a_resistance_holds_for_its_type_after_armor() -> None:
    run = strike(
        "{armor: 2, resist: {cold: 0.25}, through: [shield, health]}", "14", "type: cold, crit: {chance: 1, times: 2}"
    )
    # 14 doubled is 28, less 2 is 26, less a quarter is 19.5
    assert closing(run) == (5, 0.5, 100)
    assert (
        hit_text(run)
        == "ram[1] hits guard with butt: damage 14 · ×2 crit · −2 armor · −25 % cold → 19.5 · shield took 19.5"
    )


def test_armor_weakens_many_small_hits_more_than_one_large() -> None:
    small = strike("{armor: 2, through: [health]}", "3", times=5)
    large = strike("{armor: 2, through: [health]}", "15")
    assert (closing(small)[2], closing(large)[2]) == (95, 87)


def test_what_an_attack_skips_does_not_weaken_it() -> None:
    run = strike("{armor: 10, at_most: 5, through: [health]}", "30", "skips: [armor, at_most]")
    assert closing(run)[2] == 70


def test_safe_time_lets_one_of_three_attackers_through() -> None:
    game = mint.loads(YARD.format(when_hit="{safe_for: 1, through: [health]}", damage="5", more="when: {every: 2}"))
    run = game.run()
    assert (run.journal["what"] == "hit").sum() == 5
    assert (run.journal["what"] == "blocked").sum() == 10
    assert closing(run)[2] == 75


def test_safe_time_from_each_source_by_itself() -> None:
    game = mint.loads(
        YARD.format(when_hit="{safe_for: 3, safe_from: source, through: [health]}", damage="5", more="when: {every: 2}")
    )
    run = game.run()
    # at 2, 6 and 10 s all three hit; at 4 and 8 s each is still barred by its own last hit
    assert (run.journal["what"] == "hit").sum() == 9


def test_a_cooldown_counts_for_each_pair() -> None:
    game = mint.loads(YARD.format(when_hit="{through: [health]}", damage="5", more="cooldown: 1.5"))
    script = [
        {"at": at, "hit": "guard", "with": "butt", "by": by}
        for at, by in ((1, "ram[1]"), (2, "ram[1]"), (2, "ram[2]"), (2.5, "ram[1]"))
    ]
    run = game.run(script=script)
    assert list(run.journal["what"].where(run.journal["what"].isin(["hit", "blocked"])).dropna()) == [
        "hit",
        "blocked",
        "hit",
        "hit",
    ]


def test_a_hit_without_damage_is_a_hit_and_starts_the_safe_time() -> None:
    run = strike("{safe_for: 5, through: [health]}", "0", times=2)
    assert list(run.journal["what"]) == ["hit", "blocked"]


def test_costs_are_paid_even_for_a_miss() -> None:
    text = YARD.format(when_hit="{through: [health]}", damage="5", more="lands: 0, costs: {push: 10}")
    script = [{"at": k, "hit": "guard", "with": "butt", "by": "ram[1]"} for k in (1, 2, 3, 4)]
    run = mint.loads(text).run(script=script)
    assert run.at(10)["ram[1].push"] == 0
    assert list(run.journal.loc[run.journal["what"] != "posting", "what"]) == ["miss", "miss", "miss", "refused"]


def test_needs_are_asked_before_anything_is_paid() -> None:
    text = YARD.format(when_hit="{through: [health]}", damage="5", more="needs: push > 50, costs: {push: 10}")
    run = mint.loads(text).run(script=[{"at": 1, "hit": "guard", "with": "butt", "by": "ram[1]"}])
    assert run.at(10)["ram[1].push"] == 30
    assert "what it needs does not hold" in run.story()


def test_a_thrown_thing_is_spent() -> None:
    text = YARD.format(when_hit="{through: [health]}", damage="5", more="uses_up: self, when: meets")
    run = mint.loads(text).run(script=[{"at": 1, "meet": ["ram[2]", "guard"], "for": 3}])
    assert run.at(5)["guard.health"] == 95
    assert list(run.journal.loc[run.journal["what"] == "gone", "entity"]) == ["ram[2]"]


@pytest.mark.parametrize(
    ("aims", "struck"),
    [("first", [1, 1, 1]), ("weakest", [2, 2, 2]), ("strongest", [3, 1, 3]), ("all", [1, 2, 3] * 3)],
)
def test_an_attack_aims(aims: str, struck: list[int]) -> None:
    game = mint.loads(f"""
title: Range
clock: {{step: 0.1, limit: 3}}
kinds:
  bow: {{side: a}}
  butt: {{side: b, copies: [{{health: 50}}, {{health: 40}}, {{health: 52}}], stats: {{health: 1}}}}
attacks: {{arrow: {{from: bow, to: butt, when: {{every: 1}}, aims: {aims}, damage: 3}}}}
""")
    hits = game.run().journal
    assert list(hits.loc[hits["what"] == "hit", "entity"]) == [f"butt[{k}]" for k in struck]


def test_random_aim_strikes_all_alike() -> None:
    from scipy import stats

    game = mint.loads("""
title: Range
clock: {unit: turn, limit: 3000}
kinds: {bow: {side: a}, butt: {side: b, copies: 4, stats: {health: 1000000}}}
attacks: {arrow: {from: bow, to: butt, when: {every: 1}, aims: random, damage: 1}}
""")
    hits = game.run().journal
    counts = hits.loc[hits["what"] == "hit", "entity"].value_counts()
    assert stats.chisquare(counts).pvalue > 0.001


def test_nobody_strikes_its_own_side_or_itself() -> None:
    game = mint.loads("""
title: Herd
clock: {step: 0.1, limit: 3}
kinds: {goat: {copies: 2, stats: {health: 10}}, kid: {side: herd, stats: {health: 10}}, dog: {side: herd, stats: {health: 10}}}
attacks:
  horns: {from: goat, to: goat, when: {every: 1}, aims: all, damage: 1}
""")
    assert game.run().at(3) == {"goat[1].health": 7, "goat[2].health": 7, "kid.health": 10, "dog.health": 10}


def test_damage_with_nowhere_to_go_is_a_fault_of_the_file() -> None:
    with pytest.raises(mint.GameError, match="damage to wall has nowhere to go: it has no stat 'health'"):
        mint.loads("kinds: {a: {side: x}, wall: {side: y}}\nattacks: {hit: {from: a, to: wall, damage: 1}}")


def test_rules_hear_of_hits_and_what_they_did() -> None:
    text = (
        YARD.format(when_hit="{through: [health]}", damage="12", more="lands: 1")
        + """
rules:
  - {name: leech, when: {hit: butt}, do: [self.push += hit.damage / 4]}
  - {name: grit, when: {struck: any}, if: hit.damage > 10 and not hit.crit, do: [other.shield += 1]}
"""
    )
    run = mint.loads(text).run(script=[{"at": 1, "hit": "guard", "with": "butt", "by": "ram[2]", "sure": True}])
    assert run.at(2)["ram[2].push"] == 33
    assert run.at(2)["guard.shield"] == 21
