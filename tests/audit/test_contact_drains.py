from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Nettles
clock: {step: 0.05, limit: 20}
kinds:
  walker: {stats: {health: {start: 20, min: 0}}, gone_if: health <= 0}
  nettle: {stats: {sting: 2}}
attacks:
  stings: {from: nettle, to: walker, when: in_contact, damage: self.sting}
"""


def test_contact_drains_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("damage: self", "cooldown: 1, damage: self")
    finding = only_in_the_first(FAULTY, fixed, "contact-drains")
    assert "20 are gone in 10 steps (0.5 s)" in finding.caught.what
    assert "stings" in line_of(FAULTY, finding)


RULE = """
title: Bog
clock: {step: 0.05, limit: 20}
kinds:
  bog: {}
  walker:
    stats: {warmth: {start: 10, min: 0}}
    rules:
      - {name: sinks, when: {in_contact: bog}, do: [warmth -= 1]}
"""


def test_a_rule_that_posts_in_each_step_of_contact_is_caught_too() -> None:
    [finding] = found(RULE, "contact-drains")
    assert "10 are gone in 10 steps" in finding.caught.what
    assert not found(RULE.replace("when: {in_contact: bog}", "when: {meets: bog}"), "contact-drains")
    assert not found(RULE.replace("do: [w", "cooldown: 1, do: [w"), "contact-drains")
