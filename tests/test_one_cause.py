"""One cause has one message, at the line that is wrong, with the line as it should read."""

from __future__ import annotations

import pytest

import mint_ledger as mint

HEAD = "title: A\nclock: {limit: 10}\n"
MOTH = "kinds: {moth: {stats: {health: {start: 10, min: 0}}}}\n"


def faults(text: str) -> list[str]:
    with pytest.raises(mint.GameError) as refused:
        mint.loads(text)
    return [f"{fault.place.line}: {fault.message}" for fault in refused.value.faults]


def test_each_wrong_key_of_a_status_is_named_with_the_key_that_is_meant() -> None:
    told = faults(f"{HEAD}{MOTH}statuses: {{poison: {{duration: 5, tick: 1, stacks: 3}}}}\n")
    assert [line.partition("; ")[2] for line in told] == [
        "here that is 'lasts': lasts: 3",
        "here that is 'every': every: 2",
        "here that is 'again': again: {stack: 3}",
    ]


def test_a_kind_without_room_is_told_once() -> None:
    rules = "".join(f"  - {{name: r{n}, when: {{every: {n}}}, do: [{{spawn: moth}}]}}\n" for n in (1, 2, 3))
    [told] = faults(f"{HEAD}{MOTH.replace('{stats', '{copies: 0, stats')}rules:\n{rules}")
    assert told.startswith("5: ") and "give the kind 'room: 20'" in told


@pytest.mark.parametrize(
    ("written", "cure"),
    [
        ('"1d6"', "write dice(1, 6) for 1d6"),
        ('"0,6"', "write 0.6 for 0,6"),
        ("60%", "write 0.6 for 60%"),
        ("{start: 3, max: 5 ^ 2}", "a power is written '**'"),
    ],
)
def test_a_stat_in_the_signs_of_another_language_has_its_cure(written: str, cure: str) -> None:
    [told] = faults(f"{HEAD}kinds:\n  moth:\n    stats:\n      health: {written}\n")
    assert told.startswith("6: ") and cure in told


def test_a_chance_in_per_cent_is_told_as_the_share_that_it_is() -> None:
    [told] = faults(f"{HEAD}{MOTH}rules: [{{name: r, when: start, chance: 12.5 %, do: [moth.health -= 1]}}]\n")
    assert "write 0.125 for 12.5 %" in told


def test_a_line_that_is_indented_to_no_level_is_told_with_the_levels_that_there_are() -> None:
    text = f"{HEAD}kinds:\n  moth:\n    stats:\n      health: {{start: 10}}\n     damage: 5\n"
    [told] = faults(text)
    assert told.startswith("7: ") and "indented by 5 spaces" in told
    assert "4 spaces, beside 'stats'" in told and "6 spaces, beside 'health'" in told
    assert mint.loads(text.replace("     damage: 5", "      damage: 5")).title == "A"


def test_a_chain_of_conditions_is_told_in_the_words_of_its_step() -> None:
    step = "{if: n > 1, then: [n = 0], else if: n > 0, else: [n = 3]}"
    told = faults(f"{HEAD}stats: {{n: 1}}\nrules: [{{name: r, when: start, do: [{step}]}}]\n")
    assert [line.partition(": ")[2] for line in told] == [
        "'do' is missing",
        "unknown key 'then'; here that is 'do': do: [ships += 1]",
        "unknown key 'else if'; it is a step of its own, right after this one: "
        "[{if: n > 1, do: […]}, {else if: n > 0, do: […]}]",
    ]
    right = "{if: n > 1, do: [n = 0], else: {if: n > 0, do: [n = 5], else: [n = 3]}}"
    game = mint.loads(f"{HEAD}stats: {{n: 1}}\nrules: [{{name: r, when: start, do: [{right}]}}]\n")
    assert game.run().statement("n").closing == 5


def test_what_is_known_of_an_attack_is_listed_whole() -> None:
    text = f"{HEAD}kinds: {{moth: {{stats: {{health: 9}}}}, cat: {{stats: {{power: 2}}}}}}\n"
    [told] = faults(f"{text}attacks: {{bite: {{from: cat, to: moth, damage: 3, foo: 2}}}}\n")
    for key in ("needs", "costs", "skips", "also"):
        assert f"{key}," in told
