"""A store: studies kept in an SQLite file, block by block, and banks of runs to which plays are fitted.

A study is known by all that its numbers depend on, so asking for it again, or for more runs of it, takes the blocks
that are there and plays the others. Each block is one row, written in a transaction: whatever interrupts a study,
what was stored stays, and the rest is played next time with the same numbers.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import math
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np

from mint_ledger.engines.baked import baked_in
from mint_ledger.errors import BadRequest, GameError, MintError, NotFound
from mint_ledger.studies.block import BLOCK, Block
from mint_ledger.studies.making import make_study
from mint_ledger.studies.packing import Damaged, checksum, packed, unpacked
from mint_ledger.studies.playing import play_blocks
from mint_ledger.studies.request import Prepared, StudyRequest, prepare
from mint_ledger.studies.study import Study
from mint_ledger.versions import __version__

if TYPE_CHECKING:
    from mint_ledger.studies.playing import Span

APPLICATION = 0x4D4C4452
FORMAT = 6
PATIENCE = 30.0
COMMIT_EVERY = 0.5
MOST_STUDIES = 100_000
MOST_REQUEST = 4_000_000
MOST_CONTENT = 64_000_000
SCHEMA = """
create table studies (
    id integer primary key,
    key text not null unique,
    title text not null,
    made text not null,
    version text not null,
    request text not null
);
create table blocks (
    study integer not null references studies(id) on delete cascade,
    first integer not null,
    runs integer not null,
    content blob not null,
    checksum blob not null,
    primary key (study, first)
) without rowid;
create table results (
    study integer not null references studies(id) on delete cascade,
    estimate text not null,
    runs integer not null,
    value real,
    low real,
    high real,
    primary key (study, estimate)
) without rowid;
create table banks (
    key text not null primary key,
    title text not null,
    made text not null,
    version text not null,
    content blob not null,
    checksum blob not null
) without rowid;
"""
Result = TypeVar("Result")


class Store:
    """An open store.

    Raises:
        BadRequest: the file is no store, was made by a newer version, or cannot be read or written.
    """

    def __init__(self, path: str | Path) -> None:
        self.path = Path(path)
        self._connection = self._told(self._open)

    def _open(self) -> sqlite3.Connection:
        if not self.path.parent.is_dir():
            raise BadRequest(f"{self.path} cannot be written: there is no folder {self.path.parent}")
        if self.path.exists() and not self.path.is_file():
            what = "a folder" if self.path.is_dir() else "a device or a pipe"
            raise BadRequest(f"{self.path} is {what}, and a store is a file; name another one")
        connection = sqlite3.connect(self.path, timeout=PATIENCE, isolation_level=None, check_same_thread=False)
        try:
            # In one transaction: another process may be making the store just now.
            connection.execute("begin")
            tables = connection.execute("select count(*) from sqlite_master").fetchone()[0]
            application = connection.execute("pragma application_id").fetchone()[0]
            made_by = connection.execute("pragma user_version").fetchone()[0]
            known = connection.execute("select type, sql from sqlite_master where sql is not null").fetchall()
            connection.execute("commit")
            if application != APPLICATION and tables:
                raise BadRequest(f"{self.path} is a database, but no store of Mint Ledger; it is left as it is")
            if made_by > FORMAT:
                raise BadRequest(
                    f"{self.path} was made by a newer version of Mint Ledger (format {made_by}; this one reads up to "
                    f"{FORMAT}); it is left as it is"
                )
            if tables and made_by < FORMAT:
                raise BadRequest(
                    f"{self.path} was made by an older version of Mint Ledger, whose numbers are not taken for those "
                    "of this one; name another file for new studies"
                )
            if tables and not _is_ours(known):
                raise BadRequest(f"{self.path} is no store as Mint Ledger makes it; it is left as it is")
            connection.execute("pragma trusted_schema = off")
            connection.execute("pragma journal_mode = wal")
            connection.execute("pragma synchronous = normal")
            connection.execute("pragma foreign_keys = on")
            if not tables:
                self._make(connection)
        except BaseException:
            connection.close()
            raise
        return connection

    def _make(self, connection: sqlite3.Connection) -> None:
        connection.execute("begin immediate")
        # Another process may have been first.
        if not connection.execute("select count(*) from sqlite_master").fetchone()[0]:
            for statement in SCHEMA.split(";\n"):
                if statement.strip():
                    connection.execute(statement)
            connection.execute(f"pragma application_id = {APPLICATION}")
            connection.execute(f"pragma user_version = {FORMAT}")
        connection.execute("commit")

    def _told(self, work: Callable[[], Result]) -> Result:
        """Return what SQLite says, in a designer's words."""
        try:
            return work()
        except sqlite3.DatabaseError as error:
            text = str(error)
            if "full" in text or "disk I/O" in text:
                text = "the disk is full; what was stored so far is kept"
            elif "not a database" in text or "malformed" in text:
                text = "it is no store of Mint Ledger, or it is damaged"
            elif "locked" in text:
                text = f"another process has been writing to it for more than {PATIENCE:.0f} s"
            elif "readonly" in text:
                text = "it may not be written to"
            raise BadRequest(f"{self.path}: {text}") from None
        except (OverflowError, ValueError, sqlite3.Error) as error:
            raise BadRequest(f"{self.path}: it is damaged ({error})") from None

    def __enter__(self) -> Store:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        with contextlib.suppress(sqlite3.Error):
            self._connection.close()

    def study(self, prepared: Prepared, request: StudyRequest, title: str) -> StoredStudy:
        """The place of a study, made if it is not there yet."""

        def find() -> StoredStudy:
            key = key_of(prepared, request)
            now = time.strftime("%Y-%m-%d %H:%M:%S")
            self._connection.execute(
                "insert or ignore into studies (key, title, made, version, request) values (?, ?, ?, ?, ?)",
                (key, title, now, __version__, json.dumps(asdict(request))),
            )
            number = self._connection.execute("select id from studies where key = ?", (key,)).fetchone()[0]
            return StoredStudy(self, int(number), key, prepared)

        return self._told(find)

    def entries(self) -> list[Entry]:
        """Return all studies that can be read, the oldest first; `damaged` has the others.

        Raises:
            BadRequest: the store is damaged.
        """
        return [entry for entry in self._rows("1", MOST_STUDIES, self._entry_if_sound) if entry is not None]

    def damaged(self) -> list[int]:
        """Return the numbers of the studies that cannot be read.

        Raises:
            BadRequest: the store is damaged, and not only some studies of it.
        """
        rows = self._rows("1", MOST_STUDIES, lambda row: row if self._entry_if_sound(row) is None else None)
        return [row[0] for row in rows if row is not None and isinstance(row[0], int)]

    def _entry_if_sound(self, row: tuple[Any, ...]) -> Entry | None:
        try:
            return self._entry(row)
        except BadRequest:
            return None

    def _rows(
        self, condition: str, most: int, read_row: Callable[[tuple[Any, ...]], Result], *values: int
    ) -> list[Result]:
        def read() -> list[Result]:
            rows = self._connection.execute(
                "select s.id, s.key, s.title, s.made, s.version, substr(s.request, 1, ?), coalesce(sum(b.runs), 0) "
                f"from studies s left join blocks b on b.study = s.id where {condition} group by s.id order by s.id "
                "limit ?",
                (MOST_REQUEST, *values, most),
            )
            return [read_row(row) for row in rows]

        return self._told(read)

    def _entry(self, row: tuple[Any, ...]) -> Entry:
        number, key, title, when, by, text, runs = row
        try:
            if not (isinstance(number, int) and isinstance(runs, int) and runs >= 0):
                raise ValueError
            if not all(isinstance(part, str) for part in (key, title, when, by, text)):
                raise ValueError
            return Entry(number, key, title, when, by, _request(text), runs)
        except (ValueError, TypeError, AttributeError, RecursionError):
            raise BadRequest(
                f"{self.path}: study {number} is damaged; the others can be shown by their numbers, and a new file "
                "can be named for new studies"
            ) from None

    def entry(self, number: int) -> Entry:
        """One study by its number.

        Raises:
            NotFound: there is none.
            BadRequest: it is damaged.
        """
        for entry in self._rows("s.id = ?", 1, self._entry, number) if abs(number) < 2**63 else []:
            return entry
        raise NotFound(f"{self.path} has no study {number}; `mint-ledger history {self.path}` lists those it has")

    def show(self, number: int) -> Study:
        """A stored study, as far as it has come, without playing anything.

        Raises:
            NotFound: there is none.
            BadRequest: none of its runs was stored yet, or it is damaged.
        """
        entry, prepared = self._prepared(number)
        stored = StoredStudy(self, number, entry.key, prepared)
        runs = stored.unbroken_runs()
        if not runs:
            raise BadRequest(
                f"study {number} of {self.path} has no runs that can be read; play it again: mint-ledger study GAME "
                f"--store {self.path}"
            )
        return make_study(prepared, entry.request, runs, stored=stored)

    def _prepared(self, number: int) -> tuple[Entry, Prepared]:
        entry = self.entry(number)
        try:
            prepared = prepare(entry.request)
        except MintError as error:
            # What stands in the store is to blame, and not the game file that it was made of.
            why = error.faults[0].message if isinstance(error, GameError) else str(error)
            raise BadRequest(
                f"study {number} of {self.path} is damaged: what it keeps of its game cannot be played ({why})"
            ) from None
        if key_of(prepared, entry.request) != entry.key:
            raise BadRequest(
                f"study {number} of {self.path} was kept by another version ({entry.version}; this one is "
                f"{__version__}), whose numbers are not taken for those of this one, or it is damaged; play the study "
                "again"
            )
        return entry, prepared

    def bank(self, key: str) -> bytes | None:
        """Return what was kept as the bank of this key; none where there is none, or it is not as it was kept."""
        statement = (
            "select content, checksum from banks where key = ? and typeof(content) = 'blob' and "
            "typeof(checksum) = 'blob' and length(content) <= ?"
        )
        row = self.run_in_turn(statement, (key, MOST_CONTENT)).fetchone()
        return bytes(row[0]) if row is not None and row[1] == checksum(key, 0, 0, row[0]) else None

    def keep_bank(self, key: str, title: str, content: bytes) -> None:
        """Keep a bank; one of the same key gives way."""
        now = time.strftime("%Y-%m-%d %H:%M:%S")
        self.run_in_turn(
            "insert or replace into banks (key, title, made, version, content, checksum) values (?, ?, ?, ?, ?, ?)",
            (key, title, now, __version__, content, checksum(key, 0, 0, content)),
        )

    def banks(self) -> int:
        """Return how many banks there are."""
        return int(self.run_in_turn("select count(*) from banks").fetchone()[0])

    def verify(self, again: int = 3) -> list[Verified]:
        """Look at every block of every study: its checksum, its shape, and for some blocks the numbers, played again.

        Args:
            again: so many blocks of each study are played again, from the first to the last.

        Raises:
            BadRequest: the store cannot be read.
        """
        self._told(lambda: self._connection.execute("pragma integrity_check(1)").fetchall())
        numbers = self._told(lambda: self._connection.execute("select id from studies order by id").fetchall())
        found = []
        for (number,) in numbers[:MOST_STUDIES]:
            try:
                entry, prepared = self._prepared(number)
            except BadRequest as error:
                found.append(Verified(number, "", 0, (), 0, str(error)))
                continue
            stored = StoredStudy(self, number, entry.key, prepared)
            bad = [span for span in stored.spans() if stored.read(span) is None]
            good = [span for span in stored.spans() if span not in bad]
            places = {round(k * (len(good) - 1) / max(again - 1, 1)) for k in range(again if good else 0)}
            chosen = [good[place] for place in sorted(places)]
            for span in chosen:
                block = stored.read(span)
                [played] = play_blocks(prepared, entry.request, [span], span[1], None)
                if block is None or not same_block(block, played):
                    bad.append(span)
            found.append(Verified(number, entry.title, entry.runs, tuple(sorted(bad)), len(chosen), ""))
        return found

    def run_in_turn(self, statement: str, values: tuple[Any, ...] = ()) -> sqlite3.Cursor:
        """Carry out a statement."""
        return self._told(lambda: self._connection.execute(statement, values))


