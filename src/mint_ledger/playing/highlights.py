"""The highlights of a run: what decided it, in few lines; the whole story has a line for all that happened.

Chosen are levels that open, what is lost of what an ending counts, changes of accounts that endings read, who is gone,
what the file tells, what happened once or twice, the largest blows, and when an account was lowest. Where there are
more than fit, the first of these sorts stand, and of each sort the largest.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from mint_ledger import showing
from mint_ledger.journal.statement import Statement
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.readout import ReadoutBar
from mint_ledger.plain import labeled_table
from mint_ledger.playing.what_ends import WhatEnds
from mint_ledger.program.row import WHATS, Row
from mint_ledger.showing import Result

if TYPE_CHECKING:
    import pandas as pd

    from mint_ledger.playing.run import Run

Sort = Literal["level", "loss", "counted", "told", "gone", "rare", "lowest", "blow"]
SORTS: tuple[Sort, ...] = ("level", "loss", "counted", "told", "gone", "rare", "lowest", "blow")
# The most lines, in all and of each sort.
MOST = 32
MOST_OF = {"level": 8, "loss": 8, "counted": 8, "told": 8, "gone": 6, "rare": 6, "lowest": 4, "blow": 4}
# A happening that came no more often is rare.
SELDOM = 2
# Happenings that say by themselves that something was decided; of others there are many, or they come with these.
_HAPPENINGS = ("hit", "miss", "cue", "status", "spawn", "lot")
MOST_ACCOUNTS = 6


class Highlight(NamedTuple):
    """One row of the journal that stands out, why it does, and what had brought it about."""

    number: int
    row: Row
    sort: Sort
    by: str = ""
    cause: str = ""


@dataclass(frozen=True, repr=False)
class Highlights(Result):
    """What decided a run.

    Attributes:
        run: the run.
        picked: the rows that stand out, in their order.
        accounts: the statements of the accounts that matter most.
    """

    run: Run
    picked: tuple[Highlight, ...]
    accounts: tuple[Statement, ...]

    @property
    def losses(self) -> dict[str, list[str]]:
        """What was lost of what an ending counts: for each rule that took it, what brought that about each time."""
        lost: dict[str, list[str]] = {}
        words = Words(self.run.program)
        for one in self.picked:
            if one.sort == "loss":
                lost.setdefault(words.cause(one.row.cause), []).append(one.cause)
        return lost

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a highlight: n (its row of the journal), time (seconds or turns), sort, by, text."""
        import pandas as pd

        words = Words(self.run.program)
        rows = [[one.number, words.seconds(one.row.step), one.sort, one.by, words.text(one.row)] for one in self.picked]
        return pd.DataFrame(rows, columns=["n", "time", "sort", "by", "text"])

    def summary(self) -> str:
        """For people: how it ended, the highlights, and what moved each account."""
        return showing.text("highlights_text.highlights_text", self)

    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        words = Words(self.run.program)
        return {
            "title": self.run.title,
            "result": self.run.result,
            "ending": self.run.ending,
            "time": self.run.time,
            "highlights": [
                {"n": one.number, "time": words.seconds(one.row.step), "sort": one.sort, "by": one.by}
                | {"text": words.text(one.row)}
                for one in self.picked
            ],
            "accounts": [statement.as_json() for statement in self.accounts],
        }


def chosen_accounts(lowered: Lowered) -> tuple[str, ...]:
    """The accounts that are looked at where none are named: the readout's bars, else what players live by."""
    cast = lowered.program.cast
    bars = [f"{cast.entity_name(b.entity)}.{b.stat}" for b in lowered.readout if isinstance(b, ReadoutBar) and b.entity]
    bars += [b.stat for b in lowered.readout if isinstance(b, ReadoutBar) and not b.entity]
    if bars:
        return tuple(dict.fromkeys(bars))[:MOST_ACCOUNTS]
    players = sorted({entity for entities in lowered.habit_players.values() for entity in entities}) or [1]
    names = []
    for account in lowered.program.accounts:
        spec = account.spec(players[0])
        if spec is not None and spec.low is not None:
            names.append(f"{cast.entity_name(players[0])}.{account.stat}")
    return tuple(names[:2])


def find_highlights(run: Run) -> Highlights:
    """Choose what stands out of a run."""
    changed = set(run.changed_accounts())
    names = [name for name in chosen_accounts(run.lowered) if name in changed]
    picked = _Choice(run).picked()
    return Highlights(run, tuple(picked), tuple(run.statement(name) for name in names))


