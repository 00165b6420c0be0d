"""What has happened so far, in formulas: hits and misses of attacks, visits of levels; and causes with names."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint

YARD = """
clock: {unit: turn, limit: 40}
stats: {landed: 0, gone_by: 0, dodged: 0, blocked: 0, third: 0, here: 0, times: 0}
kinds:
  moth: {copies: 2, stats: {h: 1}}
  lamp: {stats: {health: 90}, when_hit: {dodge: 0.2, safe_for: 1}}
attacks:
  flutter: {from: moth, to: lamp, when: {every: 1}, damage: 1, lands: 0.6}
rules:
  - name: counts
    when: {every: 1}
    do: [landed = hits(flutter), gone_by = misses(flutter), dodged = dodges(flutter), blocked = blocks(flutter)]
  - {name: the third, when: {becomes: hits(flutter) >= 3}, do: [third = time]}
  - {name: where, when: {every: 1}, if: level == rocks, do: [here += 1, times = visit]}
levels:
  sand: {until: level_time >= 2, next: rocks}
  rocks: {until: level_time >= 3, next: sand}
"""


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_what_rules_count_is_what_the_journal_has(engine: str) -> None:
    run = mint.loads(YARD).run(5, engine=engine)
    journal = run.journal
    strikes = journal[journal["cause"] == "flutter"]
    last = journal[journal["cause"] == "counts"]["time"].max()
    before = strikes[strikes["time"] <= last]["what"].value_counts()
    closing = run.at(last)
    for account, what in (("landed", "hit"), ("gone_by", "miss"), ("dodged", "dodge"), ("blocked", "blocked")):
        assert closing[account] == before[what] > 0
    assert closing["third"] == sorted(strikes[strikes["what"] == "hit"]["time"])[2]


def test_levels_are_words_and_their_visits_are_counted() -> None:
    run = mint.loads(YARD).run()
    # Two turns of sand and three of rocks, over and over: rocks from 2 to 5, 7 to 10, 12 to 15 …
    assert [run.at(t)["times"] for t in (1, 4, 9, 14)] == [0, 1, 2, 3]
    assert 20 <= run.at(39)["here"] <= 24
    with pytest.raises(mint.GameError, match="unknown name 'rock'"):
        mint.loads(YARD.replace("level == rocks", "level == rock"))


def test_a_name_of_the_file_goes_before_a_new_word(command: Command, tmp_path: Path) -> None:
    text = "clock: {unit: turn, limit: 3}\nstats: {level: 5, visit: 7, found: 0}\nkinds: {a: {stats: {h: 1}}}\n"
    text += "rules: [{name: r, when: start, do: [found = level + visit]}]\nlevels: {one: {}}\n"
    game = mint.loads(text)
    assert game.run().at(0)["found"] == 12
    (tmp_path / "own.yaml").write_text(text, encoding="utf-8")
    told = command("check", "own.yaml").stdout
    assert "line 2: 'level' is your own name in formulas" in told.replace("\n        ", " ")
    with pytest.raises(mint.GameError, match="no levels"):
        mint.loads("stats: {found: {formula: visit}}\nkinds: {a: {stats: {h: 1}}}\n")


def test_nothing_is_counted_that_nobody_asks_about(demo: mint.Game) -> None:
    assert not [c for c in demo.lowered.program.layout.columns if c.handle.use.startswith("counted")]


def test_a_branch_with_a_name_is_a_cause_of_its_own() -> None:
    text = """
    clock: {unit: turn, limit: 400}
    stats: {gain: 0}
    kinds: {a: {stats: {h: 1}}}
    rules:
      - {name: luck, when: {every: 1}, do: [{if: chance(0.25), named: a rare one, do: [gain += 8], else: [gain += 1]}]}
    """
    game = mint.loads(text)
    statement = {line.cause: line.changes for line in game.run().statement("gain").lines}
    assert set(statement) == {"a rare one", "luck"}
    assert 70 <= statement["a rare one"] <= 130
    study = game.study(50, measures={"rare": "count_of(gain, 'a rare one')"}, accounts=["gain"])
    assert abs(study.estimate("mean(rare)").value - 100) < 4


def test_a_status_sets_what_formulas_read_before_it_adds_and_multiplies() -> None:
    text = """
    clock: {unit: turn, limit: 9}
    kinds: {a: {stats: {warm: {start: 10}, seen: 0}}}
    statuses:
      cold: {lasts: 3, changes: {warm: {to: 3, plus: 1}}}
      odd: {lasts: 5, changes: {warm: {to: 5, times: 2}}}
    rules:
      - {name: gives, when: start, do: [{give: odd, to: a}, {give: cold, to: a}]}
      - {name: looks, when: {every: 1}, do: [a.seen = a.warm]}
    """
    run = mint.loads(text).run()
    # The last in the file wins: 5, and 1 more as long as it is cold, all times 2.
    assert [run.at(t)["a.seen"] for t in (1, 2, 4, 6)] == [12, 12, 10, 10]
    assert run.at(2)["a.warm"] == 10


def test_an_action_may_do_nothing_but_last() -> None:
    text = """
    clock: {unit: turn, limit: 9}
    kinds: {a: {stats: {warm: 10, seen: 0}}}
    statuses: {guarded: {changes: {warm: {to: 99}}}}
    actions: {guard: {by: a, lasts: 3, during: guarded}}
    rules: [{name: looks, when: {every: 1}, do: [a.seen = a.warm]}]
    playtests:
      it is guarded: {script: [{at: 1, act: guard, by: a}], expect: [{at: 2, that: a.seen == 99}, {at: 6, that: a.seen == 10}]}
    """
    assert all(result.passed for result in mint.loads(text).play_tests())
    with pytest.raises(mint.GameError, match="'do' is missing"):
        mint.loads("kinds: {a: {stats: {h: 1}}}\nactions: {guard: {by: a}}\n")
