"""Means with rare outcomes: further runs in which rare chances are raised, weighed back.

A sample says nothing of what it does not hold: of a chest that one run in 2,000 opens, 2,000 runs mostly hold none. The
program knows each chance. So a study with rare outcomes plays some 200 runs more in which these come about once a run,
weighs each by how likely it is (importance sampling), and takes from its own runs what they tell well: the mean without
rare outcomes, and how often each place draws. What is known exactly, reaches times chance, is a control variate.

Source: Owen and Zhou, "Safe and effective importance sampling", JASA 95 (2000).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from mint_ledger.chance.many import uniforms
from mint_ledger.engines.native.engine import CannotGoOn
from mint_ledger.facts.thresholds import DrawingPlace, Seen, dice_below, drawing_places, numbers_from_state, sum_of_dice
from mint_ledger.program.program import Program
from mint_ledger.studies.estimate import mean_of
from mint_ledger.studies.intervals import Ends, Raised
from mint_ledger.studies.playing import taken_again
from mint_ledger.studies.raised_program import Structure, with_maps
from mint_ledger.studies.request import Prepared
from mint_ledger.studies.taking import cause_slots

# An outcome that is expected fewer times than this in all runs is too seldom for them to tell its part of a mean.
FEW = 25.0
# And in fewer than one of ten runs; else the runs themselves tell.
SELDOM = 0.1
# Raised runs aim at so many of each rare outcome, and there are so many of them at least and at most.
HITS = 50
LEAST, MOST = 200, 2_000
ROUNDS = 4
# With more rare outcomes than this the weights spread too far.
MOST_OUTCOMES = 40
# An outcome that comes so seldom even in raised runs is not judged.
SEEN = 25
# Far from the seeds that confirm an answer.
RAISED_SEED = 2_000_003
# The mean weight is 1, within so many of its standard errors.
WEIGHT_ERRORS = 6.0
Floats = np.ndarray[Any, np.dtype[np.float64]]


@dataclass(frozen=True)
class RunsAgain:
    """Runs that may be played again: the program, the seed, the first run and how many."""

    program: Program
    seed: int
    first: int
    count: int


@dataclass(frozen=True)
class Outcome:
    """One rare outcome: a cell of a place's draws, with its chance."""

    place: int
    cell: int
    chance: float
    label: str


