"""How often audit raises an alarm over games in which nothing is wrong.

python benchmarks/alarms.py [GAMES] [SEED]; 200 games by default, each of ingredients that are honest by themselves, in
random numbers and company. An alarm is a finding graded wrong (exit code 1); what may be wrong is counted beside it.
"""

from __future__ import annotations

import random
import sys
import time
from collections import Counter

import mint_ledger as mint


def honest_game(seed: int) -> str:
    """A game with a warden, pests and a way to win and to lose; what else it has is drawn."""
    luck = random.Random(seed)
    health, limit = luck.choice([40, 80, 100, 150]), luck.choice([60, 90, 120])
    pests, bite = luck.choice([1, 2, 3]), luck.choice([2, 4, 6])
    has = {name: luck.random() < 0.5 for name in INGREDIENTS}
    stats = [f"health: {{start: {health}, min: 0, max: {health}}}"]
    rules, own, actions, acts, readout, top = [], [], [], [], ["{bar: warden.health}"], []
    when_hit = "dodge: 0.1" if has["dodge"] else "armor: 1" if has["armor"] else "at_least: 1"
    rules.append(f"{{name: a rest, when: {{every: {luck.choice([5, 8, 10])}}}, do: [warden.health += {bite}]}}")
    rules.append("{name: dawn, when: {every: 10, first: 10}, do: [hours += 1]}")
    readout.append('"Hour {hours}"')
    if has["score"]:
        top.append("score: {start: 0, min: 0, whole: true}")
        own.append("{name: one less, when: gone, do: [score += 10]}")
        readout.append('"Score {score}"')
    if has["stamina"]:
        stats.append("wind: {start: 50, min: 0, max: 50, recover: {rate: 5, after: 1}}")
        actions.append("  sweep: {by: warden, needs: count(pest) > 0, costs: {wind: 12}, do: [{attack: broom}]}")
        acts.append("{do: sweep, if: count(pest) > 0}")
        readout.append("{bar: warden.wind}")
    if has["supplies"]:
        stats.append("tea: {start: 3, min: 0, max: 5, whole: true}")
        actions.append(
            f"  drink: {{by: warden, needs: health < {health}, costs: {{tea: 1}}, lasts: 0.5, do: [health += 15]}}"
        )
        acts.append(f"{{do: drink, if: health < {health * 0.7:g}}}")
        rules.append("{name: a kettle, when: {every: 15}, do: [warden.tea += 1]}")
        readout.append('"Tea {warden.tea}"')
    if has["layers"]:
        stats.append("coat: {start: 20, min: 0, max: 20, recover: {rate: 2, after: 3}}")
        when_hit += ", through: [{layer: coat, share: 0.5}, health]"
        readout.append("{bar: warden.coat}")
    if has["bands"]:
        stats[0] = stats[0][:-1] + f", bands: {{low: 0..{health * 0.3:g}, fine: {health * 0.3:g}..{health}}}}}"
        rules.append('{name: a cry, when: {enters: warden.health low}, cooldown: 5, do: [{tell: "Help!"}]}')
    if has["status"]:
        rules.append("{name: numbed, when: {every: 9}, do: [{give: numb, to: warden}]}")
    if has["waves"]:
        rules.append("{name: more come, when: {every: 7}, do: [{spawn: pest}]}")
    else:
        rules.append("{name: it comes back, when: {every: 4}, if: count(pest) < 2, do: [{spawn: pest}]}")
    if has["poison"]:
        rules.append("{name: a draught, when: {every: 2}, do: [warden.health -= 0.5]}")
    weaker = " * self.bite" if has["status"] else ""
    numb = "statuses: {numb: {lasts: 2, changes: {bite: {times: 0.5}}}}" if has["status"] else ""
    bites = "bite: 1, " if has["status"] else ""
    safe = ", safe_for: 0.5" if has["safe"] else ""
    every = f"{{every: {luck.choice([1, 1.5, 2])}}}"
    broom = "" if has["stamina"] else ", when: {every: 1}, aims: random"
    return "\n".join(
        [
            f"title: Honest game {seed}",
            f"clock: {{step: {luck.choice([0.05, 0.1])}, limit: {limit}}}",
            f"stats: {{hours: {{start: 0, min: 0, whole: true}}{''.join(', ' + stat for stat in top)}}}",
            "kinds:",
            f"  warden: {{side: house, stats: {{{bites}{', '.join(stats)}}}, when_hit: {{{when_hit}{safe}}}}}",
            f"  pest: {{copies: {pests}, room: 8, side: night, stats: {{health: {{start: 6, min: 0}}, nip: {bite}}}, "
            f"gone_if: health <= 0, rules: [{', '.join(own)}]}}",
            "attacks:",
            f"  nips: {{from: pest, to: warden, when: {every}, lands: {luck.choice([0.5, 0.8])}, damage: self.nip}}",
            f"  broom: {{from: warden, to: pest{broom}, damage: 'whole(2, 5){weaker}'}}",
            numb,
            *(["actions:", *actions] if actions else []),
            f"habits: {{steady: {{by: warden, reaction: 0.5, acts: [{', '.join(acts)}]}}}}" if acts else "",
            "rules:",
            *[f"  - {rule}" for rule in rules],
            "endings:",
            "  overrun: {result: lose, if: warden.health <= 0}",
            f"  morning: {{result: win, if: time >= {limit - 10}}}",
            f"readout: [{', '.join(readout)}]",
        ]
    )


INGREDIENTS = ("dodge", "armor", "score", "stamina", "supplies", "layers", "bands", "status", "waves", "poison", "safe")


def main(games: int = 200, first: int = 1) -> None:
    """Audit so many honest games and print how many raised an alarm, and by which findings."""
    wrong: Counter[str] = Counter()
    maybe: Counter[str] = Counter()
    alarmed = quiet = 0
    began = time.process_time()
    for seed in range(first, first + games):
        audit = mint.loads(honest_game(seed), f"honest {seed}").audit(runs=20)
        alarmed += bool(audit.wrong)
        quiet += not audit.open
        wrong.update({finding.check.name for finding in audit.wrong})
        maybe.update({finding.check.name for finding in audit.open if finding.grade == "maybe"})
        for finding in audit.open:
            print(f"game {seed}: {finding.check.name} at {finding.caught.where}: {finding.caught.what}")
    print(f"{alarmed} of {games} honest games raise an alarm; nothing is said of {quiet}")
    print(f"wrong: {dict(wrong)}; maybe: {dict(maybe)}")
    print(f"{(time.process_time() - began) / games:.2f} s of CPU a game")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:3]))
