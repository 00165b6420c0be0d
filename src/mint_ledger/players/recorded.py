"""Plays that were recorded: read from a table with one play a row, or from what was told of all of them together.

What becomes of a value that is missing, of a play that broke off and of one that lasted too long is said in
`Plays.notes`, play by play or together; nothing is left out in silence.
"""

from __future__ import annotations

import csv
import hashlib
import io
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np

from mint_ledger.errors import BadRequest, GameError, NotFound, nearest
from mint_ledger.game.source import read_source
from mint_ledger.journal.books import account_name, all_accounts
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import number_of, unguarded
from mint_ledger.studies.estimate import quantile_of
from mint_ledger.studies.limits import time_limit

Floats = np.ndarray[Any, np.dtype[np.float64]]
MOST_PLAYS, MOST_COLUMNS, MOST_BYTES = 200_000, 200, 64 * 2**20
# What a column may be in addition to a measure; the last two stand in the table of a study, and are not looked at.
KNOWN = ("result", "time", "ending", "level", "player", "weight", "habit", "game", "run", "winner")
RESULTS = ("win", "lose", "draw", "unfinished")
WORDS = {"won": "win", "lost": "lose", "drawn": "draw", "loss": "lose"}
_OF = re.compile(r"([\d,]+) of ([\d,]+)")
_ABOUT = re.compile(r"(\S+) (?:±|\+-) (\S+)")


@dataclass(frozen=True, eq=False)
class Plays:
    """Recorded plays, each of them a row.

    Attributes:
        name: what they were read from.
        values: measure → its values, NaN where one is missing; shape (plays,). `time` is one of them, as is each result
            that a play may have (1 where it has it), and `level` by its number in the file. A play that broke off has
            none but its time.
        measures: what of a simulated run each measure is compared with; a formula of measures.
        broke_off: whether a play was left before it was decided; shape (plays,).
        weights: how much each counts; shape (plays,).
        players: who played each, by number; shape (plays,). Plays of one player are not independent.
        notes: what was done with rows that are not like the others, in sentences.
    """

    name: str
    values: Mapping[str, Floats]
    measures: Mapping[str, str]
    broke_off: np.ndarray[Any, np.dtype[np.bool_]]
    weights: Floats
    players: np.ndarray[Any, np.dtype[np.int64]]
    notes: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.broke_off)

    @property
    def groups(self) -> int:
        """Return how many players there were."""
        return len(np.unique(self.players))


@dataclass(frozen=True)
class Told:
    """What was told of many plays together.

    Attributes:
        plays: how many there were.
        shares: result → in how many of how many.
        quantiles: (measure, share) → the value that so many have at most.
        means: measure → its mean, and half of the 95 % interval that was told with it (none: unknown).
    """

    name: str
    plays: int
    shares: Mapping[str, tuple[float, int]] = field(default_factory=dict)
    quantiles: Mapping[tuple[str, float], float] = field(default_factory=dict)
    means: Mapping[str, tuple[float, float | None]] = field(default_factory=dict)
    measures: Mapping[str, str] = field(default_factory=dict)

    def __len__(self) -> int:
        return self.plays

    @property
    def named(self) -> tuple[str, ...]:
        """The results and measures of which something was told."""
        return tuple(dict.fromkeys([*self.shares, *(name for name, _ in self.quantiles), *self.means]))


def game_mark(game: PlayableGame) -> str:
    """Return what tells one version of a game from another: a hash of its text and of what was turned since."""
    return hashlib.sha256(f"{game.origin_text()}\n{game.changes()!r}".encode()).hexdigest()[:16]


