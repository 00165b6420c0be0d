"""How often intervals hold what is true, by the calls that studies make: one look, and looks again and again.

    python benchmarks/coverage.py [samples]

For each sort of sample it draws so many (1,000 by default) and counts. One look should hold in 95 of 100 cases, and
hardly ever in fewer than 91; looked at again and again, at most 5 or 6 of 100 may ever be wrong.
"""

from __future__ import annotations

import math
import sys
from collections.abc import Callable

import numpy as np

import mint_ledger as mint
from mint_ledger.studies import estimate
from mint_ledger.studies.estimate import Estimate
from mint_ledger.studies.intervals import Share

Draw = Callable[[np.random.Generator, int], np.ndarray]
MEANS: dict[str, tuple[Draw, float]] = {
    "normal": (lambda rng, n: rng.normal(3, 2, n), 3.0),
    "exponential": (lambda rng, n: rng.exponential(size=n), 1.0),
    "lognormal 1.5": (lambda rng, n: rng.lognormal(0, 1.5, n), math.exp(1.125)),
    "lognormal 2": (lambda rng, n: rng.lognormal(0, 2, n), math.exp(2.0)),
    "Pareto 2.1": (lambda rng, n: 1 + rng.pareto(2.1, n), 2.1 / 1.1),
    "0.2 % jackpots": (lambda rng, n: np.where(rng.random(n) < 0.002, 500.0, 0.0), 1.0),
    "5 % crits": (lambda rng, n: np.where(rng.random(n) < 0.05, 3.0, 1.0), 1.1),
    "dice, with ties": (lambda rng, n: rng.integers(1, 7, n) * 1.0, 3.5),
}
LOOKS = [250 * 2**k for k in range(6)]


def held(found: Estimate, true: float) -> bool:
    return found.low <= true <= found.high


def line(name: str, n: int, share: float) -> None:
    print(f"  {name:<34}{n:>7,}{share:>9.3f}")


