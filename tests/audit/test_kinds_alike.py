from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Yard
clock: {step: 0.5, limit: 30}
kinds:
  hen: {stats: {eggs: {start: 0, min: 0, whole: true}}}
  duck: {stats: {eggs: {start: 0, min: 0, whole: true}}}
rules: [{name: lays, when: {every: 4}, do: [hen.eggs += 1, duck.eggs += 1]}]
"""


def test_kinds_alike_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("duck: {stats: {eggs: {start: 0", "duck: {stats: {eggs: {start: 1")
    finding = only_in_the_first(FAULTY, fixed, "kinds-alike")
    assert "'duck' is 'hen' by another name" in finding.caught.what
    assert "duck" in line_of(FAULTY, finding)


def test_it_is_one_kind_however_it_is_written() -> None:
    fixed = FAULTY.replace("duck: {stats: {eggs: {start: 0", "duck: {stats: {eggs: {start: 1")
    spelt = "duck: {copies: 1, stats: {eggs: {whole: true, min: 0, start: 0.0}}}"
    faulty = FAULTY.replace("duck: {stats: {eggs: {start: 0, min: 0, whole: true}}}", spelt)
    assert faulty != FAULTY
    assert "'duck' is 'hen'" in only_in_the_first(faulty, fixed, "kinds-alike").caught.what
