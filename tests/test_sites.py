"""What lowering notes of each place of a file: who is meant, what is posted to, read, asked and set off."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from random_games import games

import mint_ledger as mint
from mint_ledger.facts.comparisons import comparisons_of
from mint_ledger.lowering.sites import Sites
from mint_ledger.program.expressions import Checked, Read
from mint_ledger.program.walking import nodes

BAKERY = """
title: Bakery
clock: {step: 0.5, limit: 20}
numbers: {enough: 12}
stats: {loaves: 0, warmth: {formula: "heat / 2 + loaves"}, heat: {start: 4, min: -9, max: 9}}
lots: {crumbs: {of: {some: {weight: 1, do: ["loaves += 1"]}, none: {weight: 2, do: []}}}}
statuses: {floury: {lasts: 2}}
kinds:
  being: {copies: 0, stats: {health: {start: 3, min: 0}, pluck: {start: 3, min: 0, bands: {low: ..1, high: "2.."}}}, gone_if: pluck <= 0}
  mouse:
    like: being
    copies: 2
    rules:
      - {name: nibbles, when: {every: 2}, cooldown: 3, do: ["loaves -= 1", {cue: squeak}, {lot: crumbs}]}
      - {name: runs, when: {leaves: pluck high}, do: [{remove: self}]}
  baker: {like: being, stats: {flour: 5}}
attacks: {broom: {from: baker, to: mouse, damage: 1, cooldown: 2, when: {every: 4}}}
rules:
  - name: hears
    when: {cue: squeak}
    let: {twice: heat * 2}
    if: twice > enough or warmth < -3
    do: [{give: floury, to: baker}, "baker.flour -= twice"]
  - {name: cools, when: {becomes: enough <= abs(heat)}, at_most: 1, do: ["heat = 0"]}
endings: {done: {if: loaves == enough, result: win}}
readout: [{bar: baker.flour}]
measures: {left: closing(loaves)}
"""


@pytest.fixture(scope="module")
def sites() -> Sites:
    """What stands at each place of the bakery."""
    return mint.loads(BAKERY).lowered.sites


def test_a_formula_reads_what_its_values_and_worked_out_stats_are_made_of(sites: Sites) -> None:
    [condition] = [site for site in sites.formulas.values() if site.path == ("rules", 0, "if")]
    assert condition.reads == {("", "heat"), ("", "warmth"), ("", "loaves")}
    assert (condition.asks, condition.watched, condition.either, condition.selves) == (True, False, True, ())


def test_a_condition_is_asked_of_all_kinds_that_take_it_over(sites: Sites) -> None:
    [gone] = [site for site in sites.formulas.values() if site.path == ("kinds", "being", "gone_if")]
    assert set(gone.selves) == {"mouse", "baker"}
    assert gone.watched
    assert {("mouse", "pluck"), ("baker", "pluck")} <= gone.reads


def test_postings_know_their_accounts_and_who_makes_them(sites: Sites) -> None:
    known = {(site.path[:3], site.owners, site.stat, site.mode, site.selves) for site in sites.postings.values()}
    assert (("kinds", "mouse", "rules"), ("",), "loaves", "subtract", ("mouse",)) in known
    assert (("rules", 0, "do"), ("baker",), "flour", "subtract", ()) in known
    assert (("rules", 1, "do"), ("",), "heat", "set", ()) in known
    # A lot's branch is done by whoever draws.
    assert (("lots", "crumbs", "of"), ("",), "loaves", "add", ("mouse",)) in known


def test_rules_know_what_sets_them_off_and_what_holds_them_back(sites: Sites) -> None:
    nibbles, runs = (sites.rules["kinds", "mouse", "rules", index] for index in range(2))
    hears, cools = (sites.rules["rules", index] for index in range(2))
    assert (nibbles.hears, nibbles.selves) == ((("every", "2"),), ("mouse",))
    assert nibbles.cools_down
    assert nibbles.spaced
    assert runs.hears_any("leaves")
    assert (hears.hears, hears.spaced, hears.lets[0][0]) == ((("cue", "squeak"),), False, "twice")
    assert cools.comes_once
    steps = {(site.sort, site.what) for site in sites.steps.values()}
    assert steps == {("cue", "squeak"), ("lot", "crumbs"), ("give", "floury"), ("remove self", "")}
    assert ("being", "gone_if") in {site.path[1:] for site in sites.steps.values() if site.sort == "remove self"}


def test_an_attack_is_known_by_who_has_it_and_how_often_it_comes(sites: Sites) -> None:
    broom = sites.attacks["broom"]
    assert (broom.strikers, broom.targets, str(broom.every), str(broom.cooldown)) == (("baker",), ("mouse",), "4", "2")
    assert not broom.in_contact


def test_bars_and_measures_show_accounts(sites: Sites) -> None:
    assert {account for _, account in sites.shown} == {("baker", "flour"), ("", "loaves")}


def test_comparisons_are_known_whichever_way_round_they_stand() -> None:
    known = comparisons_of(mint.loads(BAKERY).lowered.program).by_path
    [done] = known["endings", "done", "if"]
    assert (done.stat, done.op, done.value, done.size) == ("loaves", "==", 12.0, False)
    [cools] = known["rules", 1, "when", "becomes"]
    assert (cools.stat, cools.op, cools.value, cools.size) == ("heat", ">=", 12.0, True)
    turned = mint.loads(BAKERY).with_dials({"enough": 7})
    assert comparisons_of(turned.lowered.program).by_path["endings", "done", "if"][0].value == 7.0


@settings(max_examples=25, suppress_health_check=list(HealthCheck), deadline=None)
@given(games())
def test_a_formula_is_said_to_read_all_that_its_program_reads(data: dict[str, Any]) -> None:
    try:
        game = mint.Game.model_validate(data)
    except (mint.GameError, ValueError):
        return
    program, sites = game.lowered.program, game.lowered.sites
    names = {account.column.base: account.stat for account in program.accounts}
    said: dict[object, set[str]] = {}
    for site in sites.formulas.values():
        # Whether an act is ready depends on what it costs and needs, which is the action's own.
        if "ready(" not in site.formula.text:
            said.setdefault(site.path, set()).update(stat for _, stat in site.reads)
    for procedure in program.procedures.values():
        for node in nodes((procedure.body, procedure.result)):
            if isinstance(node, Checked) and node.whole and program.formulas[node.formula].path in said:
                path = program.formulas[node.formula].path
                read = {names[inner.column.base] for inner in nodes(node.value) if isinstance(inner, Read)}
                assert read <= said[path], (path, read, said[path])