@dataclass(frozen=True)
class Entry:
    """A study in a store."""

    number: int
    key: str
    title: str
    made: str
    version: str
    request: StudyRequest
    runs: int


@dataclass(frozen=True)
class Verified:
    """What was seen of one study of a store.

    Attributes:
        damaged: the blocks that are not as they were kept, or whose numbers are not those of the game: first run and
            how many.
        again: how many blocks were played again.
        problem: why nothing of it could be looked at.
    """

    number: int
    title: str
    runs: int
    damaged: tuple[tuple[int, int], ...]
    again: int
    problem: str

    @property
    def is_sound(self) -> bool:
        """Return whether nothing wrong was seen."""
        return not self.damaged and not self.problem


class StoredStudy:
    """The blocks of one study in a store.

    Attributes:
        replayed: how many runs were played again since what the store had of them was damaged.
    """

    def __init__(self, store: Store, number: int, key: str, prepared: Prepared) -> None:
        self.store = store
        self.number = number
        self.replayed = 0
        self._key, self._prepared = key, prepared
        self._waiting: list[Block] = []
        self._written = time.monotonic()
        rows = store.run_in_turn("select first, runs from blocks where study = ?", (number,)).fetchall()
        # Whatever else stands there is no block, and gives way to one.
        self._damaged = {
            first
            for first, runs in rows
            if isinstance(first, int) and not (isinstance(runs, int) and 0 < runs <= BLOCK)
        }
        self._has: dict[int, int] = {
            first: runs
            for first, runs in rows
            if isinstance(first, int) and isinstance(runs, int) and first % BLOCK == 0 <= first and 0 < runs <= BLOCK
        }

    def spans(self) -> list[Span]:
        """The blocks that are there."""
        return sorted(self._has.items())

    def has(self, span: Span) -> bool:
        """Return whether a block is there."""
        return self._has.get(span[0], 0) == span[1]

    def unbroken_runs(self) -> int:
        """Return how many sound runs there are from the first on without a gap."""
        runs = 0
        while runs in self._has and self.read((runs, self._has[runs])) is not None:
            runs += self._has[runs]
        return runs

    def read(self, span: Span) -> Block | None:
        """A block that is there; none where it is not as it was kept."""
        first, runs = span
        statement = (
            "select content, checksum from blocks where study = ? and first = ? and typeof(content) = 'blob' and "
            "typeof(checksum) = 'blob' and length(content) <= ?"
        )
        try:
            row = self.store.run_in_turn(statement, (self.number, first, MOST_CONTENT)).fetchone()
        except BadRequest:
            return None
        if row is None or row[1] != checksum(self._key, first, runs, row[0]):
            return None
        try:
            return unpacked(row[0], self._prepared, first, runs)
        except Damaged:
            return None

    def get(self, span: Span) -> Block | None:
        """A block that is there; none where it is damaged, so that it has to be played again."""
        block = self.read(span)
        if block is None:
            self._damaged.add(span[0])
            self.replayed += span[1]
        return block

    def put(self, block: Block) -> None:
        """Keep a block; it is written with others every half second."""
        self._waiting.append(block)
        if time.monotonic() - self._written > COMMIT_EVERY:
            self.write()

    def write(self) -> None:
        """Write what waits. A block that another process has written meanwhile is the same, or shorter."""
        if not self._waiting:
            return
        with self._at_once():
            for block in self._waiting:
                runs, content = len(block.ending), packed(block)
                self.store.run_in_turn(
                    "insert into blocks (study, first, runs, content, checksum) values (?, ?, ?, ?, ?) on conflict "
                    "(study, first) do update set runs = excluded.runs, content = excluded.content, "
                    "checksum = excluded.checksum where ? or excluded.runs > runs",
                    (
                        self.number,
                        block.first,
                        runs,
                        content,
                        checksum(self._key, block.first, runs, content),
                        block.first in self._damaged,
                    ),
                )
        self._has |= {block.first: len(block.ending) for block in self._waiting}
        self._waiting.clear()
        self._written = time.monotonic()

    @contextmanager
    def _at_once(self) -> Iterator[None]:
        """All that is written meanwhile, or nothing of it."""
        self.store.run_in_turn("begin immediate")
        try:
            yield
            self.store.run_in_turn("commit")
        except BaseException:
            with contextlib.suppress(BadRequest):
                self.store.run_in_turn("rollback")
            raise

    def keep_results(self, study: Study) -> None:
        """Write what the study came to as plain columns, for whoever reads the store with SQL.

        They are never read back: a forged one is believed by nobody here.
        """

        def plain(value: float) -> float | None:
            return float(value) if math.isfinite(value) else None

        rows = [
            (self.number, text, study.runs, plain(known.value), plain(known.low), plain(known.high))
            for text, known in study.estimates().items()
        ]

        with self._at_once():
            self.store.run_in_turn("delete from results where study = ?", (self.number,))
            for row in rows:
                self.store.run_in_turn("insert into results values (?, ?, ?, ?, ?, ?)", row)

    @contextmanager
    def writing(self) -> Iterator[None]:
        """Write what still waits at the end, however that comes."""
        try:
            yield
        finally:
            self.write()


