"""What skill is worth: the wins of habits as their players are quick and sure, or slow and clumsy.

Skill goes from 1 to 0: the reaction, drawn between a half of it and half as much again, from a tenth of a second to
three seconds in equal ratios, and slips from none to 60 %. A reaction that is always the same would beat against
cooldowns.
"""

from __future__ import annotations

import copy
import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.game.source import Source
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, plain
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

QUICK, SLOW, SLIPS = 0.1, 3.0, 0.6
EVEN, POINTS = 7, 13
RUNS = 1_000
REACTION, SLIPPING = "reaction_at_this_skill", "slips_at_this_skill"
LAST_QUARTER = 0.75


def reaction_of(skill: float) -> float:
    """The reaction of a skill, in seconds."""
    return float(QUICK * (SLOW / QUICK) ** (1.0 - skill))


def slips_of(skill: float) -> float:
    """The chance of a slip."""
    return SLIPS * (1.0 - skill)


@dataclass(frozen=True, repr=False)
class SkillCurve(Result):
    """The wins of habits at each skill.

    Attributes:
        skills: from 0 (poor) to 1 (perfect), closer where the curve of the first habit is steep.
        wins: habit → its wins at each of them; the best that was found first.
        at_random: the wins of one who acts at random, with the timing of a habit, and `idle` of one who does nothing.
        runs: how many runs make each point.
    """

    title: str
    skills: tuple[float, ...]
    wins: Mapping[str, tuple[Estimate, ...]]
    at_random: Estimate
    idle: Estimate
    runs: int
    in_turns: bool

    @property
    def first(self) -> tuple[Estimate, ...]:
        """The wins of the best that was found."""
        return next(iter(self.wins.values()))

    @property
    def half_at(self) -> float | None:
        """The skill at which half of what skill brings is had; none where it brings nothing for certain."""
        low, high = self.first[0], self.first[-1]
        if low.high >= high.low:
            return None
        middle = (low.value + high.value) / 2.0
        for place, estimate in enumerate(self.first[1:], 1):
            before = self.first[place - 1].value
            if before < middle <= estimate.value:
                part = (middle - before) / (estimate.value - before)
                return self.skills[place - 1] + part * (self.skills[place] - self.skills[place - 1])
        return self.skills[-1]

    @property
    def left_to_master(self) -> Estimate:
        """Return what the last quarter of skill brings."""
        place = min(range(len(self.skills)), key=lambda at: abs(self.skills[at] - LAST_QUARTER))
        before, top = self.first[place], self.first[-1]
        value, half = top.value - before.value, math.hypot(before.half_width, top.half_width)
        return Estimate(value, value - half, value + half, self.runs, "difference", top.confidence)

    def plot(self, ax: Axes | None = None) -> Figure:
        """A curve for each habit, chance and idleness marked."""
        return showing.figure("skill_plot.skill_figure", self, ax=ax)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a habit and skill: habit, skill, reaction, slips, wins, low, high."""
        import pandas as pd

        rows = [
            (habit, skill, reaction_of(skill), slips_of(skill), e.value, e.low, e.high)
            for habit, wins in self.wins.items()
            for skill, e in zip(self.skills, wins, strict=True)
        ]
        return pd.DataFrame(rows, columns=["habit", "skill", "reaction", "slips", "wins", "low", "high"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "skills": list(self.skills),
            "wins": {habit: [plain(estimate) for estimate in wins] for habit, wins in self.wins.items()},
            "half_at": self.half_at,
            "left_to_master": plain(self.left_to_master),
            "runs": self.runs,
        }


def find_skill_curve(
    game: PlayableGame,
    habits: Mapping[str, Mapping[str, Any]],
    around: tuple[Estimate, Estimate],
    setting: Setting,
    runs: int = RUNS,
    progress: Progress | None = None,
) -> SkillCurve:
    """The wins of habits (as they stand in a file) at skills from poor to perfect; `around`: of chance and idleness."""
    in_turns = game.lowered.program.clock.unit == "turn"
    skilled, names = _skilled(game, habits, in_turns=in_turns)
    known: dict[float, list[Estimate]] = {}

    def play(skill: float) -> None:
        dials = {SLIPPING: slips_of(skill)} | ({} if in_turns else {REACTION: reaction_of(skill)})
        known[skill] = [
            study_game(skilled, runs, Setting(setting.seed, name, dials=dials, sure=setting.sure), Asked((), ())).rate(
                "win"
            )
            for name in names
        ]
        if progress is not None:
            progress(len(known), POINTS)

    for place in range(EVEN):
        play(place / (EVEN - 1))
    while len(known) < POINTS:
        play(_steepest(sorted(known), [known[skill][0].value for skill in sorted(known)]))
    skills = tuple(sorted(known))
    wins = {habit: tuple(known[skill][index] for skill in skills) for index, habit in enumerate(habits)}
    return SkillCurve(setting.title(game), skills, wins, *around, runs, in_turns)


def _steepest(skills: Sequence[float], values: Sequence[float]) -> float:
    """In the middle of where most happens from one point to the next."""
    steps = [abs(after - before) for before, after in pairwise(values)]
    widths = [after - before for before, after in pairwise(skills)]
    place = max(range(len(steps)), key=lambda at: (steps[at] if widths[at] > 0.02 else -1.0, widths[at]))
    return (skills[place] + skills[place + 1]) / 2.0


def _skilled(
    game: PlayableGame, habits: Mapping[str, Mapping[str, Any]], *, in_turns: bool
) -> tuple[PlayableGame, list[str]]:
    """A game in which the reaction and the slips of habits are dials."""
    data = copy.deepcopy(game.source.data)
    numbers = data.setdefault("numbers", {})
    numbers |= {REACTION: 1.0, SLIPPING: 0.0}
    names = []
    for number, habit in enumerate(habits.values()):
        name = f"of this skill {number}"
        timing = {} if in_turns else {"reaction": f"between(0.5 * {REACTION}, 1.5 * {REACTION})"}
        data.setdefault("habits", {})[name] = {**habit, **timing, "slips": SLIPPING}
        names.append(name)
    for section in ("playtests", "targets", "allow", "variants", "readout"):
        data.pop(section, None)
    return game.remade(Source(game.file, data, json.dumps(data))), names