def read_plays(
    game: PlayableGame,
    path: str | Path,
    columns: Mapping[str, str] | None = None,
    habit: str | None = None,
    *,
    any_version: bool = False,
) -> Plays | Told:
    """Read recorded plays (CSV or Parquet), or what was told of them together (YAML).

    Arguments:
        columns: column → the measure of the game that it holds: `{"hp": "closing(keeper.health)"}`.
        habit: where the plays name one, those of it alone.
        any_version: take plays of another version of the game too.

    Raises:
        BadRequest: the file cannot be read, or a cell is not what its column wants; with the row.
        NotFound: a column is no measure of the game.
    """
    file = Path(path)
    if file.suffix.lower() in (".yaml", ".yml"):
        return _read_told(game, file, columns or {})
    if file.suffix.lower() == ".parquet":
        heads, rows = _parquet_rows(file)
    else:
        heads, rows = csv_rows(file)
    return make_plays(game, heads, rows, columns, habit, any_version=any_version, name=str(path))


def make_plays(
    game: PlayableGame,
    heads: Sequence[str],
    rows: Sequence[Sequence[Any]],
    columns: Mapping[str, str] | None = None,
    habit: str | None = None,
    *,
    any_version: bool = False,
    name: str = "plays",
) -> Plays:
    """Plays of rows; see `read_plays`."""
    return _PlayReader(game, name, list(heads), columns or {}, any_version=any_version).read(rows, habit)


