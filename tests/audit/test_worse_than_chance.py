from __future__ import annotations

from test_act_never_used import MENDED as HONEST
from twins import line_of, only_in_the_first

FAULTY = HONEST.replace("acts: [{do: shoot}, {do: cock}]", "acts: [{do: cock}, {do: shoot}]")


def test_a_habit_that_chance_beats_is_caught_and_one_that_beats_it_is_not() -> None:
    finding = only_in_the_first(FAULTY, HONEST, "worse-than-chance", 20)
    assert "Players of 'eager' win 0.0 %" in finding.caught.what
    assert "eager" in line_of(FAULTY, finding)
