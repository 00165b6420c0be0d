"""What each attack does a second, alone and in play, and what a point of damage costs, as text."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.balance.attacks import TIME
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, name_column, right_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.balance.attacks import AttackInPlay, Attacks

NAME = 23
NOTE = (
    "alone: against a target that never falls, as often as it may strike, in the first ten {unit}s and for long. "
    "in play: dealt while whoever has it had somebody in reach (reach: how long that was in a run, of all of them "
    "together). dealt: in a run; beyond: how much of it the target no longer had to lose; lands: of the strikes."
)


def attacks_text(attacks: Attacks) -> Page:
    """Each attack with its targets, then what a point costs."""
    unit = "s" if attacks.unit == "second" else "turns"
    wide = room(NAME, map(_name, attacks.attacks))
    lines: Parts = [f"{attacks.title} · {attacks.runs:,} runs · seed {attacks.seed}", ""]
    lines += _answer(attacks)
    table = TextTable(
        name_column(f"damage a {attacks.unit}", wide),
        *(
            right_column(f"10 {unit}", 6, over="alone"),
            right_column("long", 6, over="alone"),
            right_column("", 6, over="in play"),
            right_column("±", 5, over="in play"),
            right_column(f"reach {unit}", 9),
        ),
        *(right_column("dealt", 8), right_column("beyond", 8), right_column("lands", 7)),
    )
    for attack in attacks.attacks:
        table.add(*_cells(attack))
        if len(attack.dealt) > 1:
            for name in attack.dealt:
                table.add(*_target(attack, name))
    lines.append(table)
    lines += _costs(attacks, unit, wide)
    note = f"{NOTE.format(unit=attacks.unit)} ±: at {sure_words(attacks.sure)}."
    lines += ["", Sentence(note, 2, 2)]
    return Page(*lines)


def _answer(attacks: Attacks) -> Parts:
    """Which attack does most damage in play, and which never struck."""
    struck = [attack for attack in attacks.attacks if attack.strikes.any() and attack.did() is not None]
    if not struck:
        return [Sentence("No attack struck in any run."), ""]
    most = max(struck, key=lambda attack: attack.did().value)  # type: ignore[union-attr]
    did = most.did()
    assert did is not None
    half = _with_half(did)
    text = f"{_name(most)} does the most damage in play: {half[0]} a {attacks.unit}"
    text += f" (± {half[1]})." if half[1] else "."
    idle = [_name(attack) for attack in attacks.attacks if not attack.strikes.any()]
    if idle:
        text += f" Never in use: {', '.join(idle[:3])}{' …' if len(idle) > 3 else ''}."
    return [Sentence(text, hanging=0), ""]


def _cells(attack: AttackInPlay) -> tuple[str, ...]:
    did, half = "–", ""
    estimate = attack.did()
    if estimate is not None and attack.strikes.any():
        did, half = _with_half(estimate)
    reach = number(float(attack.reach.mean()), 1)
    dealt = number(attack.damage().value, 0) if attack.strikes.any() else "–"
    beyond = f"{100 * attack.wasted:.0f} %" if attack.wasted is not None else ""
    lands = f"{100 * attack.lands.value:.0f} %" if attack.lands is not None else "never"
    return _name(attack), *_alone(attack), did, half, reach, dealt, beyond, lands


def _name(attack: AttackInPlay) -> str:
    return f"{attack.attack} of {attack.attacker}"


def _target(attack: AttackInPlay, target: str) -> tuple[str, ...]:
    estimate = attack.did(target)
    did = _with_half(estimate)[0] if estimate is not None else "–"
    dealt = attack.damage(target).value
    beyond = 1.0 - float(attack.arrived[target].mean()) / dealt if dealt else 0.0
    return f"  to {target}", *_alone(attack, target), did, "", "", number(dealt, 0), f"{100 * beyond:.0f} %"


def _alone(attack: AttackInPlay, target: str | None = None) -> list[str]:
    rates = [attack.could(target, at_first=at_first) for at_first in (True, False)]
    return ["–" if rate is None else fixed(rate, 1) for rate in rates]


def _costs(attacks: Attacks, unit: str, wide: int) -> Parts:
    rows: Parts = []
    for attack in attacks.attacks:
        costs = attack.costs()
        told = [f"{_cost(cost)} {name}" for name, cost in costs.items() if name != TIME]
        told += [f"{_cost(costs[TIME])} {unit} in reach"] if TIME in costs and attack.reach.any() else []
        by = f", with {', '.join(attack.actions)}" if attack.actions and len(told) > 1 else ""
        if told:
            lead = f"  {short(_name(attack), wide):<{wide}} "
            rows.append(Sentence("; ".join(told) + by, hanging=len(lead), lead=lead))
    return ["", "  a point of damage that arrives costs", *rows] if rows else []


def _cost(estimate: Estimate) -> str:
    value, half = _with_half(estimate, 3)
    return f"{value} ± {half}" if half else value


def _with_half(estimate: Estimate, most: int = 2) -> tuple[str, str]:
    half = estimate.half_width
    if not math.isfinite(half) or not half:
        return number(estimate.value, 2), ""
    digits = min(digits_for(estimate), most)
    return fixed(estimate.value, digits), fixed(half, digits)