class _PlayReader:
    def __init__(
        self, game: PlayableGame, name: str, heads: list[str], columns: Mapping[str, str], *, any_version: bool
    ) -> None:
        self.game, self.name, self.heads, self.any_version = game, name, heads, any_version
        lowered = game.lowered
        self.endings = {ending.name: ending.result for ending in lowered.program.endings}
        self.levels = list(lowered.levels)
        self.limit = time_limit(lowered.program)
        doubled = [head for head in dict.fromkeys(heads) if heads.count(head) > 1]
        if doubled:
            raise BadRequest(f"{name} has two columns '{doubled[0]}'")
        if "result" not in heads and "ending" not in heads:
            raise BadRequest(f"{name} wants a column 'result' ({', '.join(RESULTS)}) or 'ending'")
        self.measures = _measures(game, name, [head for head in heads if head not in KNOWN], columns)

    def read(self, rows: Sequence[Sequence[Any]], habit: str | None) -> Plays:
        """Each row as a play; see `read_plays`."""
        results: list[str] = []
        values: dict[str, list[float]] = {head: [] for head in (*self.measures, "time", "level")}
        weights: list[float] = []
        who: list[str] = []
        others: dict[str, int] = {}
        long = 0
        for number, row in enumerate(rows, 2):
            cells = dict(zip(self.heads, row, strict=False))
            played_by = cells.get("habit")
            if habit is not None and played_by not in (None, "", habit):
                others[str(played_by)] = others.get(str(played_by), 0) + 1
                continue
            self._check_version(number, cells.get("game"))
            result, time = self._result(number, cells), self._number(number, "time", cells.get("time"))
            if time > self.limit:
                long += 1
                time, result = self.limit, "unfinished"
            results.append(result)
            values["time"].append(time)
            values["level"].append(self._level(number, cells.get("level")))
            for head in self.measures:
                values[head].append(self._number(number, head, cells.get(head)))
            weight = 1.0 if _is_empty(cells.get("weight")) else self._number(number, "weight", cells["weight"])
            if not 0.0 < weight < math.inf:
                raise BadRequest(f"{self.name}, row {number}: a weight is above 0, not {cells['weight']}")
            weights.append(weight)
            player = cells.get("player")
            who.append(f"row {number}" if _is_empty(player) else f"player {player}")
        if not results:
            raise BadRequest(f"{self.name} has no plays" + (f" of the habit '{habit}'" if others else ""))
        return self._plays(results, values, weights, who, others, long)

    def _plays(
        self,
        results: list[str],
        values: dict[str, list[float]],
        weights: list[float],
        who: list[str],
        others: Mapping[str, int],
        long: int,
    ) -> Plays:
        outcome = np.array(results)
        arrays = {head: np.array(column) for head, column in values.items()}
        # At the clock's limit a run is over, undecided or not; before it somebody left.
        known_time = ~np.isnan(arrays["time"])
        nearly = self.limit - 2.5 * self.game.lowered.program.clock.step
        broke_off = (outcome == "unfinished") & known_time & (arrays["time"] < nearly)
        for head, column in arrays.items():
            if head != "time":
                column[broke_off] = np.nan
        possible = {*self.endings.values(), "unfinished"}
        for result in RESULTS:
            # What is lost is what is neither of the others.
            told = result == "win" or (result in results and result != "lose")
            if result in possible and told:
                arrays[result] = np.where(broke_off, np.nan, (outcome == result).astype(float))
        arrays = {head: column for head, column in arrays.items() if not np.isnan(column).all()}
        notes = [f"{count:,} plays of the habit '{other}' are not looked at" for other, count in others.items()]
        if broke_off.any():
            notes.append(
                f"{int(broke_off.sum()):,} plays broke off before they were decided: they count for the time alone, as "
                "lasting longer than that"
            )
        if long:
            notes.append(f"{long:,} plays lasted longer than the clock lets them: they count as undecided at its limit")
        for head, column in arrays.items():
            missing = int((np.isnan(column) & ~broke_off).sum())
            if missing:
                notes.append(f"{head} is missing in {missing:,} plays, which do not count for it")
        kept = {head: text for head, text in self.measures.items() if head in arrays}
        # In one order, however the rows stand: sums are the same to the bit.
        columns = [np.nan_to_num(column, nan=-np.inf) for column in arrays.values()]
        cells = np.column_stack([*columns, np.array(weights)]).tolist()
        order = sorted(range(len(who)), key=lambda row: (cells[row], who[row]))
        numbers: dict[str, int] = {}
        players = np.array([numbers.setdefault(who[row], len(numbers)) for row in order])
        arrays = {head: column[order] for head, column in arrays.items()}
        return Plays(self.name, arrays, kept, broke_off[order], np.array(weights)[order], players, tuple(notes))

    def _check_version(self, number: int, mark: Any) -> None:
        if _is_empty(mark) or self.any_version:
            return
        own = game_mark(self.game)
        if str(mark).strip() != own:
            raise BadRequest(
                f"{self.name}, row {number}: played in another version of the game ({mark}; this one is {own}); "
                "--anyway compares them all the same"
            )

    def _result(self, number: int, cells: Mapping[str, Any]) -> str:
        text, ending = (str(cells.get(key) or "").strip() for key in ("result", "ending"))
        text = WORDS.get(text.lower(), text.lower())
        if ending and ending not in self.endings:
            near = nearest(ending, self.endings)
            raise BadRequest(f"{self.name}, row {number}: the game has no ending '{ending}'{near}")
        if not text and not ending:
            raise BadRequest(f"{self.name}, row {number}: a play has a result ({', '.join(RESULTS)}) or an ending")
        if text and text not in RESULTS:
            near = nearest(text, RESULTS)
            raise BadRequest(f"{self.name}, row {number}: '{text}' is no result ({', '.join(RESULTS)}){near}")
        if text and ending and self.endings[ending] != text:
            raise BadRequest(
                f"{self.name}, row {number}: '{ending}' is an ending that is {self.endings[ending]}, not {text}"
            )
        result = text or self.endings[ending]
        if result not in self.endings.values() and result != "unfinished":
            raise BadRequest(f"{self.name}, row {number}: no ending of the game is {result}")
        return result

    def _level(self, number: int, level: Any) -> float:
        if _is_empty(level):
            return math.nan
        if str(level) not in self.levels:
            raise BadRequest(
                f"{self.name}, row {number}: the game has no level '{level}'{nearest(str(level), self.levels)}"
            )
        return float(self.levels.index(str(level)))

    def _number(self, number: int, head: str, cell: Any) -> float:
        if _is_empty(cell):
            return math.nan
        try:
            value = number_of(cell) if isinstance(cell, str) else float(cell)
        except (TypeError, ValueError):
            raise BadRequest(f"{self.name}, row {number}, column {head}: wants a number, not '{cell}'") from None
        if not math.isfinite(value) or (head == "time" and value < 0.0):
            raise BadRequest(f"{self.name}, row {number}, column {head}: {cell} cannot be")
        return value


