from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Cough
clock: {step: 0.5, limit: 30}
kinds: {singer: {stats: {voice: {start: 9, min: 0, max: 9}}}}
statuses:
  hoarse: {lasts: 5, every: 1, do: [voice -= 1]}
rules:
  - {name: cold wind, when: {every: 5}, do: [singer.voice -= 1]}
"""


def test_status_never_given_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("do: [singer.voice -= 1]", "do: [{give: hoarse, to: singer}]")
    finding = only_in_the_first(FAULTY, fixed, "status-never-given")
    assert finding.caught.where == "hoarse"
    assert "hoarse" in line_of(FAULTY, finding)
