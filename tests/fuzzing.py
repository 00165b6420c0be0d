"""Broken inputs for the fuzz: what a slip, a mean hand or a bad disk makes of games, formulas, books, stores and lines."""

from __future__ import annotations

import io
import random
import re
import signal
import sqlite3
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from types import FrameType

import mint_ledger as mint
from mint_ledger.cli.hand_table import Table
from mint_ledger.editing.analysis import analyzed
from mint_ledger.editing.completing import offers
from mint_ledger.editing.defining import made_at
from mint_ledger.editing.hovering import told_at
from mint_ledger.editing.renaming import name_to_rename, renamed
from mint_ledger.errors import BooksError, BrokenProgram, MintError
from mint_ledger.game.including import BesideError
from mint_ledger.plain import neutral
from mint_ledger.studies.store import Store
from mint_ledger.studies.study import Study
from mint_ledger.tables.book import read_book

# Seconds of CPU: other work on the machine is no hang. What waits for something is a hang after six times as long.
PATIENCE = 10
STRANGE = (
    "1e400", "-1e308", "nan", ".inf", "9" * 400, "1e-320", "-0", "0x1f", "true", "null", "~", "''", "[]", "{}", "[[[]]]",
    "*a", "&a x", "<<: *b", "!!python/object:os.system x", "2020-01-01", "'a + b'", "self", "other.x", "\u202e", "\x00",
    "\ud83d", "ﬁ", "é" * 50, "1_000", "1,5", "..", "1..", "5..1", "=1+1", "- -", "? a", "|", ">", "'", '"', "#", "%", "@",
)  # fmt: skip
WORDS = (
    "a", "b", "h", "time", "turn", "self.h", "ant.h", "ant[1].h", "ant[9].h", "h.max", "h.share", "h.band", "whose", "1",
    "0", "2.5", "1e308", "-1", "true", "'x'", "count(ant)", "total(ant.h)", "any(ant.h > 1)", "chance(0.5)", "dice(2, 6)",
    "between(0, 1)", "normal(0, 1)", "pick(1, 2)", "whole(1, 6)", "log(a)", "exp(a)", "sqrt(a)", "min(a, b)", "abs(a)",
    "clamp(a, 0, 9)", "distance(ant[1], ant[2])", "has(ant[1], s)", "ready(x)", "hits(x)", "level_time", "lambda: 1",
    "t.c[a]", "t.c", "smooth(t.c, h)", "key_at(t.k, b)", "pick(1, 2, weights=(a, 1))", "weights(1)", "visit", "level",
    "misses(x)", "f(a)", "f(f(h))", "g()", "e(ant[1], b)", "e(self, g())", "f()", "e(a)", "max", "__import__('os')", "a.b.c", "[1]", "{}", "f''", "a := 1", "a if b else h", "nope", "random",
)  # fmt: skip
OPERATORS = (
    " + ",
    " - ",
    " * ",
    " / ",
    " % ",
    " // ",
    " ** ",
    " < ",
    " <= ",
    " == ",
    " != ",
    " and ",
    " or ",
    " in ",
    " ",
)
HOST = """
clock: {{limit: 2}}
stats: {{a: {{start: 3, min: -9, max: 9}}, b: 0}}
formulas: {{f: {{of: [x], is: x / (x + b)}}, g: {{is: "dice(2, 6)"}}, e: {{of: [who, x], is: who.h + f(x)}}}}
tables: {{t: {{columns: [k, c], rows: [[1, 2], [2, 4], [5, 3]]}}}}
lots: {{l: {{of: {{x: {{weight: 2, sure_by: 3, do: [b += 1]}}, y: 1}}}}}}
kinds: {{ant: {{copies: 3, stats: {{h: {{start: 2, min: 0, max: 5, bands: {{low: ..2, up: "2.."}}}}}}}}}}
statuses: {{s: {{lasts: 1}}}}
rules: [{{name: r, when: {{every: 1}}, {where}}}]
"""
LINES = (
    "ask t.c[a]", "ask key_at(t.k, b)", "go 1", "go until a > 2", "step 2", "step -1", "go 1e9", "hit ant with x", "meet ant[1] ant[2] for 1", "cue c x=1", "why a",
    "why", "ask a > 1", "ask", "set a = 5", "set a = a / 0", "give s to ant[1]", "end s of ant[1]", "spawn ant", "remove ant[2]",
    "undo", "undo 9", "redo", "show", "show ant", "watch a", "statement a", "story", "habit none", "level x", "help", "help go",
    "act x", "act x; set a = 1", "# nothing", ";;;", "save", "reload", "quit quit",
)  # fmt: skip


class Hung(Exception):
    """It took longer than anybody waits."""