def once(samples: int, rng: np.random.Generator) -> None:
    print("one look: how often the interval holds the true value\n")
    for p in (0.5, 0.05, 0.005):
        for n in (100, 400, 4_000):
            if n * p >= 1:
                counts = rng.binomial(n, p, samples)
                line(f"rate, p = {p:g}", n, np.mean([held(estimate.rate(int(k), n), p) for k in counts]))
    for expected in (0.1, 0.15, 0.5, 1.0, 2.5, 5.0, 7.6):
        for n in (100, 2_000):
            for sure in (0.9, 0.95, 0.99):
                counts = rng.binomial(n, expected / n, samples)
                found = (estimate.rate(int(k), n, sure) for k in counts)
                line(f"rate, {expected:g} expected, {sure:g}", n, np.mean([held(one, expected / n) for one in found]))
    for up, down in ((0.01, 0.01), (0.02, 0.0), (0.03, 0.01)):
        for n in (100, 400):
            draws = (rng.choice((1.0, -1.0, 0.0), n, p=(up, down, 1 - up - down)).tolist() for _ in range(samples))
            found = (estimate.mean_of(values, paired=True) for values in draws)
            line(f"paired +1 at {up:g}, -1 at {down:g}", n, np.mean([held(one, up - down) for one in found]))
    for name, (draw, mean) in MEANS.items():
        for n in (30, 100, 400, 4_000):
            found = (estimate.mean_of(draw(rng, n).tolist()) for _ in range(samples))
            line(f"mean, {name}", n, np.mean([held(one, mean) for one in found]))
    for q in (0.5, 0.9, 0.99, 0.999):
        for n in (10, 100, 400, 4_000):
            found = (estimate.quantile(rng.random(n).tolist(), q) for _ in range(samples))
            line(f"quantile {q:g}", n, np.mean([held(one, q) for one in found]))
    for gain, loss in ((0.0, 0.0), (0.005, 0.0), (0.05, 0.02), (0.3, 0.3)):
        for n in (100, 400, 4_000):
            turned = rng.multinomial(n, [gain, loss, 1 - gain - loss], samples)
            found = (estimate.turned_rate(int(a), int(b), n) for a, b, _ in turned)
            line(f"paired rates, {gain:g} gained, {loss:g} lost", n, np.mean([held(e, gain - loss) for e in found]))

    for q in (0.5, 0.9):
        for n in (100, 400):
            # Pairs that share their luck: the other is 1.3 times as long, and 0.2.
            sides = (rng.exponential(size=n) for _ in range(samples // 4))
            gaps = (estimate.quantile_gap(one.tolist(), (1.3 * one + 0.2).tolist(), q) for one in sides)
            true = -0.3 * math.log(1 - q) + 0.2
            line(f"paired quantiles {q:g}", n, np.mean([held(gap, true) for gap in gaps]))


GAME = """
clock: {unit: turn, limit: 30}
rules: [{name: r, when: {every: 1}, if: chance(0.1), do: [{finish: over}]}]
endings: {over: {result: lose}}
"""


def by_studies(samples: int) -> None:
    """The same by whole studies of a game: each turn one run in ten ends."""
    game = mint.loads(GAME)
    for n in (30, 100, 400):
        kept = [0] * 4
        for seed in range(samples // 4):
            study = game.study(n, seed)
            table = study.survival()
            for place, turn in enumerate((1, 3, 10, 25)):
                row = table[table["time"] <= turn].iloc[-1]
                kept[place] += row["low"] <= 0.9**turn <= row["high"]
        for turn, count in zip((1, 3, 10, 25), kept, strict=True):
            line(f"still going on after turn {turn}, by a study", n, 4 * count / samples)


CHEST = """
clock: {{unit: turn, limit: 2}}
kinds: {{hero: {{stats: {{gold: {{start: 0, min: 0, max: 100000}}}}}}}}
rules:
  - {{name: wage, when: start, do: ["hero.gold += between(0, 2)"]}}
  - {{name: chest, when: start, chance: {odds}, do: [hero.gold += {prize}]}}
endings: {{done: {{result: win, if: time >= 1}}}}
measures: {{gold: closing(hero.gold)}}
targets: [{{name: about one a run, measure: mean(gold), want: 0.8..1.5}}]
"""


def rare(samples: int) -> None:
    """Wages of 1 on average and a chest that is worth 2, by whole studies: the mean is 3."""
    print("\nrare outcomes: how often the interval holds the mean, and how often a missed target is called met\n")
    for odds, prize in ((0.002, 1_000), (0.001, 2_000), (0.0005, 4_000), (0.0001, 20_000)):
        game = mint.loads(CHEST.format(odds=odds, prize=prize))
        for n in (30, 400, 1_000, 2_000):
            kept = met = 0
            for seed in range(samples // 10):
                kept += held(game.study(n, seed, accounts=()).mean("gold"), 3.0)
                met += game.judge(n, seed=seed)[0].verdict == "met"
            share, false = 10 * kept / samples, 10 * met / samples
            print(f"  {f'chest of {prize:,} at {odds:g}':<34}{n:>7,}{share:>9.3f}{false:>9.3f}")


# Rare in other ways, each with a mean of 3: several dice, chances from the state, hits in a row.
OTHER_CHESTS = {
    "dice(3, 6) == 18": "if: 'dice(3, 6) == 18', do: [hero.gold += 432]",
    "dice(10, 6) <= 15": "if: 'dice(10, 6) <= 15', do: ['hero.gold += 2 * 6 ** 10 / 3003']",
    "chance: 0.0002 * luck": "chance: '0.0002 * hero.luck', do: [hero.gold += 4000]",
    "pick with weights from luck": "do: ['hero.gold += pick(0, 4000, weights(4998, hero.luck))']",
}
STREAK = """
clock: {unit: turn, limit: 9}
kinds: {hero: {stats: {gold: {start: 0, min: 0, max: 100000}, hits: {start: 0, min: 0}}}}
rules:
  - name: throw
    when: {every: 1}
    do: ["hero.gold += between(0, 0.25)", {if: chance(0.4), do: [hero.hits += 1], else: [hero.hits = 0]}]
  - {name: in a row, when: {becomes: hero.hits >= 8}, do: ["hero.gold += 2 / 0.4 ** 8"]}
endings: {done: {result: win, if: time >= 8}}
measures: {gold: closing(hero.gold)}
targets: [{name: about one a run, measure: mean(gold), want: 0.8..1.5}]
"""


def rare_in_other_ways(samples: int) -> None:
    games = {}
    for name, how in OTHER_CHESTS.items():
        text = CHEST.format(odds=0, prize=0).replace("chance: 0, do: [hero.gold += 0]", how)
        text = text.replace("gold: {start", "luck: {start: 1, min: 0, max: 9}, gold: {start", 1)
        luck = 'rules:\n  - {name: luck, when: start, do: ["hero.luck += between(0, 3)"]}'
        games[name] = mint.loads(text.replace("rules:", luck))
    games["eight hits in a row"] = mint.loads(STREAK)
    for name, game in games.items():
        for n in (100, 400, 2_000):
            kept = met = 0
            for seed in range(samples // 10):
                kept += held(game.study(n, seed, accounts=()).mean("gold"), 3.0)
                met += game.judge(n, seed=seed)[0].verdict == "met"
            print(f"  {name:<34}{n:>7,}{10 * kept / samples:>9.3f}{10 * met / samples:>9.3f}")


def again(samples: int, rng: np.random.Generator) -> None:
    print(f"\nlooked at {len(LOOKS)} times, at {LOOKS[0]:,} to {LOOKS[-1]:,} runs: how often it is ever wrong\n")
    print(f"  {'':<41}{'one look':>9}{'for ever':>9}")
    for p in (0.5, 0.05, 0.005):
        wrong = [0, 0]
        for _ in range(samples):
            hits = np.cumsum(rng.random(LOOKS[-1]) < p)
            shares = [Share(int(hits[n - 1]), n) for n in LOOKS]
            for place, way in enumerate((Share.interval, Share.ever)):
                ends = [way(share, 0.95) for share in shares]
                wrong[place] += any(not low <= p <= high for low, high in ends)
        print(f"  {f'rate, p = {p:g}':<41}{wrong[0] / samples:>9.3f}{wrong[1] / samples:>9.3f}")
    for name in ("normal", "exponential", "5 % crits", "dice, with ties"):
        draw, mean = MEANS[name]
        wrong = [0, 0]
        for _ in range(samples // 4):
            sample = draw(rng, LOOKS[-1])
            looks = [estimate.mean_of(sample[:n].tolist()) for n in LOOKS]
            for place, ends in enumerate(([(e.low, e.high) for e in looks], [e.ever() for e in looks])):
                wrong[place] += any(not low <= mean <= high for low, high in ends)
        print(f"  {f'mean, {name}':<41}{4 * wrong[0] / samples:>9.3f}{4 * wrong[1] / samples:>9.3f}")


if __name__ == "__main__":
    size = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000
    once(size, np.random.default_rng(1))
    by_studies(size)
    rare(size)
    rare_in_other_ways(size)
    again(size, np.random.default_rng(2))