def _measures(game: PlayableGame, name: str, heads: Sequence[str], columns: Mapping[str, str]) -> dict[str, str]:
    """Return what of a simulated run each column is compared with.

    Raises:
        NotFound: a column is no measure.
    """
    own = {measure.name: measure.text for measure in game.lowered.measures}
    program = game.lowered.program
    unknown = [column for column in columns if column not in heads]
    if unknown:
        raise NotFound(f"{name} has no column '{unknown[0]}'{nearest(unknown[0], heads)}")
    texts: dict[str, str] = {}
    for head in heads:
        text = columns.get(head) or own.get(head) or head
        try:
            game.lowered_with({f"column {head}": text})
        except GameError as error:
            if head in columns:
                raise BadRequest(f"column '{head}': {error.faults[0].message}") from None
            near = nearest(head, (*KNOWN, *own)) or "."
            accounts = [account_name(program, key) for key in all_accounts(program)]
            account = next((account for account in accounts if account.rpartition(".")[2] == head), "…")
            raise NotFound(
                f"{name}: the column '{head}' is no measure of the game{near} Say what it holds: "
                f'--columns "{head}=closing({account})"'
            ) from None
        texts[head] = text
    return texts


def _is_empty(cell: Any) -> bool:
    return cell is None or cell == "" or (isinstance(cell, float) and math.isnan(cell))


def _content(path: Path) -> bytes:
    try:
        if not path.is_file():
            raise BadRequest(f"{path} is no file" if path.exists() else f"there is no file {path}")
        with path.open("rb") as stream:
            content = stream.read(MOST_BYTES + 1)
    except (OSError, ValueError) as error:
        raise BadRequest(f"{path} cannot be read: {getattr(error, 'strerror', None) or error}") from None
    if len(content) > MOST_BYTES:
        raise BadRequest(f"{path} is too long; plays may have {MOST_BYTES:,} bytes at most")
    return content


def csv_rows(path: Path) -> tuple[list[str], list[list[str]]]:
    """The heads and cells of a CSV file.

    Raises:
        BadRequest: it cannot be read.
    """
    try:
        text = _content(path).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadRequest(f"{path} is no text in UTF-8") from None
    head = text.split("\n", 1)[0]
    separator = max(",;\t", key=head.count)
    try:
        reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
        table = list(islice((row for row in reader if any(map(str.strip, row))), MOST_PLAYS + 2))
    except csv.Error as error:
        raise BadRequest(f"{path} is no CSV table: {error}") from None
    if not table:
        raise BadRequest(f"{path} is empty; its first line names the columns (result, time, …)")
    heads = [unguarded(head.strip()) for head in table[0]]
    _check_size(path, len(table) - 1, len(heads))
    for number, row in enumerate(table[1:], 2):
        if len(row) != len(heads):
            raise BadRequest(
                f"{path}, row {number}: has {_counted(len(row), 'cell')}; the first line names "
                f"{_counted(len(heads), 'column')}"
            )
    comma = separator != ","
    return heads, [[_cell(cell, comma=comma) for cell in row] for row in table[1:]]


def _counted(count: int, what: str) -> str:
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def _cell(text: str, *, comma: bool) -> str:
    """A cell without what stands around it; a number with a comma where commas do not part cells."""
    text = unguarded(text.strip())
    return text.replace(",", ".") if comma and re.fullmatch(r"[-+−]?\d+,\d+", text) else text.replace("−", "-")


