"""What each attack does a second, alone and in play, and what a point of damage costs, as text."""

from __future__ import annotations

import math
import textwrap
from typing import TYPE_CHECKING

from mint_ledger.balance.attacks import TIME
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.width import line_width, room

if TYPE_CHECKING:
    from mint_ledger.balance.attacks import AttackInPlay, Attacks

NAME = 23
NOTE = (
    "alone: against a target that never falls, as often as it may strike, in the first ten {unit}s and for long. "
    "in play: dealt while whoever has it had somebody in reach (reach: how long that was in a run, of all of them "
    "together). dealt: in a run; beyond: how much of it the target no longer had to lose; lands: of the strikes."
)


def attacks_text(attacks: Attacks) -> str:
    """Each attack with its targets, then what a point costs."""
    unit = "s" if attacks.unit == "second" else "turns"
    wide = room(NAME, map(_name, attacks.attacks))
    lines = [f"{attacks.title} · {attacks.runs:,} runs · seed {attacks.seed}", ""]
    lines.append(f"  {'':<{wide}}{'alone':>12}{'in play':>10}")
    heads = f"{'10 ' + unit:>6}{'long':>6}{'':>4}{'±':>6}{'reach ' + unit:>9}{'dealt':>8}{'beyond':>8}{'lands':>7}"
    lines.append(f"  {'damage a ' + attacks.unit:<{wide}}{heads}")
    for attack in attacks.attacks:
        lines.append(_line(attack, wide))
        if len(attack.dealt) > 1:
            lines += [_target(attack, name, wide) for name in attack.dealt]
    lines += _costs(attacks, unit, wide)
    note = f"{NOTE.format(unit=attacks.unit)} ±: at {sure_words(attacks.sure)}."
    lines += ["", *textwrap.wrap(note, line_width() - 2, initial_indent="  ", subsequent_indent="  ")]
    return "\n".join(lines)


def _line(attack: AttackInPlay, wide: int) -> str:
    did, half = "–", ""
    estimate = attack.did()
    if estimate is not None and attack.strikes.any():
        did, half = _with_half(estimate)
    reach = number(float(attack.reach.mean()), 1)
    dealt = number(attack.damage().value, 0) if attack.strikes.any() else "–"
    beyond = f"{100 * attack.wasted:.0f} %" if attack.wasted is not None else ""
    lands = f"{100 * attack.lands.value:.0f} %" if attack.lands is not None else "never"
    name = short(_name(attack), wide)
    return f"  {name:<{wide}}{_alone(attack)}{did:>6}{half:>5}{reach:>8}{dealt:>8}{beyond:>8}{lands:>7}".rstrip()


def _name(attack: AttackInPlay) -> str:
    return f"{attack.attack} of {attack.attacker}"


def _target(attack: AttackInPlay, target: str, wide: int) -> str:
    estimate = attack.did(target)
    did = _with_half(estimate)[0] if estimate is not None else "–"
    dealt = attack.damage(target).value
    beyond = 1.0 - float(attack.arrived[target].mean()) / dealt if dealt else 0.0
    name = short(f"  to {target}", wide)
    cells = f"{did:>6}{'':>13}{number(dealt, 0):>8}{100 * beyond:>6.0f} %"
    return f"  {name:<{wide}}{_alone(attack, target)}{cells}"


def _alone(attack: AttackInPlay, target: str | None = None) -> str:
    rates = [attack.could(target, at_first=at_first) for at_first in (True, False)]
    return "".join(f"{'–' if rate is None else fixed(rate, 1):>6}" for rate in rates)


def _costs(attacks: Attacks, unit: str, wide: int) -> list[str]:
    rows = []
    for attack in attacks.attacks:
        costs = attack.costs()
        told = [f"{_cost(cost)} {name}" for name, cost in costs.items() if name != TIME]
        told += [f"{_cost(costs[TIME])} {unit} in reach"] if TIME in costs and attack.reach.any() else []
        by = f", with {', '.join(attack.actions)}" if attack.actions and len(told) > 1 else ""
        if told:
            lead = f"  {short(_name(attack), wide):<{wide}} "
            rows += textwrap.wrap(
                "; ".join(told) + by, line_width(), initial_indent=lead, subsequent_indent=" " * len(lead)
            )
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
