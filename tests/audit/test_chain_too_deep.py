from __future__ import annotations

from twins import line_of, only_in_the_first


def chain(length: int) -> str:
    rules = "".join(f"  - {{name: step {n}, when: {{cue: c{n}}}, do: [{{cue: c{n + 1}}}]}}\n" for n in range(length))
    return f"""
title: Dominoes
clock: {{step: 1, limit: 30}}
stats: {{fallen: {{start: 0, min: 0}}}}
rules:
  - {{name: a push, when: {{every: 9}}, do: [{{cue: c0}}]}}
{rules}  - {{name: falls, when: {{cue: c{length}}}, do: [fallen += 1]}}
endings: {{all: {{result: win, if: fallen >= 3}}}}
"""


def test_a_chain_of_ten_cues_is_caught_and_one_of_four_is_not() -> None:
    finding = only_in_the_first(chain(10), chain(4), "chain-too-deep", runs=1)
    assert finding.caught.where == "a push"
    assert "a push → step 0 → step 1" in finding.caught.evidence[0]
    assert "a push" in line_of(chain(10), finding)
