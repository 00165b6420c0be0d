"""Who appears while a loop goes over a kind is not visited by it; that needs a list only where somebody can."""

from __future__ import annotations

import pytest
from both_engines import assert_same

import mint_ledger as mint
from mint_ledger.facts.appearing import settling_lets_appear

POOL = """
clock: {step: 0.5, limit: 6}
stats: {rings: 0}
kinds:
  crab:
    copies: 2
    room: 6
    stats: {n: 0}
    rules:
      - {name: dips, when: {while: time >= 1 and n < 1}, do: [n += 1, {cue: splash}]}
rules:
  - {name: splash, when: {cue: splash}, do: [rings += 1, WHAT]}
"""


@pytest.mark.parametrize(("what", "appear"), [("{spawn: crab}", True), ("rings += 0", False)])
def test_who_is_brought_by_what_follows_has_to_wait_for_the_next_step(what: str, appear: bool) -> None:
    """Two dip at 1 s and bring two each time, until six are there."""
    game = mint.loads(POOL.replace("WHAT", what))
    assert settling_lets_appear(game.lowered.program) is appear
    for engine in ("reference", "native"):
        journal = game.run(engine=engine).journal  # type: ignore[arg-type]
        dips = journal[(journal["stat"] == "n") & (journal["what"] == "posting") & (journal["asked"] == 1.0)]
        seen = list(zip(dips["time"].astype(float), dips["entity"], strict=True))
        times = [1.0, 1.0, 1.5, 1.5, 2.0, 2.0] if appear else [1.0, 1.0]
        assert seen == [(time, f"crab[{i + 1}]") for i, time in enumerate(times)]
    assert_same(game.lowered, None)
