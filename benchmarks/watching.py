"""From save to answer: how long `watch` takes for the demo where only numbers changed.

    python benchmarks/watching.py

The first look compiles or finds the machine code; the others meet a file in which one number is another. Each is
compared with the first look of the same process, so that the machine's mood drops out.
"""

from __future__ import annotations

import statistics
import time

import mint_ledger as mint
from mint_ledger.watching.change import change_between
from mint_ledger.watching.look import look_at


def main() -> None:
    text = mint.demo_path().read_text("utf-8")
    began = time.perf_counter()
    look = look_at(mint.loads(text))
    first = time.perf_counter() - began
    took = []
    for bite in (11, 13, 10, 14, 12.5, 9, 15):
        began = time.perf_counter()
        other = look_at(mint.loads(text.replace("bite: 12", f"bite: {bite}")))
        change_between(look, other)
        took.append(time.perf_counter() - began)
        look = other
    middle = statistics.median(took)
    print(f"first look {first:.2f} s; after a save {middle:.2f} s (least {min(took):.2f}, most {max(took):.2f})")
    print(f"a save costs {100 * middle / first:.0f} % of the first look; wanted: less than 1 s")


if __name__ == "__main__":
    main()
