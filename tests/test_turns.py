from __future__ import annotations

import pytest

import mint_ledger as mint

QUIZ = """
title: Riddles
clock: {{unit: turn, limit: 12}}
kinds:
  amber: {{stats: {{score: 0}}}}
  teal: {{stats: {{score: 0}}}}
actions: {{claim: {{by: [amber, teal], do: [score += 10]}}}}
{sections}
"""
TURNS = "turns: {order: [amber, teal], pass: {cue: answered}}"
AWARD = "rules:\n  - {name: award, when: {cue: answered}, if: cue.right > 0, do: [whose.score += 1]}"


def answers(*right: int) -> list[dict]:
    return [{"at": k + 1, "cue": "answered", "with": {"right": r}} for k, r in enumerate(right)]


def closing(sections: str, script: list[dict]) -> tuple[float, float]:
    run = mint.loads(QUIZ.format(sections=sections)).run(script=script)
    run.reconcile()
    values = run.at(12)
    return values["amber.score"], values["teal.score"]


@pytest.mark.parametrize("sections", [f"{AWARD}\n{TURNS}", f"{TURNS}\n{AWARD}"])
def test_the_turn_passes_last_wherever_it_stands_so_that_a_score_goes_to_whose_turn_it_was(sections: str) -> None:
    assert closing(sections, answers(1, 0, 1)) == (2, 0)


def test_turns_in_order_pass_with_each_step() -> None:
    rules = "turns: [amber, teal]\nrules:\n  - {when: {every: 1}, do: [whose.score += turn]}"
    assert closing(rules, []) == (1 + 3 + 5 + 7 + 9 + 11, 2 + 4 + 6 + 8 + 10 + 12)


def test_an_action_out_of_turn_is_refused() -> None:
    script = [{"at": 1, "act": "claim", "by": "teal"}, {"at": 2, "act": "claim", "by": "teal"}]
    run = mint.loads(QUIZ.format(sections="turns: [amber, teal]")).run(script=script)
    assert run.at(12)["teal.score"] == 10
    assert "teal cannot use claim: it is not its turn" in run.story()


def test_a_run_in_turns_reads_as_turns_everywhere() -> None:
    game = mint.loads(QUIZ.format(sections=f"{AWARD}\n{TURNS}"))
    run = game.run(script=answers(1))
    assert "turn 1" in run.story() and "seconds" not in run.story() and " s\n" not in run.story()
    assert run.plot(["amber.score"]).axes[0].get_xlabel() == "turn"
    assert "turns" in game.study(5).summary()


def test_four_players_each_with_own_numbers_and_only_the_one_that_was_hit_loses_a_point() -> None:
    run = mint.loads(
        """
title: Ring
clock: {step: 0.1, limit: 5}
kinds:
  player: {copies: [{armour: 1}, {armour: 2}, {armour: 3}, {armour: 4}], stats: {armour: 0, health: 20, points: 5}}
  ball: {stats: {}}
attacks: {lands: {from: ball, to: player, damage: "other.armour * 2"}}
rules: [{name: loses a point, when: {hit: lands}, do: [other.points -= 1]}]
""".replace("armour", "weight")
    ).run(script=[{"at": 1, "hit": "player[3]", "with": "lands"}])
    values = run.at(2)
    assert [values[f"player[{k}].points"] for k in (1, 2, 3, 4)] == [5, 5, 4, 5]
    assert [values[f"player[{k}].health"] for k in (1, 2, 3, 4)] == [20, 20, 14, 20]


@pytest.mark.parametrize(
    ("sections", "words"),
    [
        ("turns: [amber]", "only amber takes turns; there are two players at least"),
        ("turns: [amber, tael]", "unknown entity 'tael', did you mean 'teal'?"),
        ("turns: {order: [amber, teal], pas: {cue: x}}", "unknown key 'pas', did you mean 'pass'?"),
    ],
)
def test_faults_of_turns(sections: str, words: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(QUIZ.format(sections=sections))
    assert words in str(caught.value)
    with pytest.raises(mint.GameError, match="turns want a clock of turns"):
        mint.loads(QUIZ.format(sections="turns: [amber, teal]").replace("unit: turn, limit: 12", "limit: 12"))
