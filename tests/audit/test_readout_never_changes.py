from __future__ import annotations

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


def test_readout_never_changes_is_caught_and_the_mended_twin_is_not() -> None:
    mended = FAULTY.replace('{bar: "seller[2].pears"}', '{bar: "seller[1].pears"}')
    finding = only_in_the_first(FAULTY, mended, "readout-never-changes", runs=2)
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
