"""Makes the demo's recorded plays: 120 nights by 24 players of two sorts that the game file does not know.

python docs/make_plays.py; sixteen are steady (slower and less sure than `careful`, and they drink late), eight are
hasty (they only swing, and drink when little is left).
"""

from __future__ import annotations

import csv
import io
from pathlib import Path

import mint_ledger as mint
from mint_ledger.files import write_text
from mint_ledger.players.recorded import game_mark

PLAYS = 5
HIDDEN = """
  steady:
    by: keeper
    reaction: between(0.35, 0.8)
    slips: 0.22
    acts: [{do: sip, if: health < 32}, {do: swing, if: stamina > 14}]
    meets: [{oil_can: "between(20, 40)"}]
  hasty:
    by: keeper
    reaction: between(0.3, 0.6)
    slips: 0.3
    acts: [{do: swing}, {do: sip, if: health < 20}]
    meets: [{oil_can: "between(25, 45)"}]
"""
MEASURES = ("closing(keeper.health)", "count_of(keeper.stamina, swing)")


def main() -> None:
    """Write them beside the demo."""
    path = mint.demo_path()
    demo = mint.load(path)
    game = mint.loads(path.read_text("utf-8").replace("\nvariants:", f"{HIDDEN}\nvariants:"), "saltmere.yaml")
    out = io.StringIO()
    sheet = csv.writer(out, lineterminator="\n")
    sheet.writerow(["player", "game", "result", "ending", "level", "time", *MEASURES])
    for player in range(24):
        habit = "steady" if player % 3 else "hasty"
        study = game.study(PLAYS, seed=4_000 + player, habit=habit, measures=list(MEASURES), accounts=[])
        for row in study.measures.itertuples(index=False):
            values = [f"{value:g}" for value in row[-len(MEASURES) :]]
            cells = [f"p{player + 1:02}", game_mark(demo), row.result, row.ending, row.level, f"{row.time:g}", *values]
            sheet.writerow(cells)
    write_text(Path(path).parent / "plays.csv", out.getvalue())


if __name__ == "__main__":
    main()
