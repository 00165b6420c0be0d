from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Scales
clock: {step: 0.5, limit: 30}
kinds:
  seller:
    copies: 2
    stats: {pears: {start: 0, min: 0, whole: true}}
rules:
  - {name: a sale, when: {every: 2}, do: ["seller[1].pears += 1"]}
readout: [{bar: "seller[2].pears"}]
"""


def test_readout_never_changes_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace('{bar: "seller[2].pears"}', '{bar: "seller[1].pears"}')
    finding = only_in_the_first(FAULTY, fixed, "readout-never-changes", runs=2)
    assert "The bar of seller[2].pears never moves" in finding.caught.what
    assert "readout" in line_of(FAULTY, finding)


def test_a_line_of_text_is_looked_at_too_and_what_moves_by_itself_is_alive() -> None:
    still = FAULTY.replace('{bar: "seller[2].pears"}', '"Sold {seller[2].crates}"').replace(
        "stats: {", "stats: {crates: 3, "
    )
    [finding] = found(still, "readout-never-changes", 2)
    assert "shows the same in every run" in finding.caught.what
    for alive in ("Sold {seller[1].pears}", "{count(seller)} sellers", "Open for {time} s", "A market"):
        assert not found(FAULTY.replace('{bar: "seller[2].pears"}', f'"{alive}"'), "readout-never-changes", 2)


SHOWN = """
title: Two hives
clock: {step: 0.5, limit: 20}
kinds: {hive: {copies: 2, stats: {honey: {start: 0, min: 0, max: 50}}}}
rules: [{name: bees, when: {every: 1}, do: [{each: hive, do: [other.honey += 1]}]}]
readout: [READOUT]
"""
ALL = '{bar: "hive[1].honey"}, {bar: "hive[2].honey"}'


@pytest.mark.parametrize(
    ("readout", "says"),
    [
        ('{bar: "hive[1].honey"}, {bar: "hive[1].honey"}', "a second time"),
        ('{bar: "hive[1].honey"}', "hive[2].honey changes as well and has none"),
        (f'{ALL}, "Honey: 0"', "the 0 in it never changes"),
        (f'{ALL}, "Comb 1 of 3"', "the 1 in it never changes"),
    ],
)
def test_a_readout_that_shows_the_wrong_thing_is_found(readout: str, says: str) -> None:
    findings = found(SHOWN.replace("READOUT", readout), "readout-never-changes", 2)
    assert any(says in finding.caught.what for finding in findings)
    for honest in (
        ALL,
        f'{ALL}, "Hive 1 and hive 2"',
        f'{ALL}, "Hold out for 20 seconds"',
        f'{ALL}, "Honey: {{hive[1].honey}}"',
    ):
        assert not found(SHOWN.replace("READOUT", honest), "readout-never-changes", 2)