@dataclass(frozen=True)
class RareOutcomes:
    """The rare outcomes of a study, with what its own runs and the raised ones hold of them.

    Attributes:
        outcomes: those that the study's runs cannot judge.
        unjudged: those of which the raised runs hold too few as well, or that are too many.
        runs: how many runs more were played.
        plain, raised: what was taken of each run, one array a side, shape (runs, slots).
        came, reached: of each outcome in the study's runs, shape (runs, outcomes).
        raised_came: the same in the raised runs; `weights` and `some` (whether a rare outcome came) of those.
        omega: for each of the study's runs one over its chance of no rare outcome.
        again: how the raised runs may be played again.
    """

    outcomes: tuple[Outcome, ...]
    unjudged: tuple[Outcome, ...]
    runs: int
    plain: tuple[Floats, ...]
    raised: tuple[Floats, ...]
    came: Floats
    reached: Floats
    raised_came: Floats
    weights: Floats
    some: Any
    omega: Floats
    again: RunsAgain

    def mean(self, plain: Floats, raised: Floats, sure: float, bounds: Ends) -> Raised | None:
        """The mean of a number of each run, from its values in the study's runs and in the raised ones.

        None where too few runs are without a rare outcome, or a value is missing.
        """
        none = self.came.sum(axis=1) == 0.0
        if self.unjudged:
            return Raised(float(plain.mean()), None, None, 0.0, bounds)
        if none.sum() < 2 or not (np.isfinite(plain).all() and np.isfinite(raised).all()):
            return None
        center = float(plain[none].mean())
        hit = self.some
        if hit.sum() < 2:
            return Raised(float(plain.mean()), None, None, 0.0, bounds)
        weights, z = self.weights[hit], raised[hit] - center
        firm = [r for r in range(len(self.outcomes)) if (self.reached[none, r] > 0.0).sum() >= FEW]
        x = np.stack([np.ones(int(hit.sum())), *(self.raised_came[hit, r] for r in firm)], axis=1)
        root = np.sqrt(weights / weights.max())[:, None]
        beta = np.linalg.lstsq(x * root, z * root[:, 0], rcond=1e-9)[0]
        omega = self.omega[none]
        average = omega.mean()
        value = plain[none] + beta[0] * ((omega - average) / average**2 + 1.0 - 1.0 / average)
        for r, effect in zip(firm, beta[1:], strict=True):
            reached = self.reached[:, r]
            value = value + effect * self.outcomes[r].chance * reached[none] * (reached.mean() / reached[none].mean())
        body = mean_of(value.tolist(), sure).basis
        left = mean_of((weights * (z - x @ beta)).tolist(), sure).basis
        share = float(hit.sum()) / len(hit)
        if body.alike:  # type: ignore[union-attr]
            body = replace(body, opens=False)  # type: ignore[type-var]
        # Raised runs hold their outcomes by design: their skewness leaves nothing unseen.
        kept = replace(left, opens=False)  # type: ignore[type-var]
        return Raised(body.mean + share * kept.mean, body, kept, share, bounds)  # type: ignore[union-attr, arg-type]

    @property
    def words(self) -> str:
        """Return what was played more, or what could not be judged; empty where nothing is rare."""
        if self.unjudged:
            first = self.unjudged[0]
            more = f" (and {len(self.unjudged) - 1} more)" if len(self.unjudged) > 1 else ""
            return f"means are not judged: {first.label}, 1 in {1.0 / first.chance:,.0f}{more}, is too rare to be seen"
        if not self.outcomes:
            return ""
        names = list(dict.fromkeys(outcome.label for outcome in self.outcomes))
        shown = ", ".join(names[:3]) + (" …" if len(names) > 3 else "")
        return f"means rest on {self.runs:,} runs more in which {shown} came more often, weighed back"


@dataclass(frozen=True)
class _Stream:
    """A place of one or two programs: its edges in each, and where each counts the draws of every copy.

    Where several dice are thrown at once (`dice`: how many, sides), the cells are those of their sum.
    """

    edges: tuple[float, ...]
    # For each stream of numbers (place hash, copy): the slot of its count on each side, -1 for none.
    counts: tuple[tuple[int, int, tuple[int, ...]], ...]
    label: str
    dice: tuple[int, int] | None = None

    @property
    def chances(self) -> Floats:
        """The chance of each cell."""
        return np.diff(np.array((0.0, *self.edges, 1.0)))

    @property
    def cell_of_sum(self) -> Any:
        """In which cell each sum of the dice lies, shape (count × sides + 1,)."""
        assert self.dice is not None
        return np.searchsorted(np.array(self.edges), dice_below(*self.dice)[:-1], side="right")


@dataclass(frozen=True)
class _Raised:
    """The chances of a place's cells where some are raised.

    Several dice are raised together: with chance `often` a throw is made of dice that show each face by `faces`.
    """

    cells: Floats
    often: float = 0.0
    faces: Floats | None = None

    def weights(self, shown: Any) -> Floats:
        """How likely throws are in truth, over how likely they are raised, by their faces 0, 1 …: shape (throws,)."""
        assert self.faces is not None
        ratio = np.prod(self.faces[shown] * len(self.faces), axis=1)
        weights: Floats = 1.0 / (self.often * ratio + 1.0 - self.often)
        return weights


def rare_outcomes(sides: Sequence[Prepared], runs: int, first: int = 0) -> RareOutcomes | None:
    """Look for rare outcomes of a study, or of two that are compared run by run; None where nothing is rare.

    Raises:
        Interrupted: somebody stopped it.
    """
    places = [drawing_places(side.lowered.program) for side in sides]
    if not any(places):
        return None
    known = [numbers_from_state(side.lowered.program) for side in sides]
    streams = _streams(sides, places, known)
    if not any(_may_be_rare(stream, runs) for stream in streams):
        return None
    try:
        return _RareSearch(sides, places, streams, runs, first).found()
    except CannotGoOn:
        return None  # a run that stops is told by who plays it


