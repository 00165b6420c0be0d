"""The odds of lots, exactly: a drawing depends on the weights and on how long each sure branch has not come.

These counts are the states of a Markov chain, whose steps are drawings. What is asked of it (long-run shares, the
drawings until a branch comes first) is worked out by linear equations and by following the chain; see Kemeny and Snell,
"Finite Markov Chains", 1960, chapters 3 and 4.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.formula import FormulaError, parse_formula
from mint_ledger.game.lot import Lot
from mint_ledger.lowering.context import LoweredLot
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.playtests import starts_of
from mint_ledger.program.expressions import Constant
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.statements import Note
from mint_ledger.program.walking import callees, nodes
from mint_ledger.showing import Result

if TYPE_CHECKING:
    import pandas as pd
    from numpy.typing import NDArray

MOST_STATES = 50_000
MOST_DRAWINGS = 1_000_000
HALF, MOST = 0.5, 0.95
# What adding up thousands of chances may be off by; a quantile is not moved by it.
SLACK = 1e-12


@dataclass(frozen=True, slots=True)
class BranchOdds:
    """The odds of one branch.

    Attributes:
        weight: its weight as the drawing is asked about.
        long_run: its share of all drawings, where there are many of them.
        at: its chance at the first drawing, the second … of a self that has drawn nothing yet.
        mean: how many drawings it takes on average until it first comes; infinite where it never does.
        half, most: within how many drawings it has come in half of all cases, and in nineteen of twenty; none where
            that takes more than a million.
        latest: by which drawing it surely comes; none where nothing makes it sure.
    """

    name: str
    weight: float
    long_run: float
    at: tuple[float, ...]
    mean: float
    half: int | None
    most: int | None
    latest: int | None


@dataclass(frozen=True, slots=True)
class LotOdds:
    """The odds of one lot; `drawn_by` is for whom its weights were worked out, empty where they read nobody.

    `once` says that whoever draws it leaves with that, so that a branch that is sure by some drawings never is.
    """

    name: str
    drawn_by: str
    shared: bool
    branches: tuple[BranchOdds, ...]
    once: bool = False

    def branch(self, name: str) -> BranchOdds:
        """The odds of a branch.

        Raises:
            NotFound: the lot has none of that name.
        """
        known = {branch.name: branch for branch in self.branches}
        if name not in known:
            raise NotFound(f"the lot '{self.name}' has no branch '{name}'{nearest(name, known)}")
        return known[name]


@dataclass(frozen=True, slots=True, repr=False)
class Odds(Result):
    """The odds of a game's lots."""

    title: str
    lots: tuple[LotOdds, ...]

    def lot(self, name: str) -> LotOdds:
        """The odds of one lot.

        Raises:
            NotFound: there is none of that name.
        """
        known = {lot.name: lot for lot in self.lots}
        if name not in known:
            raise NotFound(f"there is no lot '{name}'{nearest(name, known)}")
        return known[name]

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a branch: lot, branch, weight, long_run, mean, half, most, latest."""
        import pandas as pd

        rows = [
            [lot.name, b.name, b.weight, b.long_run, b.mean, b.half, b.most, b.latest]
            for lot in self.lots
            for b in lot.branches
        ]
        return pd.DataFrame(rows, columns=["lot", "branch", "weight", "long_run", "mean", "half", "most", "latest"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """All of it as plain values; how many drawings it takes on average is null where it never comes."""
        return {"title": self.title, "lots": [asdict(lot) for lot in self.lots]}

    def summary(self) -> str:
        """The odds as text."""
        return showing.text("odds_text.odds_text", self)

    def __str__(self) -> str:
        return self.summary()


def game_odds(game: PlayableGame, at: Mapping[str, object] | None = None, drawings: int | None = None) -> Odds:
    """The odds of all lots of a game; see `Game.odds`.

    Args:
        game: the game.
        at: accounts that have other values than they open with, as weights may read them.
        drawings: how many drawings `BranchOdds.at` has; by default enough to see what is sure.

    Raises:
        NotFound: there is no such account.
        BadRequest: a value is none, weights are all 0, or guarantees have too many states together.
        RunStopped: a weight, or the opening of the game, cannot be worked out.
    """
    if drawings is not None and not 1 <= drawings <= MOST_DRAWINGS:
        raise BadRequest(f"the number of drawings is 1 to {MOST_DRAWINGS:,}, not {drawings:,}")
    lowered = game.lowered
    try:
        formulas = {name: parse_formula(value) for name, value in (at or {}).items()}
    except FormulaError as error:
        raise BadRequest(str(error)) from None
    starts, dials = starts_of(lowered, formulas)
    if dials:
        game = game.with_dials(dials)
        lowered = game.lowered
    engine = ReferenceEngine(lowered.program, seed=1, starts=starts)
    engine.open()
    engine.put(starts)
    return Odds(game.title, tuple(_lot_odds(game, lot, game.lots[lot.name], engine, drawings) for lot in lowered.lots))


def _lot_odds(
    game: PlayableGame, lowered: LoweredLot, lot: Lot, engine: ReferenceEngine, drawings: int | None
) -> LotOdds:
    present = engine.program.columns.present

    def first(entities: tuple[int, ...]) -> int:
        there = [entity for entity in entities if engine.state[present.offset + entity]]
        return next(iter(there), entities[0] if entities else 0)

    me, other = first(lowered.selves), first(lowered.others)
    weights = [engine.ask(weight, float(me), float(other)) for weight in lowered.weights]
    for name, weight in zip(lot.of, weights, strict=True):
        if weight < 0:
            raise BadRequest(f"the weight of '{name}' in the lot '{lowered.name}' is {weight:g}, below 0")
    dials = game.dials
    sure_by = [
        int(dials.value(f"{lowered.name}.{name}.sure_by")) if branch.sure_by is not None else None
        for name, branch in lot.of.items()
    ]
    once = not lot.shared and _leaves_with_it(engine.program, lowered.name)
    if once:
        sure_by = [None for _ in sure_by]  # who draws once is gone before any count comes to it
    chain = _Chain(lowered.name, weights, sure_by)
    count = drawings or max([10, *(sure + 1 for sure in sure_by if sure is not None)])
    return LotOdds(
        lowered.name,
        engine.program.cast.entity_name(me) if me and any(b.weight.number is None for b in lot.of.values()) else "",
        lot.shared,
        tuple(chain.odds(index, name, count) for index, name in enumerate(lot.of)),
        once,
    )


def _leaves_with_it(program: Program, lot: str) -> bool:
    """Return whether a lot is drawn only as whoever draws it has left, so that each draws once."""
    drawing = {
        handle
        for handle, procedure in program.procedures.items()
        for node in nodes(procedure.body)
        if isinstance(node, Note) and node.what == "lot" and _is_of(program, node, lot)
    }
    if not drawing:
        return False
    callers: dict[Handle | str, set[Handle]] = {}
    for handle, procedure in program.procedures.items():
        for node in nodes(procedure.body):
            for callee in callees(node):
                callers.setdefault(callee, set()).add(handle)
    left = {event.handler for event in program.events if event.phase == "gone"}
    waiting, seen = [*drawing], set(drawing)
    while waiting:
        handle = waiting.pop()
        if handle in left:
            continue
        if not callers.get(handle):
            return False
        new = callers[handle] - seen
        seen |= new
        waiting += new
    return True


def _is_of(program: Program, node: Note, lot: str) -> bool:
    return isinstance(node.cause, Constant) and program.causes[int(node.cause.value)].path[:2] == ("lots", lot)


class _Chain:
    """The drawings of one lot, from a self that has drawn nothing yet."""

    def __init__(self, name: str, weights: list[float], sure_by: list[int | None]) -> None:
        from scipy.sparse import csr_matrix

        self.name, self.weights, self.sure_by = name, weights, sure_by
        self.total = math.fsum(weights)
        self.sure = [index for index, latest in enumerate(sure_by) if latest is not None]
        known: dict[tuple[int, ...], int] = {(0,) * len(self.sure): 0}
        waiting = list(known)
        rows: list[tuple[int, int, int, float]] = []
        while waiting:
            state = waiting.pop()
            for branch, chance in self._branches(state):
                following = self._after(state, branch)
                if following not in known:
                    if len(known) >= MOST_STATES:
                        raise BadRequest(
                            f"the guarantees of the lot '{name}' have more than {MOST_STATES:,} states together"
                        )
                    known[following] = len(known)
                    waiting.append(following)
                rows.append((known[state], known[following], branch, chance))
        self.size = len(known)
        self.by_branch: list[NDArray[np.float64]] = [np.zeros(self.size) for _ in weights]
        for state_, _, branch, chance in rows:
            self.by_branch[branch][state_] += chance
        self._steps: list[tuple[int, int, int, float]] = rows
        self._matrix = csr_matrix
        self.all = self._sparse(None)

    def _branches(self, state: tuple[int, ...]) -> list[tuple[int, float]]:
        for place, index in enumerate(self.sure):
            latest = self.sure_by[index]
            assert latest is not None
            if state[place] + 1 >= latest:
                return [(index, 1.0)]
        if self.total <= 0.0:
            raise BadRequest(f"all weights of the lot '{self.name}' are 0, so nothing can be drawn")
        return [(index, weight / self.total) for index, weight in enumerate(self.weights) if weight > 0.0]

    def _after(self, state: tuple[int, ...], branch: int) -> tuple[int, ...]:
        # More than what makes it due is no other state.
        return tuple(
            0 if index == branch else min(count + 1, int(self.sure_by[index] or 1) - 1)
            for count, index in zip(state, self.sure, strict=True)
        )

    def _sparse(self, without: int | None) -> Any:
        """The steps as a matrix (from row to column), without those of a branch."""
        kept = [row for row in self._steps if row[2] != without]
        chances = [row[3] for row in kept]
        places = ([row[0] for row in kept], [row[1] for row in kept])
        return self._matrix((chances, places), shape=(self.size, self.size))

    def odds(self, branch: int, name: str, drawings: int) -> BranchOdds:
        """All that is told of a branch."""
        half, most, latest = self._quantiles(branch)
        return BranchOdds(
            name,
            self.weights[branch],
            float(self._long_run() @ self.by_branch[branch]),
            self._at(branch, drawings),
            self._mean(branch),
            half,
            most,
            latest,
        )

    def _long_run(self) -> NDArray[np.float64]:
        """The share of drawings that is made in each state."""
        from scipy.sparse import eye
        from scipy.sparse.linalg import spsolve

        if self.size == 1:
            return np.ones(1)
        system = (self.all.T - eye(self.size)).tolil()
        # One of the equations follows from the others; in its place all shares add up to 1.
        system[-1, :] = 1.0
        system = system.tocsc()
        right = np.zeros(self.size)
        right[-1] = 1.0
        shares: NDArray[np.float64] = spsolve(system, right)
        return shares

    def _at(self, branch: int, drawings: int) -> tuple[float, ...]:
        where = np.zeros(self.size)
        where[0] = 1.0
        chances = []
        step = self.all.T.tocsr()
        for _ in range(drawings):
            chances.append(float(where @ self.by_branch[branch]))
            where = step @ where
        return tuple(chances)

    def _never(self, branch: int) -> bool:
        return self.weights[branch] <= 0.0 and self.sure_by[branch] is None

    def _mean(self, branch: int) -> float:
        from scipy.sparse import eye
        from scipy.sparse.linalg import spsolve

        if self._never(branch):
            return math.inf
        if self.size == 1:
            return 1.0 / float(self.by_branch[branch][0])
        left = (eye(self.size) - self._sparse(branch)).tocsc()
        return float(spsolve(left, np.ones(self.size))[0])

    def _quantiles(self, branch: int) -> tuple[int | None, int | None, int | None]:
        """Within how many drawings it has come in half, and in nineteen of twenty cases; and surely."""
        if self._never(branch):
            return None, None, None
        if self.size == 1:
            chance = float(self.by_branch[branch][0])
            half, most = (_geometric(chance, share) for share in (HALF, MOST))
            return half, most, 1 if chance == 1.0 else None
        step = self._sparse(branch).T.tocsr()
        where = np.zeros(self.size)
        where[0] = 1.0
        found: dict[float, int] = {}
        for drawing in range(1, MOST_DRAWINGS + 1):
            where = step @ where
            left = float(where.sum())
            for share in (HALF, MOST):
                if share not in found and 1.0 - left >= share - SLACK:
                    found[share] = drawing
            if left == 0.0:
                return found.get(HALF), found.get(MOST), drawing
            if len(found) == 2 and self.sure_by[branch] is None:
                break
        return found.get(HALF), found.get(MOST), None


def _geometric(chance: float, share: float) -> int | None:
    """Within how many drawings something of that chance has come with that probability."""
    if chance >= 1.0:
        return 1
    drawings = max(1, math.ceil(math.log1p(-share) / math.log1p(-chance) - SLACK))
    return drawings if drawings <= MOST_DRAWINGS else None
