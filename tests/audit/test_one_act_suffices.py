from __future__ import annotations

from test_act_never_used import FAULTY, MENDED
from twins import line_of, only_in_the_first

import mint_ledger as mint


def test_an_act_that_is_enough_alone_is_caught_and_two_that_need_each_other_are_not() -> None:
    finding = only_in_the_first(FAULTY, MENDED, "one-act-suffices", 20)
    assert "'shoot' alone wins 100.0 %" in finding.caught.what
    assert "shoot:" in line_of(FAULTY, finding)


def test_it_is_looked_for_only_where_that_is_asked() -> None:
    game = mint.loads(FAULTY)
    names = {finding.check.name for finding in game.audit(runs=10).findings}
    assert not names & {"act-never-used", "one-act-suffices"}
    names = {finding.check.name for finding in game.audit(runs=10, players=True).findings}
    assert names >= {"act-never-used", "one-act-suffices"}
    allowed = mint.loads(FAULTY + "allow: [{finding: one-act-suffices, because: it is a toy}]\n")
    # An audit that did not look says nothing of what the file accepts.
    assert "allow-accepts-nothing" not in {finding.check.name for finding in allowed.audit(runs=10).findings}
    assert [f.check.name for f in allowed.audit(runs=10, players=True).findings if f.accepted] == ["one-act-suffices"]