def _may_be_rare(stream: _Stream, runs: int) -> bool:
    chances = stream.chances
    return bool((chances[chances > 0.0] < min(SELDOM, FEW)).any()) and runs > 0


def _streams(
    sides: Sequence[Prepared], places: Sequence[tuple[DrawingPlace, ...]], seen: Sequence[Seen]
) -> list[_Stream]:
    """The places of all sides together, by what their numbers are drawn from."""
    edges: dict[tuple[int, ...], tuple[float, ...]] = {}
    dice: dict[tuple[int, ...], set[tuple[int, int] | None]] = {}
    counts: dict[tuple[int, ...], dict[tuple[int, int], list[int]]] = {}
    labels: dict[tuple[int, ...], str] = {}
    for index, (side, known, numbers) in enumerate(zip(sides, places, seen, strict=True)):
        program = side.lowered.program
        for place in known:
            key = _key(place)
            edges[key] = edges.get(key, ()) + place.cut(program.dials.numbers, numbers)
            dice.setdefault(key, set()).add(place.thrown(program.dials.numbers))
            labels.setdefault(key, _label(program, place))
            slots = counts.setdefault(key, {})
            for start, count, chance_hash in place.spans:
                for entity in range(start, start + count):
                    stream = slots.setdefault((chance_hash, entity - start + 1), [-1] * len(sides))
                    stream[index] = place.column.offset + entity
    return [
        _Stream(
            # Two games that throw other dice have no cells in common.
            tuple(sorted(edges[key])) if len(dice[key]) == 1 else (),
            tuple((place, copy, tuple(slots)) for (place, copy), slots in counts[key].items()),
            labels[key],
            next(iter(dice[key])) if len(dice[key]) == 1 else None,
        )
        for key in edges
    ]


def _key(place: DrawingPlace) -> tuple[int, ...]:
    return tuple(sorted({chance_hash for _, _, chance_hash in place.spans}))


def _label(program: Program, place: DrawingPlace) -> str:
    """Return what the place belongs to, in the words of the file."""
    owner = place.column.handle.owner
    best = ""
    for cause in program.causes:
        if cause.path and owner[: len(cause.path)] == cause.path:
            best = cause.name
    return best or ".".join(str(part) for part in owner[:2])


