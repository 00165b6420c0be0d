"""What a program may do to its accounts: every place that posts, by how much, what sets it off, and under which guards.

It comes of carrying the program out on ranges of values (see `bounds.py`), so it holds whatever the file calls it: a
posting of a rule, of an attack's `also`, of an action, of a status, of what a hit meets, of a level that opens.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from mint_ledger.facts.between import Between, joined
from mint_ledger.facts.bounds import Bounds, Carrying, Locals
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Cause, Program
from mint_ledger.program.walking import STATEMENTS, named_columns, named_locals, nodes

Sort = Literal["opening", "step", "timer", "touch", "contact", "event", "reaction", "outside"]
_ENTRIES: dict[Handle, Sort] = {
    parts.OPENING_ACCOUNTS: "opening",
    parts.OPENING: "opening",
    parts.CONTACT: "touch",
    parts.WATCH: "reaction",
    parts.WATCH_GONE: "reaction",
}


@dataclass(frozen=True, slots=True, order=True)
class Trigger:
    """What sets something off.

    Attributes:
        sort: once at the `opening`; in each `step` (while its guards hold); at a `timer`'s moments; as a `touch`
            begins; in each step of a `contact`; at an `event` (a hit, a cue, a condition that becomes true, somebody
            gone); as a `reaction` to any posting; from `outside`, by a script.
        what: the event.
    """

    sort: Sort
    what: str = ""


@dataclass(frozen=True, slots=True)
class Effect:
    """One place of a program that posts to accounts of a stat.

    Attributes:
        stat: whose accounts.
        owners: the runs of entities (first, how many) that it may be posted to.
        mode: `add` or `set`, or `open` where an account opens.
        amount: between which values lies what is added or set.
        causes: the numbers of the causes that it may have.
        by: between which entities whoever does it lies; 0 is the game.
        triggers: what may set it off.
        guards: the numbers of the file's formulas that hold whenever it happens.
        within: the procedure that it stands in.
    """

    stat: str
    owners: frozenset[tuple[int, int]]
    mode: Literal["add", "set", "open"]
    amount: Between
    causes: frozenset[int]
    by: Between
    triggers: frozenset[Trigger]
    guards: frozenset[int]
    within: Handle

    @property
    def gains(self) -> bool:
        """Return whether it may raise an account."""
        return self.mode != "open" and (self.mode == "set" or self.amount.high > 0.0)

    @property
    def takes(self) -> bool:
        """Return whether it may lower an account."""
        return self.mode != "open" and (self.mode == "set" or self.amount.low < 0.0)


class _Watching(Carrying):
    def __init__(self, program: Program) -> None:
        super().__init__(program)
        self.effects: dict[int, Effect] = {}
        self._set_off: dict[Handle, frozenset[Trigger]] = {}
        self._now: frozenset[Trigger] = frozenset()
        self._guards: tuple[int, ...] = ()
        # What locals stand for, so that a guard that was worked out ahead is known.
        self._meanings: dict[int, ex.Expr] = {}
        self._within = parts.OPENING
        self._touching = {column.base for column in program.touching}

    def run(self, scripts: Iterable[Handle] = ()) -> None:
        outside = list(scripts)
        for handle in outside:
            self._set_off[handle] = frozenset((Trigger("outside"),))
        super().run(outside)

    def give(self, handle: Handle, values: tuple[Between, ...]) -> None:
        super().give(handle, values)
        sort = _ENTRIES.get(handle)
        self._sets_off(handle, frozenset((Trigger(sort),)) if sort is not None else self._now or _EACH_STEP)

    def hear(self, handler: Handle) -> None:
        self._now = frozenset((Trigger("outside"),))
        super().hear(handler)
        self._now = frozenset()

    def _sets_off(self, handle: Handle, triggers: frozenset[Trigger]) -> None:
        known = self._set_off.get(handle, frozenset())
        if not triggers <= known:
            self._set_off[handle] = known | triggers
            self._waiting[handle] = None

    def happen(self, s: st.Raise, values: tuple[Between, ...]) -> None:
        event = self.program.events[s.event]
        before, self._now = self._now, frozenset((Trigger("event", str(event.handle)),))
        super().happen(s, values)
        self._now = before

    def procedure(self, handle: Handle) -> None:
        self._now, self._guards, self._within, self._meanings = self._set_off[handle], (), handle, {}
        super().procedure(handle)
        self._now = frozenset()

    def block(
        self, block: st.Block, frame: Locals | None, each: list[Locals], procedure: list[Locals]
    ) -> Locals | None:
        guards, now = self._guards, self._now
        for statement in block:
            if frame is None:
                break
            frame = self.statement(statement, frame, each, procedure)
            self.forget(statement, frame)
            if isinstance(statement, st.If) and any(map(_leaves, (statement.then, statement.other))):
                self._guard(statement.condition, holds=_leaves(statement.other))
        self._guards, self._now = guards, now
        return frame

    def way(self, s: st.If, holds: bool, frame: Locals, each: list[Locals], procedure: list[Locals]) -> Locals | None:
        guards, now = self._guards, self._now
        self._guard(s.condition, holds=holds)
        behind = super().way(s, holds, frame, each, procedure)
        self._guards, self._now = guards, now
        return behind

    def _guard(self, condition: ex.Expr, *, holds: bool) -> None:
        """Note what is known to hold from here on, and what it says of how often this place is come to."""
        if isinstance(condition, ex.Unary) and condition.op == "not":
            self._guard(condition.value, holds=not holds)
            return
        if isinstance(condition, ex.Local) and condition.index in self._meanings:
            self._guard(self._meanings[condition.index], holds=holds)
            return
        known_parts = list(nodes(condition))
        if holds and not any(isinstance(node, (ex.Or, ex.Choose)) for node in known_parts):
            self._guards += tuple(node.formula for node in known_parts if isinstance(node, ex.Checked) and node.whole)
        columns = {column.base for node in known_parts for column in named_columns(node)}
        if holds and columns & self._touching:
            self._now = frozenset((Trigger("contact"),))

    def _each(self, s: st.Each, frame: Locals, procedure: list[Locals]) -> Locals | None:
        now = self._now
        first = s.body[0] if s.body else None
        if s.repeat is not None and isinstance(first, st.If) and _leaves(first.other):
            if any(isinstance(node, ex.Due) for node in nodes(first.condition)):
                self._now = frozenset((Trigger("timer"),))
        behind = super()._each(s, frame, procedure)
        self._now = now
        return behind

    def statement(self, s: st.Statement, frame: Locals, each: list[Locals], procedure: list[Locals]) -> Locals | None:
        if isinstance(s, (st.Post, st.Open)):
            self._note(s, frame)
        behind = super().statement(s, frame, each, procedure)
        if isinstance(s, st.Let):
            self._meanings[s.local] = s.value
        else:
            # What is set on one of several ways stands for nothing behind them.
            for node in nodes(s):
                for local in named_locals(node) if type(node) in STATEMENTS else ():
                    self._meanings.pop(local, None)
        return behind

    def _note(self, s: st.Post | st.Open, frame: Locals) -> None:
        account = self._by_column[s.column.base]
        entity = self.of(s.entity, frame)
        amount = self.of(s.amount if isinstance(s, st.Post) else s.value, frame)
        cause, by = self.of(s.cause, frame), self.of(s.by, frame)
        effect = Effect(
            stat=account.stat,
            owners=frozenset((first, count) for first, count, _ in self.owner_runs(account, entity)),
            mode="open" if isinstance(s, st.Open) else s.mode,
            amount=amount,
            causes=frozenset(int(c) for c in cause.named or () if c >= 0.0),
            by=by,
            triggers=self._now,
            guards=frozenset(self._guards),
            within=self._within,
        )
        known = self.effects.get(id(s))
        if known is not None:
            whole, doers = joined(known.amount, amount), joined(known.by, by)
            assert whole is not None and doers is not None
            effect = replace(
                effect,
                owners=known.owners | effect.owners,
                amount=whole,
                causes=known.causes | effect.causes,
                by=doers,
                triggers=known.triggers | effect.triggers,
                guards=known.guards & effect.guards,
            )
        self.effects[id(s)] = effect


_EACH_STEP = frozenset((Trigger("step"),))


def _leaves(block: st.Block) -> bool:
    return bool(block) and isinstance(block[-1], st.Leave)


@dataclass(frozen=True)
class Effects:
    """All that a program may do to its accounts, and between which values they lie.

    Attributes:
        postings: every place that posts and can be come to.
        bounds: between which values accounts and formulas lie.
    """

    program: Program
    postings: tuple[Effect, ...]
    bounds: Bounds

    def of(self, stat: str, entity: int) -> list[Effect]:
        """Return what may be posted to an account; its opening is among it."""
        return [e for e in self.postings if e.stat == stat and any(f <= entity < f + n for f, n in e.owners)]

    def causes(self, effect: Effect) -> list[Cause]:
        """The causes that an effect may have."""
        return [self.program.causes[number] for number in sorted(effect.causes)]

    def flows(self, stat: str, entity: int) -> tuple[bool, bool]:
        """Return how an account may move by itself: whether it may rise, and whether it may fall."""
        known, end = self.bounds.account(stat, entity), self.bounds.end(stat, entity)
        if known is None or end is None:
            return False, False
        return end.high > known.low, end.low < known.high


def effects_of(program: Program, scripts: Iterable[Handle] = ()) -> Effects:
    """Return what a program may do to its accounts; `scripts` are happenings that are reckoned with as well."""
    watched = _Watching(program)
    watched.run(scripts)
    return Effects(program, tuple(watched.effects.values()), watched.found())