@contextmanager
def in_time(seconds: int = PATIENCE) -> Iterator[None]:
    """Let what takes longer fail."""

    def ring(_: int, __: FrameType | None) -> None:
        raise Hung

    before = [(number, signal.signal(number, ring)) for number in (signal.SIGALRM, signal.SIGPROF)]
    wind_up(seconds)
    try:
        yield
    finally:
        wind_up(0)
        for number, handler in before:
            signal.signal(number, handler)


def wind_up(seconds: int) -> None:
    """Begin to wait anew."""
    signal.setitimer(signal.ITIMER_PROF, seconds)
    signal.alarm(6 * seconds)


def broken_text(luck: random.Random, text: str) -> str:
    """A game file with a few slips."""
    for _ in range(luck.choice((1, 1, 1, 2, 3, 8))):
        at = luck.randrange(len(text) + 1)
        tokens = list(re.finditer(r"[\w.]+", text)) or [re.match("", text)]
        token = luck.choice(tokens)
        assert token is not None
        match luck.randrange(9):
            case 0:
                text = text[:at] + luck.choice(STRANGE) + text[at:]
            case 1:
                text = text[:at] + text[at + luck.choice((1, 1, 5, 60)) :]
            case 2:
                text = (
                    text[:at]
                    + chr(luck.choice((luck.randrange(32, 127), luck.randrange(0x2FFF), 9, 10)))
                    + text[at + 1 :]
                )
            case 3:
                text = text[: token.start()] + luck.choice(STRANGE) + text[token.end() :]
            case 4:
                other = luck.choice(tokens)
                assert other is not None
                text = text[: token.start()] + other[0] + text[token.end() :]
            case 5:
                lines = text.split("\n")
                line = luck.randrange(len(lines))
                lines.insert(luck.randrange(len(lines)), luck.choice((lines[line], "  " + lines[line])))
                text = "\n".join(lines)
            case 6:
                text = text[: token.start()] + str(luck.choice((-1, 0, 1e9, 1e-9, 0.5, 99999999))) + text[token.end() :]
            case 7:
                lines = text.split("\n")
                del lines[luck.randrange(len(lines))]
                text = "\n".join(lines)
            case _:
                text = text[: token.start()] + formula(luck, 3) + text[token.end() :]
    return text


def formula(luck: random.Random, depth: int) -> str:
    """A formula, often a wrong one."""
    if depth == 0 or luck.random() < 0.2:
        return luck.choice(WORDS)
    left, right = formula(luck, depth - 1), formula(luck, luck.randrange(depth))
    made = f"{left}{luck.choice(OPERATORS)}{right}"
    return luck.choice((made, f"({made})", f"({made}", f"not {made}", f"-{made}", f"{made} if {right} else {left}"))


def refusal(error: MintError) -> str:
    """How an input was refused; what is a fault of ours goes on."""
    if isinstance(error, (BrokenProgram, BooksError)):
        raise error
    assert str(error).strip()
    return type(error).__name__


def try_game(text: str) -> str:
    """Load a game, play it and look at it; what came of it."""
    try:
        with in_time():
            game = mint.loads(text)
            if game.clock.limit / game.clock.step > 5_000 or len(game.lowered.program.procedures) > 400:
                return "large"
            try:
                run = game.run(engine="reference")
            except Hung:
                # Plain Python takes long over what machine code plays in no time.
                wind_up(PATIENCE)
                game.run(engine="native")
                return "slow"
            neutral(run.story())
            run.reconcile()
            return "played"
    except MintError as error:
        return refusal(error)


def try_formula(luck: random.Random) -> str:
    """A formula in one of the places where formulas stand."""
    text = formula(luck, luck.randrange(5)).replace('"', "'")
    where = luck.choice(
        (
            'if: "{}", do: [b += 1]',
            'do: ["b += {}"]',
            'do: [{{if: "{}", do: [b += 1]}}]',
            'let: {{k: "{}"}}, do: [b += k]',
            'do: [{{lot: l, times: "{}"}}]',
            'do: [{{spawn: ant, count: "{}", set: {{h: "{}"}}}}]',
        )
    )
    return try_game(HOST.format(where=where.format(text, text)))


def try_editor(luck: random.Random, text: str) -> str:
    """A broken text in an editor: what is wrong, and what may be typed, is meant and made at a place."""
    lines = text.split("\n")
    line = luck.randrange(len(lines))
    column = luck.randrange(len(lines[line]) + 1)
    try:
        with in_time():
            known = analyzed(text, "game.yaml", _nothing_beside)
            offers(known, text, line, column)
            told_at(known, text, line, column)
            made_at(known, text, line, column)
            if not known.is_right:
                return "faulty"
            renamed(known, name_to_rename(known, text, line, column), "zz_new")
            return "renamed"
    except MintError as error:
        return refusal(error)


