"""A store: studies kept in an SQLite file, block by block.

A study is known by all that its numbers depend on, so asking for it again, or for more runs of it, takes the blocks
that are there and plays the others. Each block is one row, written in a transaction: whatever interrupts a study,
what was stored stays, and the rest is played next time with the same numbers.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import sqlite3
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np

from mint_ledger.engines.baked import baked_in
from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.studies.block import BLOCK, Block
from mint_ledger.studies.request import Prepared, StudyRequest, prepare
from mint_ledger.studies.study import Study, make_study
from mint_ledger.versions import __version__

if TYPE_CHECKING:
    from mint_ledger.studies.playing import Span

APPLICATION = 0x4D4C4452
FORMAT = 1
PATIENCE = 30.0
COMMIT_EVERY = 0.5
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
    primary key (study, first)
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
        connection = sqlite3.connect(self.path, timeout=PATIENCE, isolation_level=None, check_same_thread=False)
        try:
            # In one transaction: another process may be making the store just now.
            connection.execute("begin")
            tables = connection.execute("select count(*) from sqlite_master").fetchone()[0]
            application = connection.execute("pragma application_id").fetchone()[0]
            made_by = connection.execute("pragma user_version").fetchone()[0]
            connection.execute("commit")
            if application != APPLICATION and tables:
                raise BadRequest(f"{self.path} is a database, but no store of Mint Ledger; it is left as it is")
            if made_by > FORMAT:
                raise BadRequest(
                    f"{self.path} was made by a newer version of Mint Ledger (format {made_by}; this one reads up to "
                    f"{FORMAT}); it is left as it is"
                )
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
        """What SQLite says, in a designer's words."""
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
            return StoredStudy(self, int(number))

        return self._told(find)

    def entries(self) -> list[Entry]:
        """All studies, the oldest first."""

        def read() -> list[Entry]:
            rows = self._connection.execute(
                "select s.id, s.key, s.title, s.made, s.version, s.request, coalesce(sum(b.runs), 0) "
                "from studies s left join blocks b on b.study = s.id group by s.id order by s.id"
            )
            return [
                Entry(number, key, title, when, by, _request(text), runs)
                for number, key, title, when, by, text, runs in rows
            ]

        return self._told(read)

    def entry(self, number: int) -> Entry:
        """One study by its number.

        Raises:
            NotFound: there is none.
        """
        for entry in self.entries():
            if entry.number == number:
                return entry
        raise NotFound(f"{self.path} has no study {number}; `mint-ledger history {self.path}` lists those it has")

    def show(self, number: int) -> Study:
        """A stored study, as far as it has come, without playing anything.

        Raises:
            NotFound: there is none.
            BadRequest: none of its runs was stored yet.
        """
        entry = self.entry(number)
        stored = StoredStudy(self, number)
        runs = stored.unbroken_runs()
        if not runs:
            raise BadRequest(f"study {number} of {self.path} has no runs yet")
        prepared = prepare(entry.request)
        if key_of(prepared, entry.request) != entry.key:
            raise BadRequest(
                f"study {number} of {self.path} was kept by another version ({entry.version}; this one is "
                f"{__version__}), whose numbers are not taken for those of this one; play the study again"
            )
        return make_study(prepared, entry.request, runs, stored=stored)

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


class StoredStudy:
    """The blocks of one study in a store."""

    def __init__(self, store: Store, number: int) -> None:
        self.store = store
        self.number = number
        self._waiting: list[Block] = []
        self._written = time.monotonic()
        rows = store.run_in_turn("select first, runs from blocks where study = ?", (number,))
        self._has: dict[int, int] = dict(rows.fetchall())

    def has(self, span: Span) -> bool:
        """Whether a block is there."""
        return self._has.get(span[0], 0) == span[1]

    def unbroken_runs(self) -> int:
        """How many runs there are from the first on without a gap."""
        runs = 0
        while runs in self._has:
            runs += self._has[runs]
        return runs

    def get(self, span: Span) -> Block:
        """A block that is there."""
        statement = "select content from blocks where study = ? and first = ?"
        content = self.store.run_in_turn(statement, (self.number, span[0])).fetchone()[0]
        return unpacked(content)

    def put(self, block: Block) -> None:
        """Keep a block; it is written with others every half second."""
        self._waiting.append(block)
        if time.monotonic() - self._written > COMMIT_EVERY:
            self.write()

    def write(self) -> None:
        """Write what waits. A block that another process has written meanwhile is the same, or shorter."""
        if not self._waiting:
            return
        self.store.run_in_turn("begin immediate")
        try:
            for block in self._waiting:
                self.store.run_in_turn(
                    "insert into blocks (study, first, runs, content) values (?, ?, ?, ?) on conflict (study, first) "
                    "do update set runs = excluded.runs, content = excluded.content where excluded.runs > runs",
                    (self.number, block.first, len(block.ending), packed(block)),
                )
            self.store.run_in_turn("commit")
        except BaseException:
            with contextlib.suppress(BadRequest):
                self.store.run_in_turn("rollback")
            raise
        self._has |= {block.first: len(block.ending) for block in self._waiting}
        self._waiting.clear()
        self._written = time.monotonic()

    @contextmanager
    def writing(self) -> Iterator[None]:
        """Write what still waits at the end, however that comes."""
        try:
            yield
        finally:
            self.write()


def key_of(prepared: Prepared, request: StudyRequest) -> str:
    """What a study is known by: all that its numbers depend on. The engine is not part of it.

    What is played counts and not the text that it was made of: the program, its dials, who plays, the seed, what is
    taken of each run, and the version of this package with all that is built into it.
    """
    program = prepared.lowered.program
    played = [program.content_hash, program.dials.values, prepared.seed, prepared.starts, prepared.script]
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


def _request(text: str) -> StudyRequest:
    content = json.loads(text)
    pairs = ("dials", "measures")
    for name, value in content.items():
        if isinstance(value, list):
            content[name] = tuple(tuple(item) if name in pairs else item for item in value)
    return StudyRequest(**content)


def packed(block: Block) -> bytes:
    """A block as compressed bytes: NumPy's own format, which holds plain arrays alone."""
    arrays: dict[str, Any] = {f"measure {name}": values for name, values in block.measures.items()}
    arrays |= {
        "first": np.array([block.first, block.visited]),
        "ending": block.ending,
        "winner": block.winner,
        "steps": block.steps,
        "level": block.level,
        "sums": block.sums,
        "samples": block.samples,
    }
    out = io.BytesIO()
    np.savez(out, **arrays)
    return zlib.compress(out.getvalue(), 1)


def unpacked(content: bytes) -> Block:
    """A block from its bytes."""
    with np.load(io.BytesIO(zlib.decompress(content)), allow_pickle=False) as arrays:
        measures = {name[8:]: arrays[name] for name in arrays.files if name.startswith("measure ")}
        first, visited = (int(number) for number in arrays["first"])
        return Block(
            first,
            arrays["ending"],
            arrays["winner"],
            arrays["steps"],
            arrays["level"],
            measures,
            arrays["sums"],
            arrays["samples"],
            visited,
        )
