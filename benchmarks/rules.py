"""What each rule, stat or attack of a game with very many of them costs to compile, quickly and thoroughly.

    python benchmarks/rules.py

Told are milliseconds of CPU for each of them; exits with 1 where quick code takes more than 3 of them a rule, or where
a thousand rules take twice as long each as three hundred.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

import mint_ledger as mint
from mint_ledger.engines.native.compiling import module_text, object_code

WANTED = 3.0
NUMBERS = (300, 1_000)


def _rules(line: Callable[[int], str]) -> Callable[[int], str]:
    return lambda n: (
        "clock: {limit: 500}\nstats: {x: 0, y: 0}\nrules:\n" + "".join(f"  - {{{line(i)}}}\n" for i in range(n))
    )


SORTS: dict[str, Callable[[int], str]] = {
    "rules on timers": _rules(lambda i: f"name: r{i}, when: {{every: {1 + i % 7}}}, if: 'x > {i}', do: [x += {i % 5}]"),
    "rules on conditions": _rules(lambda i: f"name: r{i}, when: {{becomes: 'x > {i}'}}, do: [y += {i % 5}]"),
    "rules on cues": _rules(lambda i: f"name: r{i}, when: {{cue: c{i}}}, do: [y += {i % 5}, {{cue: c{i + 1}}}]"),
    "stats that recover": lambda n: (
        "clock: {limit: 50}\nstats:\n"
        + "".join(f"  s{i}: {{start: {i}, max: {i + 20}, recover: {{rate: {1 + i % 3}}}}}\n" for i in range(n))
    ),
    "attacks": lambda n: (
        "clock: {limit: 50}\nkinds:\n  a: {stats: {health: 100}}\n  b: {stats: {health: 100}}\nattacks:\n"
        + "".join(f"  k{i}: {{from: a, to: b, when: {{every: {1 + i % 5}}}, damage: {i % 7}}}\n" for i in range(n))
    ),
}


def main() -> int:
    """Measure, print, judge."""
    met = True
    module_text(mint.loads(next(iter(SORTS.values()))(20)).lowered.program)  # what is imported late is there then
    print(f"{'ms each':<22}{'number':>7}{'text':>8}{'LLVM':>8}{'quick':>8}{'thorough':>10}")
    for sort, text_of in SORTS.items():
        quick = []
        for number in NUMBERS:
            program = mint.loads(text_of(number)).lowered.program
            began = time.thread_time()
            text, _ = module_text(program)
            written = time.thread_time()
            object_code(text, thorough=False)
            compiled = time.thread_time()
            object_code(module_text(program, thorough=True)[0], thorough=True)
            thorough = time.thread_time() - compiled
            parts = [1e3 * t / number for t in (written - began, compiled - written, compiled - began, thorough)]
            quick.append(parts[2])
            print(f"{sort:<22}{number:>7,}{parts[0]:>8.2f}{parts[1]:>8.2f}{parts[2]:>8.2f}{parts[3]:>10.2f}")
        met &= quick[1] < 2 * quick[0] and (not sort.startswith("rules") or max(quick) <= WANTED)
    print("all figures are met" if met else f"a figure is missed (wanted: {WANTED:g} ms a rule, quickly)")
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main())
