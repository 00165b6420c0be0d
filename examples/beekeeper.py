"""A game built in Python, without a file: how many hives can one keeper hold through a dry summer?

Run it with `python examples/beekeeper.py`.
"""

from __future__ import annotations

import mint_ledger as mint


def summer(hives: int) -> mint.Game:
    return mint.Game(
        title="Dry Summer",
        clock={"step": 0.25, "limit": 90},
        kinds={
            "keeper": {"stats": {"water": {"start": 40, "min": 0, "max": 40, "recover": {"rate": 3.3, "after": 0.5}}}},
            "hive": {
                "copies": hives,
                "stats": {"thirst": {"start": 0, "min": 0, "max": 30, "recover": {"rate": 1}}},
                "rules": [
                    {
                        "name": "is watered",
                        "when": {"becomes": "thirst > 12"},
                        "do": [
                            {"if": "keeper.water >= 8", "do": ["keeper.water -= 8", "thirst -= between(8, 12)"]},
                        ],
                    },
                ],
                "gone_if": "thirst >= 30",
            },
        },
        endings={"a hive is lost": {"result": "lose", "if": f"count(hive) < {hives}"}},
    )


def main() -> None:
    print("hives  lost by the end of the summer (95 % interval)")
    for hives in (2, 3, 4):
        lost = summer(hives).study(runs=40, seed=1).rate("a hive is lost")
        print(f"{hives:>5}  {100 * lost.value:3.0f} %  ({100 * lost.low:.0f} to {100 * lost.high:.0f} %)")
    run = summer(4).run(seed=1)
    print()
    print(run.statement("keeper.water"))


if __name__ == "__main__":
    main()
