"""Who wins as an estimate, whose turn it is as a row, and bars of those who are not there."""

from __future__ import annotations

import pytest

import mint_ledger as mint

RACE = """
title: Race
clock: {unit: turn, limit: 200}
turns: [child]
kinds:
  child:
    copies: 3
    stats: {steps: {start: 0, min: 0, max: 6}}
    rules: [{name: rolls, when: {every: 1}, if: whose == self, do: ["steps += whole(1, 2)"]}]
    endings: {home: {result: win, if: steps >= 6}}
readout: [{bar: "child[1].steps"}, {bar: "child[2].steps"}]
targets: [{name: fair, measure: "rate(child[1])", want: 0.3..0.5}]
"""


def test_the_share_of_a_seat_is_an_estimate_that_targets_may_have() -> None:
    game = mint.loads(RACE)
    study = game.study(600)
    exact = game.exact()
    shares = [study.estimate(f"rate(child[{k}])") for k in (1, 2, 3)]
    assert sum(share.value for share in shares) == pytest.approx(1)
    for k, share in enumerate(shares, start=1):
        low, high = share.interval(0.9999)
        assert low <= exact.rate(f"child[{k}]") <= high
    assert study.estimate("rate(child)").value == 1 == pytest.approx(exact.rate("child"))
    assert game.judge(600)[0].estimate.value == shares[0].value
    with pytest.raises(mint.NotFound, match=r"'child\[4\]', did you mean 'child"):
        study.estimate("rate(child[4])")
    measured = game.sensitivity(["clock.limit"], runs=40, measure="rate(child[2])")
    assert measured.today.value == game.study(40).estimate("rate(child[2])").value


def test_the_story_says_whose_turn_it_is_and_a_kind_means_its_copies() -> None:
    run = mint.loads(RACE).run()
    turns = run.journal[run.journal["what"] == "turn"]
    assert list(turns["entity"].iloc[:4]) == ["child[1]", "child[2]", "child[3]", "child[1]"]
    assert "it is child[2]'s turn" in run.story()
    passed = mint.loads(
        RACE.replace("turns: [child]", "turns: {order: [child], pass: {cue: done}}").replace(
            '"steps += whole(1, 2)"', "steps += 1, {cue: done}"
        )
    ).run()
    assert list(passed.journal[passed.journal["what"] == "turn"]["entity"].iloc[:4]) == [
        "child[1]", "child[2]", "child[3]", "child[1]"
    ]  # fmt: skip
    with pytest.raises(mint.GameError, match="only child takes turns; there are two players at least"):
        mint.loads(
            RACE.replace("copies: 3", "copies: 1").replace('{bar: "child[1].steps"}, {bar: "child[2].steps"}', "")
        )


def test_a_bar_of_one_who_is_absent_says_so() -> None:
    text = """
    clock: {unit: turn, limit: 4}
    kinds: {moth: {copies: 1, room: 2, stats: {health: {start: 5, max: 9}}}}
    rules: [{name: r, when: {every: 2}, do: [{spawn: moth}]}]
    readout: [{bar: "moth[1].health"}, {bar: "moth[2].health"}]
    """
    run = mint.loads(text).run()
    assert run.readout(1).splitlines()[1].split() == ["moth[2].health", "absent"]
    assert "5 of 9" in run.readout(3).splitlines()[1]
