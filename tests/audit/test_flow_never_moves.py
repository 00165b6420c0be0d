from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Kiln
clock: {step: 0.1, limit: 20}
kinds:
  potter:
    stats:
      strain: {start: 0, min: 0, recover: {to: 0, at_once: true, after: 8}}
rules:
  - {name: works, when: {every: 5}, do: [potter.strain += 4]}
endings: {tired: {result: lose, if: potter.strain >= 10}}
"""


def test_flow_never_moves_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("recover: {to", "fade: {to")
    finding = only_in_the_first(FAULTY, fixed, "flow-never-moves")
    assert finding.caught.where == "potter.strain"
    assert "strain" in line_of(FAULTY, finding)
    assert finding.grade == "wrong"
