"""The readout as text: lines with values, bars, and the statuses that entities have."""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.game.stat import Stat
from mint_ledger.journal.books import AccountKey, account_name, all_accounts, find_account
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.readout import ReadoutBar, ReadoutLine
from mint_ledger.playing.why import band_of
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.text_table import TextTable, bar_column, left_column, name_column

BAR_WIDTH = 24
MOST_LINES = 12
FOREVER = 1e17


def readout_text(lowered: Lowered, engine: ReferenceEngine, accounts: Sequence[str] = ()) -> Page:
    """The readout at this moment of a run: the file's, then further accounts, then who has which status.

    Raises:
        NotFound: there is no such account.
    """
    words = Words(engine.program)
    keys = [find_account(engine.program, name) for name in accounts]
    if not lowered.readout and not keys:
        keys = [key for key in present_accounts(engine) if key.entity >= 0][:MOST_LINES]
    labels = [item.label for item in lowered.readout if isinstance(item, ReadoutBar)]
    names = [_label(words, key) for key in keys]
    table = _table([*labels, *names])
    for item in lowered.readout:
        if isinstance(item, ReadoutBar):
            key = AccountKey(words.stats.index(item.stat), item.entity)
            table.add(item.label, *_account(words, engine, key))
        else:
            table.note(f"  {_line(words, engine, item)}")
    for key, name in zip(keys, names, strict=True):
        table.add(name, *_account(words, engine, key))
    return Page(table, *_statuses(words, engine))


def present_accounts(engine: ReferenceEngine) -> list[AccountKey]:
    """The accounts of the game and of the entities that are there."""
    present = engine.program.columns.present
    return [key for key in all_accounts(engine.program) if engine.state[present.offset + key.entity] != 0.0]


def accounts_text(engine: ReferenceEngine, keys: Sequence[AccountKey]) -> Page:
    """Accounts with their bars, numbers, words and bands, one a line."""
    words = Words(engine.program)
    names = [_label(words, key) for key in keys]
    table = _table(names)
    for key, name in zip(keys, names, strict=True):
        table.add(name, *_account(words, engine, key))
    return Page(table)


def _table(names: Sequence[str]) -> TextTable:
    width = max(map(len, names), default=0)
    return TextTable(
        name_column("", width),
        bar_column(before=2),
        left_column(""),
        heads=False,
    )


def _label(words: Words, key: AccountKey) -> str:
    return account_name(words.program, key)


def _line(words: Words, engine: ReferenceEngine, item: ReadoutLine) -> str:
    text = item.pieces[0]
    for (procedure, kind), piece in zip(item.values, item.pieces[1:], strict=True):
        text += words.typed(engine.ask(procedure), kind) + piece
    return text


def _account(words: Words, engine: ReferenceEngine, key: AccountKey) -> tuple[str, str]:
    """Return the bar of an account, and its number, word or band."""
    column = engine.program.accounts[key.stat].column
    value = engine.value(column, key.entity)
    model = words.model(key.entity, key.stat) or Stat()
    if not engine.state[engine.program.columns.present.offset + key.entity]:
        return "", "absent"
    if model.value_type != "number":
        return "", words.value(key.entity, key.stat, value)
    low, high = engine.limits(column, key.entity)
    low = 0.0 if low == float("-inf") else low
    band = band_of(words, key, value)
    more = f", {band}" if band else ""
    if high == float("inf") or high <= low:
        return "", f"{number(value)}{more}"
    share = min(max((value - low) / (high - low), 0.0), 1.0)
    filled = round(share * BAR_WIDTH)
    if filled == 0 and share > 0:
        filled = 1
    bar = "█" * filled + "·" * (BAR_WIDTH - filled)
    return bar, f"{number(value)} of {number(high)}{more}"


def _statuses(words: Words, engine: ReferenceEngine) -> Parts:
    """Return who has which status, and for how much longer."""
    program = engine.program
    unit = "turns" if program.clock.unit == "turn" else "s"
    shown = []
    for status in program.statuses:
        for entity in range(1, program.cast.size):
            count = engine.state[status.has.offset + entity]
            # Who is gone has a status no longer, however it stands in the books.
            if count <= 0.0 or engine.state[program.columns.present.offset + entity] == 0.0:
                continue
            times = f" ×{number(count)}" if count > 1.0 else ""
            left = engine.state[status.until.offset + entity] - engine.time
            lasting = f", {number(left)} {unit} left" if left < FOREVER else ""
            shown.append(f"{words.entity(entity)} is {status.name}{times}{lasting}")
    return [Sentence("; ".join(shown), 2, 2)] if shown else []
