"""The accounts of a run: openings, closings, and the proof that the rows between them reconcile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mint_ledger.errors import BooksError, NotFound, nearest
from mint_ledger.journal.wording import Words
from mint_ledger.program.program import Program
from mint_ledger.program.row import Row


@dataclass(frozen=True, slots=True)
class AccountKey:
    """One account: the number of its stat in the program, and its entity."""

    stat: int
    entity: int


def all_accounts(program: Program) -> list[AccountKey]:
    """Every account of a program, entity by entity in the order of the file."""
    keys = [
        AccountKey(index, entity)
        for index, account in enumerate(program.accounts)
        for first, count, _ in account.specs
        for entity in range(first, first + count)
    ]
    return sorted(keys, key=lambda key: key.entity)


def account_name(program: Program, key: AccountKey) -> str:
    """Return what people call an account: `keeper.health`, `crab[2].health`, `ships`."""
    return Words(program).account(key.entity, key.stat)


def find_account(program: Program, name: str) -> AccountKey:
    """The account of a name.

    Raises:
        NotFound: there is none; the message has the nearest names.
    """
    names = {account_name(program, key): key for key in all_accounts(program)}
    if name in names:
        return names[name]
    several = [known for known in names if known.replace("]", "[").split("[")[0] == name.split(".", maxsplit=1)[0]]
    ending = "." + name.rsplit(".", maxsplit=1)[-1]
    copies = [known for known in several if known.endswith(ending)]
    if copies and "[" not in name:
        raise NotFound(f"there are several of '{name}': {', '.join(copies[:4])}{' …' if len(copies) > 4 else ''}")
    raise NotFound(f"there is no account '{name}'{nearest(name, names)}")


def reconcile(program: Program, opening: Sequence[float], rows: Sequence[Row], closing: Sequence[float]) -> None:
    """Check that the books are one chain for every account.

    Args:
        program: the lowered game.
        opening: the state vector as the accounts were opened, shape (program.layout.size,).
        rows: the journal.
        closing: the state vector at the end, all flows booked.

    Raises:
        BooksError: a first `before` is not the opening, a `before` not the last `after`, or the last not the closing.
    """
    words = Words(program)
    value = {}
    slots = {}
    for key in all_accounts(program):
        slot = program.accounts[key.stat].column.offset + key.entity
        slots[key] = slot
        value[key] = opening[slot]
    for number, row in enumerate(rows):
        if row.what != 0.0:
            continue
        key = AccountKey(int(row.stat), int(row.entity))
        if value[key] != row.before:
            raise BooksError(
                f"row {number} ({words.text(row)}) begins with {row.before!r}, but {account_name(program, key)} "
                f"stood at {value[key]!r}"
            )
        value[key] = row.after
    for key, slot in slots.items():
        if value[key] != closing[slot]:
            raise BooksError(
                f"{account_name(program, key)} closes at {closing[slot]!r}, its rows end at {value[key]!r}"
            )