def _nothing_beside(name: str) -> str:
    raise BesideError("is not there")


def try_line(luck: random.Random, table: Table) -> str:
    """A line of `try`, often a wrong one."""
    line = luck.choice(LINES)
    for _ in range(luck.randrange(3)):
        at = luck.randrange(len(line) + 1)
        line = line[:at] + luck.choice((*WORDS, *STRANGE, " ", "")) + line[at + luck.randrange(3) :]
    if line.split(" ")[0] in ("save", "reload", "quit"):
        return "left out"
    try:
        with in_time():
            table.answer(line)
            return "answered"
    except MintError as error:
        return refusal(error)


def broken_book(luck: random.Random, content: bytes) -> bytes:
    """A book with turned bytes, or with a part that is cut or changed."""
    data = bytearray(content)
    if luck.random() < 0.5:
        for _ in range(luck.choice((1, 3, 50))):
            data[luck.randrange(len(data))] = luck.randrange(256)
        return bytes(data[: luck.randrange(len(data))] if luck.random() < 0.2 else data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
        names = old.namelist()
        changed = luck.choice(names)
        for name in names:
            part = old.read(name)
            if name == changed:
                at = luck.randrange(len(part))
                part = luck.choice(
                    (part[:at], part[:at] + b"<x>" + part[at:], part.replace(b"<v>", b"<v>9e999", 3), b"")
                )
            new.writestr(name, part)
    return out.getvalue()


def try_book(luck: random.Random, content: bytes, folder: Path, read: Callable[[Path], object] = read_book) -> str:
    """A broken book, read."""
    path = folder / "broken.xlsx"
    path.write_bytes(broken_book(luck, content))
    try:
        with in_time():
            read(path)
            return "read"
    except MintError as error:
        assert str(path) in str(error) or "!" in str(error)
        return type(error).__name__


def broken_store(luck: random.Random, content: bytes, path: Path) -> None:
    """A store with turned bytes, cut off, or with rows that somebody meddled with."""
    data = bytearray(content)
    if luck.random() < 0.6:
        for _ in range(luck.choice((1, 3, 50))):
            data[luck.randrange(len(data))] = luck.randrange(256)
        path.write_bytes(data[: luck.randrange(len(data))] if luck.random() < 0.2 else data)
        return
    path.write_bytes(data)
    blob = luck.randbytes(luck.choice((0, 1, 200)))
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute(luck.choice(MEDDLED), {"blob": blob, "number": luck.choice((-1, 0, 3, 2**40))})


MEDDLED = (
    "update blocks set content = :blob",
    "update blocks set runs = :number",
    "update blocks set first = first + :number",
    "update blocks set checksum = :blob",
    "update blocks set study = :number",
    "update studies set request = cast(:blob as text)",
    "update studies set request = replace(request, '0', :number)",
    "update studies set title = :blob, made = :number",
    "update studies set key = cast(:number as text)",
    "delete from blocks where first > 0",
    "delete from studies",
    "create table more (a, b)",
    "create view blocks_too as select * from blocks",
)


def try_store(luck: random.Random, content: bytes, folder: Path, truth: Study) -> str:
    """A broken store, read, shown, verified, and gone on with: what it gives is the truth or is refused."""
    path = folder / "broken.sqlite"
    for left in folder.glob("broken.sqlite*"):
        left.unlink()
    broken_store(luck, content, path)
    game = mint.loads(truth.lowered.source.text)
    try:
        with in_time():
            if luck.random() < 0.4:
                study = game.study(truth.runs, seed=truth.seed, store=path)
                assert study.measures.equals(truth.measures), "a broken store was believed"
                return "played"
            with Store(path) as store:
                if luck.random() < 0.5:
                    return "damage told" if any(one.damaged or one.problem for one in store.verify()) else "verified"
                for entry in store.entries():
                    shown = store.show(entry.number)
                    same = shown.measures.equals(truth.measures.head(shown.runs))
                    assert same or shown.request != truth.request, "a broken store was shown"
                return "shown"
    except MintError as error:
        assert "fault of its own" not in str(error)
        return type(error).__name__


CELLS = (
    "win", "lose", "draw", "won", "", "1", "-1", "0.5", "1e999", "nan", "inf", "1_0", "١", "1,5", "heads", "nobody", "\u202e",
    "=1+1", "NULL", '"', '""', "'", "\x00", "a\tb", "9" * 400, "unfinished", "é" * 300,
)  # fmt: skip
COLUMNS = (
    "result",
    "ending",
    "time",
    "player",
    "weight",
    "habit",
    "game",
    "level",
    "b",
    "closing(b)",
    "",
    "RESULT",
    "x",
)


def plays_text(luck: random.Random) -> str:
    """Recorded plays, often with a cell, a column or a line that is wrong."""
    if luck.random() < 0.3:  # nothing is wrong, so that some are judged whatever the seed
        return "result,time\n" + "win,1\nunfinished,3\n" * luck.randrange(1, 4)
    columns = ["result", "time", *luck.sample(COLUMNS, luck.randrange(3))]
    if luck.random() < 0.2:
        luck.shuffle(columns)
    usual = {"result": "win", "ending": "heads", "weight": "2", "habit": "", "game": "", "level": ""}
    rows = [[usual.get(column, str(luck.randrange(3))) for column in columns] for _ in range(luck.randrange(6))]
    for row in rows:
        if luck.random() < 0.3:
            row[luck.randrange(len(row))] = luck.choice(CELLS)
        if luck.random() < 0.05:
            row.pop()
    text = "\n".join(luck.choice((",",) * 9 + (";", "\t")).join(row) for row in [columns, *rows])
    if luck.random() < 0.3:
        at = luck.randrange(len(text) + 1)
        text = text[:at] + luck.choice((*CELLS, "\r", "\n", ",", '"')) + text[at + luck.randrange(3) :]
    return text


def try_plays(luck: random.Random, game: mint.Game, folder: Path) -> str:
    """Plays as they came, read and held against the game; of those that are read every number is one."""
    path = folder / "plays.csv"
    content = plays_text(luck).encode("utf-8", "surrogatepass")
    if luck.random() < 0.1:
        content = luck.choice((b"\xef\xbb\xbf", b"\xff\xfe", b"\x80")) + content
    path.write_bytes(content)
    try:
        with in_time():
            plays = game.read_plays(path)
            neutral(game.judge_plays(plays, 200).summary())
            return "judged"
    except MintError as error:
        return refusal(error)


def merging_text(luck: random.Random) -> str:
    """A game whose mappings are made of others by anchors and merge keys, nested, in lists, of what is no mapping."""
    names = [f"m{number}" for number in range(luck.randrange(2, 12))]
    lines = []
    for at, name in enumerate(names):
        before = names[:at] if luck.random() < 0.9 else names
        keys = [
            f"k{luck.randrange(9)}: {luck.choice(('1', '{a: 1}', '[1, 2]', 'x'))}" for _ in range(luck.randrange(4))
        ]
        if before and luck.random() < 0.8:
            chosen = luck.sample(before, luck.randrange(1, len(before) + 1))
            merged = f"*{chosen[0]}" if len(chosen) == 1 else "[" + ", ".join(f"*{one}" for one in chosen) + "]"
            keys.insert(luck.randrange(len(keys) + 1), f"<<: {merged}")
        lines.append(f"{name}: &{name} " + luck.choice(("{" + ", ".join(keys) + "}",) * 9 + ("[1, 2]",)))
    used = luck.choice(names)
    lines += [f"kinds: {{ant: {{stats: {{<<: *{used}, h: 1}}}}}}", "clock: {limit: 1}"]
    return "\n".join(lines)


MESSAGES = (
    {"jsonrpc": "2.0", "id": 1, "method": "textDocument/hover", "params": {"textDocument": {"uri": "file:///g.yaml"}, "position": {"line": 1, "character": 2}}},
    {"jsonrpc": "2.0", "method": "textDocument/didOpen", "params": {"textDocument": {"uri": "file:///g.yaml", "languageId": "yaml", "version": 1, "text": "a: 1"}}},
    {"jsonrpc": "2.0", "id": "x", "method": "textDocument/completion", "params": {"textDocument": {"uri": "x"}, "position": {"line": 0, "character": 0}}},
    {"jsonrpc": "2.0", "id": 2, "method": "shutdown"},
)  # fmt: skip
VALUES = (None, True, -1, 2**70, 1.5, "", "x", [], {}, [[]], {"": None}, "\u202e", "\ud800")


def broken_json(luck: random.Random, value: object, depth: int = 0) -> object:
    """A value with something in it that is not what it should be."""
    if depth and luck.random() < 0.15:
        return luck.choice(VALUES)
    if isinstance(value, dict):
        pairs = [(key, broken_json(luck, one, depth + 1)) for key, one in value.items() if luck.random() > 0.05]
        return dict(pairs) | ({"more": luck.choice(VALUES)} if luck.random() < 0.1 else {})
    if isinstance(value, list):
        return [broken_json(luck, one, depth + 1) for one in value]
    return value