class _RareSearch:
    """Looks for rare outcomes, raises their chances, and plays what is needed."""

    def __init__(
        self,
        sides: Sequence[Prepared],
        places: Sequence[tuple[DrawingPlace, ...]],
        streams: list[_Stream],
        runs: int,
        first: int,
    ) -> None:
        self.sides, self.places, self.streams, self.runs, self.first = sides, places, streams, runs, first
        self.keys = [_key(place) for known in places for place in known]
        self.order = {key: at for at, key in enumerate(dict.fromkeys(self.keys))}
        slots = {slot for stream in streams for _, _, pair in stream.counts for slot in pair}
        self.slots = [np.array([*side.taking.slots, *_tallies(side), *sorted(slots - {-1})]) for side in sides]
        self.at = [{int(slot): place for place, slot in enumerate(row)} for row in self.slots]

    def found(self) -> RareOutcomes | None:
        pilot = self._play(min(self.runs, LEAST), self.first, None)
        reached = self._reaches(pilot)
        rare = self._rare(reached, self.runs)
        if not rare:
            return None
        raised: dict[tuple[int, int], float] = dict.fromkeys(rare, 0.0)
        look = reached
        for number in range(ROUNDS + 1):
            share = self._raise(raised, look)
            data = self._play(LEAST, 0, share)
            look = self._reaches(data)
            new = [r for r in self._rare(look, LEAST) if r not in raised]
            if not new or len(raised) + len(new) > MOST_OUTCOMES or number == ROUNDS:
                break
            raised |= dict.fromkeys(new, 0.0)
        look_came, _ = self._came(data, share, 0)
        often = [max(float(look_came[place][:, cell].mean()), 1.0 / LEAST) for place, cell in raised]
        more = int(min(MOST, max(LEAST, HITS / min(often), self.runs // 10)))
        return self._finish(list(raised), share, more)

    def _finish(self, raised: list[tuple[int, int]], share: list[_Raised], more: int) -> RareOutcomes:
        """Play the study's runs again for what they drew, and the raised runs; weigh those."""
        plain = self._play(self.runs, self.first, None)
        data = self._play(more, LEAST, share)
        reached = self._reaches(plain)
        rare = [
            (place, cell)
            for place, cell in raised
            if float(reached[place].sum()) * self.streams[place].chances[cell] < FEW
        ]
        places = {place for place, _ in rare}
        came, _ = self._came(plain, None, self.first, places)
        raised_came, weights = self._came(data, share, LEAST)
        outcomes = tuple(
            Outcome(place, cell, float(self.streams[place].chances[cell]), self.streams[place].label)
            for place, cell in rare
        )
        hits = np.array([raised_came[place][:, cell] for place, cell in rare]).reshape(len(rare), more).T
        unjudged = [o for o, seen in zip(outcomes, (hits > 0.0).sum(axis=0), strict=True) if seen < SEEN]
        error = float(weights.std()) / math.sqrt(more)
        if abs(float(weights.mean()) - 1.0) > WEIGHT_ERRORS * error + 1e-9 or len(raised) > MOST_OUTCOMES:
            unjudged = list(outcomes)
        known = np.array([came[place][:, cell] for place, cell in rare]).reshape(len(rare), self.runs).T
        times = np.array([reached[place] for place, _ in rare]).reshape(len(rare), self.runs).T
        omega = np.zeros(self.runs)
        for place in places:
            lost = sum(self.streams[place].chances[cell] for other, cell in rare if other == place)
            omega -= reached[place] * math.log1p(-lost)
        return RareOutcomes(
            outcomes,
            tuple(unjudged),
            more,
            tuple(plain),
            tuple(data),
            known,
            times,
            hits,
            weights,
            hits.sum(axis=1) > 0.0,
            np.exp(omega),
            RunsAgain(self._raised_program(0, share), (self.sides[0].seed + RAISED_SEED) % 2**64, LEAST, more),
        )

    # Which outcomes, and how likely they are made

    def _rare(self, reached: Sequence[Floats], runs: int) -> list[tuple[int, int]]:
        """The cells that come too seldom in so many runs, as far as their places are reached; never the likeliest."""
        found = []
        for place, stream in enumerate(self.streams):
            often = float(reached[place].mean())
            usual = int(np.argmax(stream.chances))
            for cell, chance in enumerate(stream.chances):
                if (
                    cell != usual
                    and often > 0.0
                    and chance > 0.0
                    and often * chance * runs < FEW
                    and often * chance < SELDOM
                ):
                    found.append((place, cell))
        return found

    def _raise(self, raised: dict[tuple[int, int], float], reached: Sequence[Floats]) -> list[_Raised]:
        """The chances of all cells where about one raised outcome comes in each run."""
        chances = [_Raised(stream.chances) for stream in self.streams]
        for place in {place for place, _ in raised}:
            stream = self.streams[place]
            true, new = stream.chances, stream.chances
            cells = [cell for other, cell in raised if other == place]
            often = max(float(reached[place].mean()), 1e-9)
            for cell in cells:
                new[cell] = min(0.5, max(true[cell], 1.0 / (len(raised) * often)))
            others = [cell for cell in range(len(true)) if cell not in cells]
            rest = float(true[others].sum())
            most = 0.5 if rest > 0.0 else 1.0
            total = float(new[cells].sum())
            if total > most or rest <= 0.0:
                new[cells] *= most / total
            if rest > 0.0:
                new[others] = true[others] * ((1.0 - float(new[cells].sum())) / rest)
            chances[place] = _Raised(new) if stream.dice is None else _raised_dice(stream, cells, new)
        return chances

    # What runs hold

    def _play(self, count: int, first: int, share: list[_Raised] | None) -> list[Floats]:
        """Return what is taken of runs, on each side; with `share` the chances of the cells are those."""
        out = []
        for side, prepared in enumerate(self.sides):
            program, seed = prepared.lowered.program, prepared.seed
            if share is not None:
                program = self._raised_program(side, share)
                seed = (seed + RAISED_SEED) % 2**64
            out.append(taken_again(prepared, program, seed, self.slots[side], first, count))
        return out

    def _raised_program(self, side: int, share: list[_Raised]) -> Program:
        program = self.sides[side].lowered.program
        own = [(place.column.base, self.order[_key(place)]) for place in self.places[side]]
        cells = tuple(
            (base, 0, stream.dice[1]) if stream.dice is not None else (base, len(stream.edges) + 1, 0)
            for base, stream in ((base, self.streams[at]) for base, at in own)
        )
        made = with_maps(Structure(program, cells))
        numbers = [*program.dials.numbers]
        for _, at in own:
            stream, new = self.streams[at], share[at]
            if stream.dice is None:
                numbers += _map(np.array((0.0, *stream.edges, 1.0)), new.cells)
            else:
                sides = stream.dice[1]
                faces = new.faces if new.faces is not None else np.full(sides, 1.0 / sides)
                numbers += [new.often, 1.0 / new.often if new.often else 0.0, 1.0 / (1.0 - new.often)]
                numbers += _map(np.arange(sides + 1) / sides, faces)
        added = len(numbers) - len(program.dials.numbers)
        dials = program.dials
        hidden = [("raised", str(at)) for at in range(added)]
        turned = replace(
            made,
            dials=replace(
                dials,
                paths=(*dials.paths, *hidden),
                names=(*dials.names, *(" ".join(path) for path in hidden)),
                numbers=tuple(numbers),
                flags=(*(dials.flags or (False,) * len(dials.names)), *(False for _ in hidden)),
                follows=(*dials.follows, *range(len(dials.numbers), len(numbers))),
                written=(*dials.written, *hidden),
            ),
            cast=program.cast,
            world_stats=program.world_stats,
        )
        made.hand_on(turned)
        return turned

    def _reaches(self, data: Sequence[Floats]) -> list[Floats]:
        """Return how often each place was drawn from in each run, on whichever side it was more often."""
        return [
            sum((self._count(data, stream) for stream in place.counts), np.zeros(len(data[0])))
            for place in self.streams
        ]

    def _count(self, data: Sequence[Floats], stream: tuple[int, int, tuple[int, ...]]) -> Floats:
        columns = [data[side][:, self.at[side][slot]] for side, slot in enumerate(stream[2]) if slot >= 0]
        most: Floats = columns[0] if len(columns) == 1 else np.maximum(columns[0], columns[1])
        return most

    def _came(
        self, data: Sequence[Floats], share: list[_Raised] | None, first: int, places: Iterable[int] | None = None
    ) -> tuple[dict[int, Floats], Floats]:
        """How often each cell came in each run, of some places or of all that are raised, and the weights of the runs.

        Shapes (runs, cells) for each place, and (runs,).
        """
        count = len(data[0])
        known: dict[int, Floats] = {}
        log_weight = np.zeros(count)
        if places is None:
            assert share is not None
            places = [
                place
                for place, stream in enumerate(self.streams)
                if share[place].faces is not None or not np.array_equal(share[place].cells, stream.chances)
            ]
        for place in places:
            stream = self.streams[place]
            new = share[place] if share is not None else _Raised(stream.chances)
            times = np.zeros((count, len(stream.edges) + 1))
            for each in stream.counts:
                run, cell, weight = self._drawn(data, stream, each, new, first, raised=share is not None)
                np.add.at(times, (run, cell), 1.0)
                if weight is not None:
                    np.add.at(log_weight, run, np.log(weight))
            known[place] = times
            if share is not None and new.faces is None:
                inside = (new.cells > 0.0) & (stream.chances > 0.0)
                log_weight += times[:, inside] @ np.log(stream.chances[inside] / new.cells[inside])
        return known, np.exp(log_weight)

    def _drawn(
        self,
        data: Sequence[Floats],
        stream: _Stream,
        each: tuple[int, int, tuple[int, ...]],
        new: _Raised,
        first: int,
        *,
        raised: bool,
    ) -> tuple[Any, Any, Floats | None]:
        """The run and the cell of each draw of one copy, and the weight of each throw of dice that are raised."""
        chance_hash, copy, _ = each
        seed = (self.sides[0].seed + RAISED_SEED) % 2**64 if raised else self.sides[0].seed
        count = len(data[0])
        reached = self._count(data, each).astype(np.int64)
        run = np.repeat(np.arange(count), reached)
        number = np.arange(len(run)) - np.repeat(np.cumsum(reached) - reached, reached) + 1
        zeros = np.zeros(len(run))
        if stream.dice is None:
            borders = np.cumsum(new.cells)[:-1] if raised else np.array(stream.edges)
            drawn = uniforms(seed, chance_hash, run + first, zeros + copy, number, zeros)
            return run, np.searchsorted(borders, drawn, side="right"), None
        dice, sides = stream.dice
        u = np.stack(
            [uniforms(seed, chance_hash, run + first, zeros + copy, number, zeros + part) for part in range(dice)],
            axis=1,
        )
        if new.faces is not None and len(run):
            is_raised = u[:, 0] < new.often
            u[:, 0] = np.where(is_raised, u[:, 0] / new.often, (u[:, 0] - new.often) / (1.0 - new.often))
            borders = np.cumsum(new.faces)[:-1]
            shown = np.where(
                is_raised[:, None], np.searchsorted(borders, u, side="right"), (u * sides).astype(np.int64)
            )
        else:
            shown = (u * sides).astype(np.int64)
        shown = np.minimum(shown, sides - 1)
        cell = stream.cell_of_sum[shown.sum(axis=1) + dice]
        return run, cell, new.weights(shown) if new.faces is not None else None


def _map(true: Floats, chances: Floats) -> list[float]:
    """The dials that lead raised cells to true ones: of each its end, its beginning, the slope, and where it leads."""
    new = np.concatenate(((0.0,), np.cumsum(chances)))
    new[-1] = 1.0
    widths, goals = np.diff(new), np.diff(true)
    slopes = np.divide(goals, widths, out=np.zeros_like(goals), where=widths > 0.0)
    numbers = []
    for cell in range(len(widths)):
        numbers += [float(new[cell + 1]), float(new[cell]), float(slopes[cell]), float(true[cell])]
    return numbers


def _raised_dice(stream: _Stream, cells: list[int], goal: Floats) -> _Raised:
    """Dice of which some throws show faces as they do where these cells come about (a defensive mixture)."""
    assert stream.dice is not None
    dice, sides = stream.dice
    others = sum_of_dice(dice - 1, sides)
    cell_of_sum, true = stream.cell_of_sum, stream.chances
    faces = np.zeros(sides)
    for cell in cells:
        sums = np.flatnonzero(cell_of_sum == cell)
        for face in range(1, sides + 1):
            rest = sums - face
            rest = rest[(rest >= 0) & (rest < len(others))]
            faces[face - 1] += goal[cell] * float(others[rest].sum()) / sides / true[cell]
    faces /= faces.sum()
    chances = np.ones(1)
    for _ in range(dice):
        chances = np.convolve(chances, np.concatenate(((0.0,), faces)))
    hit = float(chances[np.isin(cell_of_sum, cells)].sum())
    often = min(0.5, float(goal[cells].sum()) / hit) if hit > 0.0 else 0.5
    shown = [float(chances[cell_of_sum == cell].sum()) for cell in range(len(true))]
    return _Raised(often * np.array(shown) + (1.0 - often) * true, often, faces)


def _tallies(side: Prepared) -> list[int]:
    """The slots of what each cause gave to the tallied accounts of a study."""
    return [
        slot for account in side.accounts for slot in cause_slots(side.lowered.program, side.taking.tallied, account)
    ]