def key_of(prepared: Prepared, request: StudyRequest) -> str:
    """Return what a study is known by: all that its numbers depend on. The engine is not part of it.

    What is played counts and not the text that it was made of: the program, its dials, who plays, the seed, what is
    taken of each run, and the version of this package with all that is built into it.
    """
    program = prepared.lowered.program
    played = [program.content_hash, program.dials.numbers, prepared.seed, prepared.starts, prepared.script]
    taken = [
        prepared.lowered.measures,
        prepared.taking.slots.tolist(),
        prepared.accounts,
        prepared.sampled,
        prepared.grid,
    ]
    asked = [request.measures, request.accounts, request.sampled, request.times]
    content = repr([__version__, FORMAT, baked_in(), BLOCK, played, taken, asked, prepared.only_script])
    return hashlib.sha256(content.encode()).hexdigest()


def _is_ours(known: list[tuple[str, str]]) -> bool:
    """Return whether a database holds the tables of a store and nothing else: no views, no triggers."""
    wanted = sorted(("table", " ".join(s.split())) for s in SCHEMA.split(";\n") if s.strip())
    return sorted((str(kind), " ".join(str(sql).lower().split())) for kind, sql in known) == [
        (kind, sql.lower()) for kind, sql in wanted
    ]


def same_block(one: Block, other: Block) -> bool:
    """Return whether two blocks hold the same numbers to the last bit."""
    arrays = ("ending", "winner", "steps", "level", "sums", "samples")
    pairs = [(getattr(one, name), getattr(other, name)) for name in arrays]
    pairs += [(one.measures[name], other.measures.get(name)) for name in one.measures]
    return len(one.measures) == len(other.measures) and all(
        b is not None and a.shape == b.shape and np.array_equal(a, b, equal_nan=a.dtype.kind == "f") for a, b in pairs
    )


def _request(text: str) -> StudyRequest:
    content = json.loads(text)
    pairs = ("dials", "measures")
    for name, value in content.items():
        if isinstance(value, list):
            content[name] = tuple(tuple(item) if name in pairs else item for item in value)
    return StudyRequest(**content)
