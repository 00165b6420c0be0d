"""Those who appear: several at once, set up as they open, heard of once for each time that they are there."""

from __future__ import annotations

import pytest

import mint_ledger as mint

ATTIC = """
title: Attic
clock: {unit: turn, limit: 12}
stats: {wave: 0, born: 0, early: 0}
kinds:
  moth:
    copies: 1
    room: 5
    stats: {tough: 1, look: {one_of: [dark, pale]}, wave_of: -1}
    gone_if: tough > 20
    rules:
      - {name: is born, when: appears, do: [born += 1, wave_of = wave, tough += 0.5]}
      - {name: grows, when: {becomes: tough > 11}, do: [early += 1]}
  lamp: {stats: {heard: 0, size: 0}, rules: [{name: hears, when: {appears: moth}, do: [heard += 1, size = other.tough]}]}
rules:
  - {name: at first, when: start, do: [early = 100 * born]}
  - name: a wave
    when: {every: 3}
    do: [wave += 1, {spawn: moth, count: 1 + wave / 2, set: {tough: 10 + wave, look: pale}}]
"""


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_several_appear_are_set_up_and_are_heard_of(engine: str) -> None:
    run = mint.loads(ATTIC).run(engine=engine)
    # The rule of those who appear comes before the rules of the start.
    assert run.at(0)["early"] == 100
    assert run.at(3)["born"] == 2  # 1 + 1/2 is one more
    assert run.at(3)["moth[2].tough"] == 11.5
    # They open with what was set, so that nothing becomes true by it: 11 + 0.5 does.
    assert run.at(3)["early"] == 101
    assert run.at(6)["born"] == 4  # 1 + 2/2
    assert run.at(6)["moth[4].wave_of"] == 2
    assert run.at(9)["born"] == 5  # 1 + 3/2 are two, and there is room for one
    words = mint.loads(ATTIC).lowered.program.words
    assert words[int(run.at(9)["moth[5].look"])] == "pale"
    assert run.at(9)["lamp.heard"] == 5
    # Rules of one event are carried out in the order of the file: the moth has grown by then.
    assert run.at(9)["lamp.size"] == 13.5
    refused = run.journal[run.journal["what"] == "refused"]
    assert len(refused) == 2
    assert "no room for one more moth" in run.story()
    assert "no room for 3 more moth" in run.story()
    run.reconcile()


def test_each_existence_is_heard_of_once_and_what_was_left_is_none() -> None:
    text = """
    clock: {unit: turn, limit: 6}
    stats: {born: 0}
    kinds: {moth: {room: 3, copies: 2, stats: {h: 1}, rules: [{name: b, when: appears, do: [born += 1]}]}}
    levels:
      attic: {present: {moth: 2}, again: as_left, until: level_time >= 1, next: yard}
      yard: {present: {moth: 1}, until: level_time >= 1, next: attic}
    """
    run = mint.loads(text).run()
    # The attic opens fresh once, and the yard each time.
    assert [run.at(t)["born"] for t in range(6)] == [2, 3, 3, 4, 4, 5]


def test_no_count_below_one_lets_anybody_appear() -> None:
    text = "clock: {unit: turn, limit: 2}\nkinds: {moth: {copies: 0, room: 3, stats: {h: 1}}}\nrules: [{name: r, when: start, do: [{spawn: moth, count: %s}]}]"
    for count, there in (("-2", 0), ("0", 0), ("0.9", 0), ("2.9", 2), ("1e12", 3)):
        run = mint.loads(text % count + "\nreadout: ['{count(moth)}']").run()
        assert run.readout(1).split()[-1] == str(there)


@pytest.mark.parametrize(
    ("step", "fault"),
    [
        ("{spawn: moth, set: {speed: 3}}", "moth has no stat 'speed'"),
        ("{spawn: moth, set: {look: green}}", "'green'"),
        ("{spawn: moth, count: hue}", "unknown name 'hue'"),
        ("{each: moth, as: self, do: [born += 1]}", "'self' means something already"),
        ("{each: moth, as: lamp, do: [born += 1]}", "'lamp' means something already"),
        ("{each: moth, as: one, do: [{each: moth, as: one, do: [born += 1]}]}", "'one' means something already"),
    ],
)
def test_what_cannot_be_is_told(step: str, fault: str) -> None:
    with pytest.raises(mint.GameError, match=fault):
        mint.loads(ATTIC + f"  - {{name: wrong, when: start, do: [{step}]}}\n")


def test_one_of_several_has_a_name_and_other_stays_who_it_was() -> None:
    text = """
    clock: {unit: turn, limit: 2}
    stats: {pairs: 0, sum: 0}
    kinds: {moth: {copies: 4, stats: {h: 0}}, lamp: {stats: {h: 7}}}
    rules:
      - {name: number, when: start, do: [moth[1].h = 1, moth[2].h = 2, moth[3].h = 3, moth[4].h = 4]}
      - name: pairs
        when: {every: 1}
        do:
          - each: lamp
            do:
              - each: moth
                as: one
                do:
                  - {each: moth, as: two, if: two.h > one.h, do: [pairs += 1, sum += two.h - one.h, other.h += 1]}
    """
    run = mint.loads(
        text.replace(
            "[moth[1].h = 1, moth[2].h = 2, moth[3].h = 3, moth[4].h = 4]",
            "['moth[1].h = 1', 'moth[2].h = 2', 'moth[3].h = 3', 'moth[4].h = 4']",
        )
    ).run()
    assert (run.at(1)["pairs"], run.at(1)["sum"], run.at(1)["lamp.h"]) == (6, 10, 13)