def _parquet_rows(path: Path) -> tuple[list[str], list[list[Any]]]:
    try:
        from pyarrow import parquet
    except ImportError:
        raise BadRequest("Parquet needs pyarrow: pip install 'mint-ledger[parquet]'") from None
    content = _content(path)
    try:
        file = parquet.ParquetFile(io.BytesIO(content))
        size = file.metadata.num_rows, file.metadata.num_columns
        # How much comes out of it is asked before it does.
        table = file.read().to_pandas() if size[0] <= MOST_PLAYS and size[1] <= MOST_COLUMNS else None
    except Exception:
        # A damaged file can fail in any way that its reader knows.
        raise BadRequest(f"{path} is no Parquet table, or it is damaged") from None
    _check_size(path, *size)
    assert table is not None
    plain = table.astype(object).where(table.notna(), None)
    return [str(head) for head in table.columns], plain.to_numpy().tolist()


def _check_size(path: Path, rows: int, columns: int) -> None:
    if rows > MOST_PLAYS or columns > MOST_COLUMNS:
        raise BadRequest(f"{path}: {MOST_PLAYS:,} plays of {MOST_COLUMNS} columns are the most")


def _read_told(game: PlayableGame, path: Path, columns: Mapping[str, str]) -> Told:
    """What was told of many plays together: `plays: 60`, `win: 41 of 60`, `median(time): 190`, `mean(left): 5 ± 0.4`.

    Behind ± stands half of a 95 % interval.
    """
    told = read_source(path).data
    plays, shares, quantiles, means = 0, {}, {}, {}
    endings = {ending.result for ending in game.lowered.program.endings} | {"unfinished"}
    for key, value in told.items():
        place = f"{path}: {key}"
        if key == "plays":
            plays = _count(place, value)
        elif (result := str(key).removeprefix("rate(").removesuffix(")")) in RESULTS:
            match = _OF.fullmatch(str(value))
            if not match or result not in endings:
                raise BadRequest(f"{place} wants 'so many of so many' of a result that the game has, like 41 of 60")
            count, whole = (_count(place, part.replace(",", "")) for part in match.groups())
            if not 0 <= count <= whole or not whole:
                raise BadRequest(f"{place}: {count} of {whole} cannot be")
            shares[result], plays = (float(count), whole), max(plays, whole)
        elif str(key).startswith("mean(") and str(key).endswith(")"):
            match = _ABOUT.fullmatch(str(value))
            parts = match.groups() if match else (value,)
            numbers = [_told_number(place, part) for part in parts]
            means[str(key)[5:-1]] = (numbers[0], numbers[1] if len(numbers) > 1 else None)
        else:
            try:
                measure, q = quantile_of(str(key))
            except BadRequest:
                raise BadRequest(
                    f"{place} is nothing that is told of plays; there are plays, {', '.join(RESULTS)}, mean(…), "
                    "median(…), quantile(…, 0.9)"
                ) from None
            quantiles[measure, q] = _told_number(place, value)
    if not plays:
        raise BadRequest(f"{path} wants 'plays:' to say how many there were")
    names = [name for name in dict.fromkeys([*means, *(name for name, _ in quantiles)]) if name != "time"]
    measures = _measures(game, str(path), names, columns)
    return Told(str(path), plays, shares, quantiles, means, measures)


def _count(place: str, value: Any) -> int:
    try:
        number = int(value)
    except (TypeError, ValueError):
        number = -1
    if not 0 <= number <= 10**9 or isinstance(value, bool):
        raise BadRequest(f"{place} wants a whole number, not {value}")
    return number


def _told_number(place: str, value: Any) -> float:
    try:
        number = number_of(value) if isinstance(value, str) else float(value)
    except (TypeError, ValueError):
        number = math.nan
    if not math.isfinite(number) or isinstance(value, bool):
        raise BadRequest(f"{place} wants a number, not {value}")
    return number
