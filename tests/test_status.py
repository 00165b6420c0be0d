from __future__ import annotations

import pytest

import mint_ledger as mint

GAME = """
title: Forge
clock: {{step: 0.1, limit: 30}}
kinds:
  smith:
    stats: {{heat: {{start: 0, min: 0}}, grip: 10, reach: {{formula: grip * 2}}, room: {{start: 20, min: 0, max: 10 + grip}}}}
  anvil: {{immune: [{name}], stats: {{heat: 0}}}}
statuses:
  {name}: {status}
playtests:
  it does: {{script: [], expect: [{{at: 0, that: smith.heat == 0}}]}}
"""


def play(status: str, script: list[dict], name: str = "glow") -> mint.Run:
    run = mint.loads(GAME.format(name=name, status=status)).run(script=script)
    run.reconcile()
    return run


def give(at: float, **more: object) -> dict:
    return {"at": at, "give": "glow", "to": "smith", **more}


def test_a_status_ticks_and_a_tick_due_at_the_end_still_happens() -> None:
    run = play("{lasts: 5, every: 1, do: [heat += 2]}", [give(1)])
    assert [run.at(t)["smith.heat"] for t in (1.9, 2, 5.9, 6, 9)] == [0, 2, 8, 10, 10]


@pytest.mark.parametrize(
    ("again", "end", "heat"),
    [
        ("restart", 6, 3 + 3),  # ticks at 2, 3 and, begun again at 3, at 4, 5 and 6 (the one at 3 falls on the renewal)
        ("extend", 7, 6),
        ("ignore", 4, 3),
        ("{stack: 3}", 6, 2 + 2 + 2 + 2 + 1),
    ],
)
def test_a_status_given_again(again: str, end: float, heat: float) -> None:
    run = play(f"{{lasts: 3, every: 1, do: [heat += 1], again: {again}}}", [give(1), give(3)])
    ended = run.journal[(run.journal["what"] == "status") & run.journal["text"].str.endswith("ends")]
    assert list(ended["time"]) == [end]
    ticks = {"restart": 2 + 3, "extend": 6, "ignore": 3, "{stack: 3}": 2 + 2 * 3}[again]
    assert run.at(20)["smith.heat"] == ticks


def test_a_status_that_ticks_too_often_or_without_a_period_stops_the_run() -> None:
    with pytest.raises(mint.RunStopped, match="due more than 10,000 times in one step"):
        play("{lasts: 5, every: 1e-7, do: [smith.heat += 1]}", [give(1)])
    with pytest.raises(
        mint.RunStopped, match=r"a period has to be longer than 0, and this one is 0; it read self\.heat"
    ):
        play("{lasts: 5, every: self.heat, do: [smith.heat += 1]}", [give(1)])


def test_a_stack_holds_no_more_than_it_says() -> None:
    run = play(
        "{lasts: 9, changes: {grip: {plus: 1}}, again: {stack: 2}}",
        [give(1), give(2), give(3), {"at": 4, "set": "smith.heat = smith.grip"}],
    )
    assert run.at(5)["smith.heat"] == 12


def test_changes_alter_what_formulas_read_and_not_what_is_booked() -> None:
    script = [
        give(1, **{"for": 2}),
        {"at": 2, "set": "smith.heat = smith.grip * 100 + smith.grip.base"},
        {"at": 4, "set": "smith.heat = smith.grip"},
    ]
    run = play("{changes: {grip: {times: 0.5}}}", script)
    assert run.at(2)["smith.heat"] == 510
    assert run.at(2)["smith.grip"] == 10
    assert run.at(4)["smith.heat"] == 10


def test_all_plus_come_before_all_times() -> None:
    text = GAME.format(name="glow", status="{changes: {grip: {times: 2}}}").replace(
        "playtests:", "  oil: {changes: {grip: {plus: 5}}}\nplaytests:"
    )
    script = [give(1), {"at": 1, "give": "oil", "to": "smith"}, {"at": 2, "set": "smith.heat = smith.reach"}]
    assert mint.loads(text).run(script=script).at(3)["smith.heat"] == 60  # (10 + 5) * 2, and reach doubles it


def test_a_limit_reads_what_a_status_changes() -> None:
    run = play("{changes: {grip: {plus: -6}}}", [give(1, **{"for": 2})])
    assert [run.at(t)["smith.room"] for t in (0.9, 1, 5)] == [20, 14, 14]


def test_a_temporary_bonus_of_30_bears_a_fifth_hit() -> None:
    text = """
title: Footing
clock: {step: 0.1, limit: 20}
kinds:
  keeper: {side: a, stats: {health: 500, strain: {start: 0, min: 0}, footing: 80, falls: 0}}
  bosun: {side: b}
attacks: {cudgel: {from: bosun, to: keeper, damage: 1, also: [other.strain += 25]}}
statuses: {braced: {changes: {footing: {plus: 30}}}}
rules:
  - {name: breaks, when: {hit: cudgel}, if: other.strain >= other.footing, do: [other.falls += 1, other.strain = 0]}
"""
    game = mint.loads(text)
    blows = [{"at": k, "hit": "keeper", "with": "cudgel"} for k in range(1, 6)]
    plain = game.run(script=blows)
    assert [plain.at(t)["keeper.falls"] for t in (3, 4)] == [0, 1]
    braced = game.run(script=[{"at": 0.5, "give": "braced", "to": "keeper"}, *blows])
    assert [braced.at(t)["keeper.falls"] for t in (4, 5)] == [0, 1]


def test_an_immune_kind_is_not_given_it_and_that_has_a_row() -> None:
    run = play("{lasts: 5}", [{"at": 1, "give": "glow", "to": "anvil"}])
    assert "anvil is not given glow: it cannot have it" in run.story()


def test_a_status_is_ended_early() -> None:
    run = play("{lasts: 9, every: 1, do: [heat += 1]}", [give(1), {"at": 3.5, "end": "glow", "to": "smith"}])
    assert run.at(20)["smith.heat"] == 2


def test_conditions_ask_for_statuses() -> None:
    text = GAME.format(name="glow", status="{lasts: 2}").replace(
        "playtests:", "rules: [{when: {becomes: 'has(smith, glow)'}, do: [smith.heat += 7]}]\nplaytests:"
    )
    run = mint.loads(text).run(script=[give(1), give(2), give(9)])
    assert run.at(20)["smith.heat"] == 14


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("glow: {lasts: 5}", "glow: {last: 5}", "unknown key 'last', did you mean 'lasts'?"),
        ("glow: {lasts: 5}", "glow: {every: 5}", "'every' and 'do' belong together"),
        ("glow: {lasts: 5}", "glow: {blocks: swim}", "unknown action or attack 'swim'"),
        ("glow: {lasts: 5}", "glow: {changes: {grap: {plus: 1}}}", "no kind has a stat 'grap', did you mean 'grip'?"),
        ("glow: {lasts: 5}", "glow: {again: never}", "'never' is not one of restart, extend, ignore or {stack: 3}"),
        ("immune: [glow]", "immune: [glowe]", "unknown status 'glowe', did you mean 'glow'?"),
    ],
)
def test_faults_of_statuses(old: str, new: str, words: str) -> None:
    text = GAME.format(name="glow", status="{lasts: 5}").replace(old, new)
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    assert words in str(caught.value)
