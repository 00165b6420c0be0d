"""Why an account is worth what it is: its last postings, and the rules behind them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mint_ledger import showing
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import Place
from mint_ledger.game.source import Source
from mint_ledger.journal.books import AccountKey, account_name, find_account
from mint_ledger.journal.wording import Words, number, signed
from mint_ledger.lowering.context import WorkedOut
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.program.expressions import At, Constant, Read
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Program
from mint_ledger.program.row import WHATS, Row
from mint_ledger.program.walking import nodes

MOST_LINES = 5


@dataclass(frozen=True, slots=True)
class Reason:
    """One posting to the account, and what made it.

    `change` is from what to what, in words; `since` is where a flow began (else the posting's own time); `place` and
    `lines` are where its cause stands in the file, and what stands there; `told` are the rows of the same step that say
    more of it (the hit, the status).
    """

    time: float
    since: float
    before: float
    after: float
    change: str
    waste: float
    cause: str
    by: str
    place: Place | None
    lines: tuple[str, ...]
    told: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Flowing:
    """How an account moves by itself just now: its rate in units a second, or how long it still waits."""

    cause: str
    rate: float
    to: float
    waits: float


@dataclass(frozen=True, slots=True)
class Why:
    """What an account is worth at a time, and its last postings, the latest first."""

    account: str
    time: float
    value: str
    low: float
    high: float
    band: str
    opening: str
    postings: int
    reasons: tuple[Reason, ...]
    flowing: Flowing | None
    unit: str
    # Of a stat that is worked out: its formula, and what that reads, with its values.
    formula: str = ""
    # The game's own file: where a reason stands in another that is told.
    file: str = ""
    reads: tuple[tuple[str, str], ...] = ()

    def __str__(self) -> str:
        return showing.text("why_text.why_text", self)


def explain(lowered: Lowered, engine: ReferenceEngine, account: str, count: int = 3) -> Why:
    """Why an account is worth what it is at the moment at which an engine stands; the engine kept its journal.

    Raises:
        NotFound: there is no such account.
    """
    program = engine.program
    formula = _worked_out(lowered, engine, account)
    if formula is not None:
        return formula
    key = find_account(program, account)
    words = Words(program)
    column = program.accounts[key.stat].column
    low, high = engine.limits(column, key.entity)
    flowing = _flowing(engine, key)
    value = engine.value(column, key.entity)
    rows = _rows_with_flows(engine)
    own = [index for index, row in enumerate(rows) if _is_of(row, key)]
    reasons = tuple(_reason(lowered.source, words, rows, index) for index in reversed(own[-count:] if count else []))
    return Why(
        account=account_name(program, key),
        time=engine.time,
        value=words.value(key.entity, key.stat, value, 4),
        low=low,
        high=high,
        band=band_of(words, key, value),
        opening=words.value(key.entity, key.stat, engine.opening[column.offset + key.entity], 4),
        postings=len(own),
        reasons=reasons,
        flowing=flowing,
        unit="turn" if program.clock.unit == "turn" else "s",
        file=lowered.source.file,
    )


def _worked_out(lowered: Lowered, engine: ReferenceEngine, account: str) -> Why | None:
    """Why a stat that has a formula comes to what it does; none of an account."""
    for name, entity, formula in formula_stats(lowered):
        if name != account:
            continue
        words = Words(engine.program)
        program = engine.program
        return Why(
            account=name,
            time=engine.time,
            value=words.typed(engine.evaluate(formula.value, entity), formula.type),
            low=float("-inf"),
            high=float("inf"),
            band="",
            opening="",
            postings=0,
            reasons=(),
            flowing=None,
            unit="turn" if program.clock.unit == "turn" else "s",
            formula=formula.formula,
            reads=tuple(
                (read, _read(words, entity, read, engine.evaluate(value, entity))) for read, value in formula.reads
            ),
        )
    return None


def _read(words: Words, entity: int, name: str, value: float) -> str:
    """Return what a formula reads, in words: a stat of its own as that is shown, anything else as a number."""
    return words.value(entity, words.stats.index(name), value, 4) if name in words.stats else number(value, 4)


def formula_stats(lowered: Lowered) -> Iterator[tuple[str, int, WorkedOut]]:
    """The stats that have a formula, of every entity: what each is called, whose it is, and the formula."""
    for (kind, stat), formula in lowered.worked_out.items():
        if not kind:
            yield stat, 0, formula
            continue
        cast = lowered.program.cast
        for entity in cast.members[kind].entities:
            yield f"{cast.entity_name(entity)}.{stat}", entity, formula


def _rows_with_flows(engine: ReferenceEngine) -> list[Row]:
    """The rows so far, with one more for each flow that is under way; the engine stays as it is."""
    moment = engine.snapshot()
    engine.book_flows()
    rows = list(engine.rows)
    engine.restore(moment)
    return rows


def _is_of(row: Row, key: AccountKey) -> bool:
    return row.what == 0.0 and row.stat == key.stat and row.entity == key.entity


def band_of(words: Words, key: AccountKey, value: float) -> str:
    """The band that a value of an account is in; empty if in none."""
    model = words.model(key.entity, key.stat)
    bands = model.bands if model is not None and model.bands else {}
    band = ""
    # Where two touch, the upper holds.
    for name, span in sorted(bands.items(), key=lambda item: item[1].low):
        band = name if span.low <= value <= span.high else band
    return band


def _flowing(engine: ReferenceEngine, key: AccountKey) -> Flowing | None:
    account = engine.program.accounts[key.stat]
    spec = account.spec(key.entity)
    if account.flow_columns is None or spec is None or spec.flow is None:
        return None
    flows, flow, index = account.flow_columns, spec.flow, key.entity
    name = engine.program.causes[flow.cause].name
    rate = engine.state[flows.rate.offset + index]
    if rate != 0.0:
        return Flowing(name, rate, engine.state[flows.to.offset + index], 0.0)
    low, high = engine.limits(account.column, index)
    end = min(max(engine.evaluate(flow.to, index), low), high)
    after = flow.after
    if flow.after_limit is not None and engine.state[flows.at_limit.offset + index] != 0.0:
        after = flow.after_limit
    due = engine.state[flows.waits_from.offset + index] + engine.evaluate(after, index)
    if engine.value(account.column, index) == end:
        return None
    return Flowing(name, 0.0, end, max(due - engine.time, 0.0))


def _reason(source: Source, words: Words, rows: Sequence[Row], index: int) -> Reason:
    row = rows[index]
    cause = words.program.causes[int(row.cause)] if row.cause >= 0 else None
    place = source.place(cause.path) if cause is not None and cause.path and source.text else None
    return Reason(
        time=words.seconds(row.step),
        since=words.seconds(row.since),
        before=row.before,
        after=row.after,
        change=_change(words, row),
        waste=row.waste,
        cause=words.cause(row.cause) if cause is not None else "the opening",
        by=words.entity(row.by),
        place=place,
        lines=lines_at(source, cause.path) if cause is not None and place is not None else (),
        told=tuple(_told(words, rows, index, cause.sort if cause is not None else "")),
    )


def _told(words: Words, rows: Sequence[Row], index: int, sort: str) -> list[str]:
    """Return what other rows say of a posting: its hit, how it came to the status, or what stands just before it."""
    row = rows[index]
    if sort == "attack":
        for later in rows[index + 1 :]:
            if later.step != row.step:
                break
            if (WHATS[int(later.what)], later.cause, later.by) == ("hit", row.cause, row.by):
                return [words.text(later)]
    if sort == "status":
        for earlier in reversed(rows[:index]):
            if (WHATS[int(earlier.what)], earlier.entity, earlier.cause) == ("status", row.entity, row.cause):
                return [f"{words.time(earlier.step)}: {words.text(earlier)}"]
    read = _watched_by(words.program, row) if sort == "rule" else None
    if read is not None:
        for earlier in reversed(rows[:index]):
            if earlier.step != row.step:
                break
            if earlier.what == 0.0 and _reads(words.program, read, earlier):
                return [f"as this came: {words.text(earlier)}"]
        return []
    if sort in ("rule", "limit"):
        for earlier in reversed(rows[:index]):
            if earlier.step != row.step:
                break
            if earlier.cause != row.cause and not _is_flow(words, earlier):
                return [f"just before: {words.text(earlier)}"]
    return []


Watched = set[tuple[int, int | None]]
"""Accounts, by the base of their column and the entity; none: any entity."""


def _watched_by(program: Program, row: Row) -> Watched | None:
    """The accounts that the condition reads which set off the rule behind a posting; none if it has no condition."""
    path = program.causes[int(row.cause)].path
    texts = [place for place in program.formulas if place.watched and place.path[: len(path)] == path]
    if not texts:
        return None
    watched: Watched = set()
    for node in nodes(tuple(expression for place in texts for _, expression in place.reads)):
        if isinstance(node, (Read, At)):
            fixed = int(node.entity.value) if isinstance(node.entity, Constant) else None
            watched.add((node.column.base, fixed if fixed is not None else int(row.by) or None))
    return watched


def _reads(program: Program, watched: Watched, row: Row) -> bool:
    base = program.accounts[int(row.stat)].column.base
    return (base, int(row.entity)) in watched or (base, None) in watched


def _change(words: Words, row: Row) -> str:
    entity, stat = int(row.entity), int(row.stat)
    before, after = (words.value(entity, stat, value) for value in (row.before, row.after))
    model = words.model(entity, stat)
    if model is not None and model.value_type != "number":
        return f"{before} → {after}"
    return f"{before} → {after}  {signed(row.after - row.before)}"


def _is_flow(words: Words, row: Row) -> bool:
    return row.cause >= 0 and words.program.causes[int(row.cause)].sort == "flow"


def lines_at(source: Source, path: Path) -> tuple[str, ...]:
    """The lines of the file on which a part of the game stands, without their indentation; at most a few."""
    place = source.place(path)
    lines = source.text_at(place).splitlines()
    if not 0 < place.line <= len(lines):
        return ()
    first, *rest = lines[place.line - 1 :]
    depth = place.column - 1
    is_item = first[:depth].strip() == "-"
    kept = [first[depth:]]
    for line in rest:
        indent = len(line) - len(line.lstrip())
        if not line.strip() or indent < depth or (indent == depth and not is_item):
            break
        kept.append(line[depth:])
    if len(kept) > MOST_LINES:
        kept = [*kept[: MOST_LINES - 1], "…"]
    return tuple(kept)
