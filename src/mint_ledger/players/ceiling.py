"""The proved ceiling: what players could win at most with a habit's timing, who see everything and also may wait."""

from __future__ import annotations

import copy
import json
import math
import re
from dataclasses import dataclass
from typing import Any

from mint_ledger.errors import BadRequest, RunStopped
from mint_ledger.exact.optimum import Optimum, best_play
from mint_ledger.game.source import Source
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.players.candidate import CandidateSpace

FREE, WAIT = "free to choose", "wait"
# What is tried unasked, beside a search.
MOST_STATES = 20_000


@dataclass(frozen=True, slots=True)
class Ceiling:
    """The best play of all, worked out exactly; or why that cannot be done."""

    optimum: Optimum | None
    why_not: str = ""

    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        if self.optimum is None:
            return {"wins": None, "states": None, "why_not": self.why_not}
        return {"wins": self.optimum.wins, "states": self.optimum.states, "why_not": None}


NOT_ASKED = Ceiling(None, "there was no time to look for it")
STOPPED = Ceiling(None, "it was stopped")


def find_ceiling(
    game: PlayableGame,
    space: CandidateSpace,
    states: int = MOST_STATES,
    seconds: float = math.inf,
) -> Ceiling:
    """Work out the best that players with a habit's timing can do, where all states can be walked.

    Whatever any habit with the timing of `space.base` does, it chooses at the same moments among the same acts, or does
    nothing; so none wins more often.
    """
    free = _free_game(game, space)
    try:
        return Ceiling(best_play(free, FREE, states=states, seconds=seconds))
    except (BadRequest, RunStopped) as problem:
        told = re.sub(r"^.*?:(\d+):\d+: ", r"in line \1 ", str(problem).removeprefix(f"{game.title}: "))
        # What it goes on to advise is of exact answers.
        return Ceiling(None, re.split(r"[;.:] |, so ", told, maxsplit=1)[0])


def _free_game(game: PlayableGame, space: CandidateSpace) -> PlayableGame:
    """The game with players who choose among all acts, and to wait."""
    data = copy.deepcopy(game.source.data)
    name = next(name for name in (WAIT + "_" * count for count in range(len(data) + 99)) if name not in game.actions)
    by = space.base["by"]
    data["actions"] = {**data.get("actions", {}), name: {"by": by, "do": [{"cue": name}]}}
    acts = [{"do": action} for action in (*space.actions, name)]
    data["habits"] = {**data.get("habits", {}), FREE: {**space.base, "choose": "random", "acts": acts}}
    for section in ("playtests", "targets", "allow", "variants", "readout", "measures"):
        data.pop(section, None)
    return game.remade(Source(game.file, data, json.dumps(data), dict(game.source.places)))
