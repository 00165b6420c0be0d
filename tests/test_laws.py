"""Laws that hold for every game of a sort: they say what has to be the same, whatever the numbers are."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import mint_ledger as mint

FEW = settings(max_examples=6, deadline=None, suppress_health_check=list(HealthCheck))
STRIKES = st.fixed_dictionaries(
    {
        "health": st.integers(4, 40),
        "bite": st.integers(1, 9),
        "armor": st.integers(0, 3),
        "gift": st.integers(0, 5),
        "rate": st.sampled_from([0, 1, 2.5]),
        "every": st.sampled_from([1, 1.5, 2]),
        "lands": st.sampled_from([0.3, 0.7, 1]),
    }
)


def raft(numbers: dict[str, float], times: float = 1, step: float = 0.5) -> mint.Game:
    """A game in which all that is a point of health is `times` as much."""
    health, bite, armor, gift, rate = (times * numbers[name] for name in ("health", "bite", "armor", "gift", "rate"))
    return mint.loads(
        f"""
title: Raft
clock: {{step: {step}, limit: 40}}
kinds:
  rower:
    stats:
      health: {{start: {health}, min: 0, max: {health}, recover: {{rate: {rate}, after: 2}}}}
      armor: {armor}
    when_hit: {{armor: armor, through: [health]}}
  gull: {{copies: 2}}
attacks: {{pecks: {{from: gull, to: rower, when: {{every: {numbers["every"]}}}, lands: {numbers["lands"]}, damage: {bite}}}}}
rules: [{{name: bread, when: {{every: 5}}, do: [rower.health += {gift}]}}]
endings: {{tired: {{result: lose, if: rower.health <= 0}}, home: {{result: win, if: time >= 30}}}}
measures: {{left: closing(rower.health), lowest: lowest(rower.health)}}
"""
    )


@FEW
@given(STRIKES, st.sampled_from([2.0, 0.5, 1024.0]))
def test_all_points_of_one_stat_may_be_counted_in_another_unit(numbers: dict[str, float], times: float) -> None:
    one, other = (raft(numbers, factor).study(60, seed=3).measures for factor in (1, times))
    assert one["time"].equals(other["time"]) and one["result"].equals(other["result"])
    for name in ("left", "lowest"):
        # A factor of two changes no bit but the exponent.
        assert (one[name] * times).equals(other[name])


@FEW
@given(STRIKES)
def test_half_a_step_changes_nothing_where_all_happens_at_whole_ones(numbers: dict[str, float]) -> None:
    plain = {**numbers, "rate": 0, "lands": 1}
    one, other = (raft(plain, step=step).study(5, seed=3).measures for step in (0.5, 0.25))
    assert one["result"].equals(other["result"]) and one["left"].equals(other["left"])
    assert one["time"].equals(other["time"])


@FEW
@given(STRIKES)
def test_a_game_compared_with_itself_differs_in_nothing(numbers: dict[str, float]) -> None:
    game = raft(numbers)
    compared = game.compare(raft(numbers), runs=80)
    assert all(d.difference.value == 0.0 and d.is_nothing for d in compared.differences if d.name != "unfinished")
    assert compared.turned == () and compared.changed_dials == () and compared.parting is None


@FEW
@given(STRIKES, st.integers(1, 150), st.integers(1, 150))
def test_a_study_that_goes_on_is_the_study_that_was_played_at_once(
    tmp_path_factory: pytest.TempPathFactory, numbers: dict[str, float], first: int, more: int
) -> None:
    game, store = raft(numbers), tmp_path_factory.mktemp("laws") / "kept.sqlite"
    game.study(first, store=store)
    assert game.study(first + more, store=store).measures.equals(game.study(first + more).measures)


@FEW
@given(STRIKES, st.integers(-3, 9), st.integers(1, 4))
def test_a_formula_and_its_name_are_the_same_to_the_bit(numbers: dict[str, float], more: int, parts: int) -> None:
    text, bite = raft(numbers).to_yaml(), numbers["bite"]
    was, tail = f"damage: {bite}}}", f"time / {parts} - ({more})"
    written = text.replace(was, f'damage: "{bite} + {tail}"}}')
    named = text.replace(was, f'damage: "harder({bite}, {parts})"}}')
    named += f"formulas: {{harder: {{of: [base, parts], is: base + time / parts - ({more})}}}}\n"
    assert written != text and named != text
    one, other = (mint.loads(game).study(60, seed=2).measures for game in (written, named))
    assert one.equals(other)


@FEW
@given(STRIKES)
def test_a_game_is_the_same_when_it_is_written_and_read_again(
    tmp_path_factory: pytest.TempPathFactory, numbers: dict[str, float]
) -> None:
    game, path = raft(numbers), tmp_path_factory.mktemp("laws") / "raft.yaml"
    game.save(path)
    assert mint.load(path).study(40).measures.equals(game.study(40).measures)
    assert Path(path).read_text("utf-8") == mint.load(path).to_yaml()
