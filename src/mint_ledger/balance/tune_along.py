"""Several targets over one dial: each is searched for in any shape, and the parts that all of them meet are told."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import combinations

from mint_ledger.balance.dial_range import number_today, setting_of
from mint_ledger.balance.targets import habits_of
from mint_ledger.balance.tune_search import Search, State, parts_of
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Spending
from mint_ledger.studies.estimate import Estimate, measured
from mint_ledger.studies.study import Study
from mint_ledger.studies.studying import measure_game


@dataclass(frozen=True)
class Along:
    """What each target comes to along the dial: for each the state of every setting."""

    states: tuple[tuple[State, ...], ...]

    def together(self, which: Sequence[int] | None = None) -> tuple[State, ...]:
        """The state of every setting for several targets (all of them) at once."""
        chosen = self.states if which is None else [self.states[index] for index in which]
        return tuple(
            "out" if "out" in states else "met" if set(states) <= {"met", "looks"} else "open"
            for states in zip(*chosen, strict=True)
        )

    def picked(self, today: int) -> list[int]:
        """A setting of each part that no target rules out: today's, or a little inside of the widest that meets all."""
        picks = []
        states = self.together()
        for first, last, is_out in parts_of([state == "out" for state in states]):
            if is_out:
                continue
            inside = [(a + first, b + first) for a, b, s in parts_of(states[first : last + 1]) if s == "met"]
            widest = max(inside or [(first, last)], key=lambda part: part[1] - part[0])
            is_met_today = first <= today <= last and (not inside or states[today] == "met")
            # Near today's, but a quarter of the part away from its border, which is known no better than that.
            quarter = (widest[1] - widest[0] + 1) // 4
            near = (
                widest[0] + quarter
                if today < widest[0]
                else widest[1] - quarter
                if today > widest[1]
                else sum(widest) // 2
            )
            picks.append(today if is_met_today else near)
        return sorted(picks, key=lambda place: abs(place - today))

    def contradictions(self) -> tuple[list[int], list[tuple[int, ...]]]:
        """Targets that no setting meets, and the smallest sets of the others that none meets together."""

        def is_met(which: Sequence[int]) -> bool:
            return any(state != "out" for state in self.together(which))

        alone = [index for index in range(len(self.states)) if not is_met([index])]
        rest = [index for index in range(len(self.states)) if index not in alone]
        conflicts: list[tuple[int, ...]] = []
        for size in range(2, len(rest) + 1):
            for chosen in combinations(rest, size):
                if not any(set(known) <= set(chosen) for known in conflicts) and not is_met(chosen):
                    conflicts.append(chosen)
        return alone, conflicts


def look_along(
    game: PlayableGame,
    dial: str,
    bounds: tuple[float, float, float],
    targets: Sequence[Target],
    runs: int,
    setting: Setting,
    spending: Spending,
    told: Callable[[float, Estimate], None] | None = None,
) -> Along:
    """Look along a dial for each target (of each habit that it is wanted of); studies are shared among them.

    Raises:
        OutOfBudget: the time is over, or the runs are.
        GameError: a setting makes no game.
    """
    known: dict[tuple[float, int, str | None, str | None], Study] = {}
    needed = list(dict.fromkeys(text for target in targets for text in measured(game, target.measure)))

    def study(target: Target, who: str | None, value: float, count: int) -> Estimate:
        key = (value, count, who, target.variant)
        if key not in known:
            # A dial that the target's variant sets is left to it.
            own = game.variant_dials(target.variant)
            part = replace(
                setting, habit=who, variant=target.variant, dials={} if dial in own else {dial: setting_of(dial, value)}
            )
            known[key] = measure_game(game, count, part, needed)
            spending.add(count)
        return known[key].estimate(target.measure)

    today = number_today(game, dial)
    states = []
    for target in targets:
        each = []
        for who in habits_of(game, target, setting.habit):
            search = Search(partial(study, target, who), bounds, target.want, runs, spending, today, told)
            search.run()
            each.append(tuple(search.states()))
        states.append(Along(tuple(each)).together())
    return Along(tuple(states))