class _Choice:
    """Chooses rows of one run."""

    def __init__(self, run: Run) -> None:
        self.run, self.rows = run, run.rows
        self.words, self.ends = Words(run.program), WhatEnds(run.lowered)
        self.stats = self.words.stats

    def picked(self) -> list[Highlight]:
        """The chosen rows, in their order."""
        chosen: dict[int, Highlight] = {}
        for sort in SORTS:
            fitting = [one for one in self._of(sort) if one.number not in chosen]
            for one in _spread(fitting, min(MOST_OF[sort], MOST - len(chosen))):
                chosen[one.number] = one
        return [chosen[number] for number in sorted(chosen)]

    def _of(self, sort: Sort) -> list[Highlight]:
        """All rows of a sort; the ones that are to stand first, where it has an order of its own."""
        match sort:
            case "level":
                return self._happened(("level",), sort)
            case "told":
                return self._happened(("tell",), sort)
            case "loss":
                return list(self._losses())
            case "counted":
                return list(self._counted())
            case "gone":
                return self._gone()
            case "rare":
                return self._rare()
            case "lowest":
                return list(self._lowest())
        return self._blows()

    def _happened(self, whats: Sequence[str], sort: Sort) -> list[Highlight]:
        return [Highlight(n, row, sort) for n, row in enumerate(self.rows) if WHATS[int(row.what)] in whats]

    def _slot(self, row: Row) -> int:
        return self.ends.slots[self.stats[int(row.stat)]] + int(row.entity) if row.stat >= 0 else -1

    def _moves(self, row: Row) -> bool:
        return WHATS[int(row.what)] == "posting" and row.after != row.before and row.cause >= 0

    def _losses(self) -> Iterator[Highlight]:
        """Return what rules took of what an ending counts, because something became true."""
        for number, row in enumerate(self.rows):
            way = self.ends.ways.get(int(row.cause))
            if way is not None and self._moves(row) and row.after < row.before and self._slot(row) in self.ends.counted:
                cause, by = self._behind(number, way.reads, int(row.entity))
                yield Highlight(number, row, "loss", f"{cause} ({by})" if by else cause, cause)

    def _behind(self, number: int, reads: frozenset[int], entity: int) -> tuple[str, str]:
        """Return what changed one of some accounts last before a row, and who did that, where they are known.

        The accounts are those of whoever the row is about, where that is known.
        """
        own = frozenset(slot for slot in reads if self.ends.entity(slot) in (entity, 0)) or reads
        for at in range(number - 1, -1, -1):
            row = self.rows[at]
            if self._moves(row) and self._slot(row) in own and int(row.cause) not in self.ends.ways:
                return self.words.cause(row.cause), self.words.entity(row.by)
        return "", ""

    def _counted(self) -> Iterator[Highlight]:
        """Steps of accounts that endings read; not what flows."""
        causes = self.run.program.causes
        for number, row in enumerate(self.rows):
            if self._moves(row) and self._slot(row) in self.ends.counted and causes[int(row.cause)].sort != "flow":
                if WHATS[int(self.rows[number - 1].what)] != "spawn" or number == 0:
                    yield Highlight(number, row, "counted")

    def _gone(self) -> list[Highlight]:
        """Return who is gone, of kinds of which few are."""
        gone = self._happened(("gone",), "gone")
        often = Counter(self._kind(one.row.entity) for one in gone)
        return [one for one in gone if often[self._kind(one.row.entity)] <= MOST_OF["gone"]]

    def _kind(self, entity: float) -> str:
        return self.words.entity(entity).split("[")[0]

    def _rare(self) -> list[Highlight]:
        """Return what happened once or twice."""
        some = self._happened(_HAPPENINGS, "rare")
        often = Counter((one.row.what, one.row.cause, self._kind(one.row.by)) for one in some)
        return [one for one in some if often[one.row.what, one.row.cause, self._kind(one.row.by)] <= SELDOM]

    def _lowest(self) -> Iterator[Highlight]:
        """Return when each account that matters was lowest, if it had more before and after."""
        names = set(chosen_accounts(self.run.lowered))
        lowest: dict[str, tuple[float, int]] = {}
        last: dict[str, float] = {}
        for number, row in enumerate(self.rows):
            if self._moves(row):
                name = self.words.account(row.entity, row.stat)
                last[name] = row.after
                if name in names and row.after < row.before and row.after < lowest.get(name, (float("inf"), 0))[0]:
                    lowest[name] = row.after, number
        for name, (value, number) in lowest.items():
            if value < last[name]:
                yield Highlight(number, self.rows[number], "lowest")

    def _blows(self) -> list[Highlight]:
        """The largest changes at once of accounts that matter, as a share of what these can hold."""
        names = set(chosen_accounts(self.run.lowered))
        causes = self.run.program.causes
        found = []
        for number, row in enumerate(self.rows):
            if not self._moves(row) or causes[int(row.cause)].sort == "flow":
                continue
            if self.words.account(row.entity, row.stat) in names and row.after < row.before:
                found.append(Highlight(number, row, "blow"))
        return sorted(found, key=lambda one: one.row.after - one.row.before)[: MOST_OF["blow"]]


def _spread(some: Sequence[Highlight], most: int) -> list[Highlight]:
    """So many of some at most; of more the first, the last, and what lies evenly between them."""
    if len(some) <= most:
        return list(some)
    if most < 2:
        return list(some[-most:]) if most > 0 else []
    return [some[round(at * (len(some) - 1) / (most - 1))] for at in range(most)]
