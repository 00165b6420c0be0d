"""The words of the books: every number and row of a journal is worded here and nowhere else."""

from __future__ import annotations

import math
from collections.abc import Sequence

from mint_ledger.game.stat import Stat
from mint_ledger.program.program import Program
from mint_ledger.program.row import MAX_VALUES, WHATS, Row

MINUS = "−"


def number(value: float, digits: int = 2) -> str:
    """A number for people: at most so many decimals, no trailing zeros, a real minus."""
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return "∞" if value > 0 else MINUS + "∞"
    if abs(value) >= 1e9:
        return f"{value:.3g}".replace("-", MINUS)
    text = f"{value:.{digits}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    if text in ("-0", "0") and value != 0.0 and digits < 6:
        text = f"{value:.1g}" if abs(value) >= 1e-6 else "0"
    return text.replace("-", MINUS) if text != "-0" else "0"


def signed(value: float, digits: int = 2) -> str:
    """A change for people, always with its sign."""
    text = number(value, digits)
    return text if text.startswith(MINUS) or text == "0" else "+" + text


def decimals(values: Sequence[float], most: int = 3) -> int:
    """The fewest decimals with which all of the values are told without loss, `most` at the most."""
    for digits in range(most):
        if all(abs(value - round(value, digits)) < 1e-9 * max(1.0, abs(value)) for value in values):
            return digits
    return most


def shown(value: float | bool | str, digits: int = 6) -> str:
    """Return what a dial is set to: a number, yes or no, a word."""
    if isinstance(value, str):
        return value
    return ("yes" if value else "no") if isinstance(value, bool) else number(value, digits)


class Words:
    """Words the numbers of one program's rows."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self.stats = [account.stat for account in program.accounts]
        self._names: dict[float, str] = {}

    def time(self, step: float) -> str:
        """A step as a time: seconds with the decimals that steps need, or a turn."""
        clock = self.program.clock
        if clock.unit == "turn":
            return f"turn {step:.0f}"
        return f"{self.seconds(step):.{self.time_digits()}f}"

    def time_digits(self) -> int:
        """Decimals of a time."""
        return 2 if self.program.clock.step >= 0.01 else 3

    def seconds(self, step: float) -> float:
        """A step as a number of seconds or turns."""
        clock = self.program.clock
        return step / clock.steps_per_second if clock.is_whole else step * clock.step

    def entity(self, entity: float) -> str:
        """The name of an entity; empty for the game itself."""
        if entity <= 0:
            return ""
        if entity not in self._names:
            self._names[entity] = self.program.cast.entity_name(int(entity))
        return self._names[entity]

    def stat(self, stat: float) -> str:
        """The name of a stat."""
        return self.stats[int(stat)] if stat >= 0 else ""

    def account(self, entity: float, stat: float) -> str:
        """The name of an account: `keeper.health`, `ships`."""
        owner = self.entity(entity)
        return f"{owner}.{self.stat(stat)}" if owner else self.stat(stat)

    def cause(self, cause: float) -> str:
        """Return what people call a cause."""
        return self.program.cause_labels[int(cause)] if cause >= 0 else ""

    def model(self, entity: float, stat: float) -> Stat | None:
        """The stat as the file has it."""
        member = self.program.cast.member_of(int(entity))
        name = self.stat(stat)
        return member.kind.stats.get(name) if member else self.world_stats.get(name)

    @property
    def world_stats(self) -> dict[str, Stat]:
        """The stats of the whole game."""
        return dict(self.program.world_stats)

    def value(self, entity: float, stat: float, value: float, digits: int = 2) -> str:
        """A value of an account: a number, yes or no, or a word."""
        model = self.model(entity, stat)
        if model is not None and model.value_type == "flag":
            return "yes" if value else "no"
        if model is not None and model.value_type == "word":
            return self.word(value)
        return number(value, digits)

    def word(self, value: float) -> str:
        """A word by its number."""
        index = int(value)
        return self.program.words[index] if 0 <= index < len(self.program.words) else number(value)

    def typed(self, value: float, kind: str) -> str:
        """A value of a formula, by its type."""
        if kind == "flag":
            return "yes" if value else "no"
        if kind == "word":
            return self.word(value)
        if kind == "entity":
            return self.entity(value) or "nobody"
        return number(value)

    def reason(self, row: Row) -> str:
        """Why something was refused or called off."""
        return self._plain(row)

    def text(self, row: Row) -> str:
        """Return what a row says, without its time."""
        what = WHATS[int(row.what)]
        who, by, cause = self.entity(row.entity), self.entity(row.by), self.cause(row.cause)
        match what:
            case "posting":
                return self._posting(row)
            case "hit":
                return f"{by} hits {who} with {cause}: {self.stages(row)}"
            case "miss":
                return f"{by} strikes at {who} with {cause} and misses"
            case "dodge":
                return f"{by} strikes at {who} with {cause} and it is dodged"
            case "blocked":
                return f"{by} cannot strike {who or 'anyone'} with {cause}: {self._plain(row)}"
            case "refused":
                return self._refused(row, who, by, cause)
            case "gone":
                doer = f", by {by}" if by and by != who else ""
                return f"{who} is gone ({cause}{doer})"
            case "spawn":
                return f"{who} appears" + (f", made by {by}" if by else "")
            case "cue":
                values = ", ".join(number(v) for v in row.values)
                giver = f"{by} gives " if by else ""
                return f"{giver}cue {cause}" + (f" ({values})" if values else "")
            case "dropped":
                return f"{cause} is dropped: {who or by} has left"
            case "tell":
                return self._told(row)
            case "turn":
                return f"it is {who}'s turn"
            case "lot":
                return f"{who} draws {cause}" if who else f"{cause} is drawn"
            case "contact":
                return f"{who} and {by} meet"
            case "status":
                return self._status(row, who, cause)
            case "act":
                does, _, to = self._plain(row).partition(" ")
                return f"{who} {does} {cause} to {self.entity(row.values[-1])}" if to else f"{who} {does} {cause}"
            case "called off":
                why = f": {self._plain(row)}" if row.text >= 0 else ""
                return f"{who} is called off from {cause}{why}"
            case "slip":
                return f"{who} slips with {cause}"
            case "level":
                return f"level {cause}"
            case "ending":
                winner = f", {who} wins" if who else ""
                return f"the end: {cause}{winner}"
        return what

    def _status(self, row: Row, who: str, cause: str) -> str:
        what = self._plain(row)
        if not row.values:
            return f"{who}: {cause} {what}"
        length, count = row.values[:2]
        times = f" (×{number(count)})" if count > 1 else ""
        unit = "turns" if self.program.clock.unit == "turn" else "s"
        lasting = f" for {number(length)} {unit}" if length < 1e17 else ""
        return f"{who}: {cause} {what}{times}{lasting}"

    def _posting(self, row: Row) -> str:
        before = self.value(row.entity, row.stat, row.before)
        after = self.value(row.entity, row.stat, row.after)
        model = self.model(row.entity, row.stat)
        if row.after == row.before and row.cause >= 0 and self.program.causes[int(row.cause)].sort == "spawn":
            return f"{self.account(row.entity, row.stat)} opens at {after}"
        waste = f", {number(abs(row.waste))} wasted" if row.waste else ""
        amount = f"({signed(row.after - row.before)}{waste}) "
        change = amount if model is None or model.value_type == "number" else ""
        by = self.entity(row.by)
        doer = f" by {by}" if by else ""
        return f"{self.account(row.entity, row.stat)} {before} → {after} {change}{self.cause(row.cause)}{doer}"

    def _plain(self, row: Row) -> str:
        return "".join(self.program.texts[int(row.text)]) if row.text >= 0 else ""

    def _refused(self, row: Row, who: str, by: str, cause: str) -> str:
        if row.stat >= 0:
            return f"{self.account(row.entity, row.stat)} is left alone by {cause}: {who} is not there"
        if row.cause >= 0 and self.program.causes[int(row.cause)].sort == "status":
            return f"{who} is not given {cause}: {self._plain(row)}"
        if cause == "spawn":
            member = self.program.cast.member_of(int(row.entity))
            many = int(row.values[0]) if self._plain(row) != "no room" else 1
            return f"no room for {'one' if many == 1 else f'{many:,}'} more {member.name if member else who}"
        return f"{by or who} cannot use {cause}: {self._plain(row)}"

    def _told(self, row: Row) -> str:
        pieces = self.program.texts[int(row.text)]
        values = iter(row.values)
        return "".join(self.typed(next(values), piece[1:]) if piece.startswith("\x00") else piece for piece in pieces)

    def stages(self, row: Row, *, layers: bool = True) -> str:
        """The stages of a hit: `rolled 14 · ×2 crit · −2 armor · −25 % → 19.5 · shutters took 12, health 7.5`.

        Damage that is not left to chance is not rolled: `10 damage`, `damage 14 · −2 armor → 12`.
        """
        rolled, times, extra, armor, resisted, dealt, *taken = row.values[:MAX_VALUES]
        if rolled == 0.0:
            return "a hit without damage"
        parts = [number(rolled)]
        if times != 1.0:
            parts.append(f"×{number(times)} crit")
        if extra != 1.0:
            parts.append(f"×{number(extra)} from behind")
        if armor:
            parts.append(f"{MINUS}{number(armor)} armor")
        if resisted:
            kind = self.program.causes[int(row.cause)].damage_type or "resisted"
            parts.append(f"{signed(-100 * resisted)} % {kind}")
        alone = len(parts) == 1 and dealt == rolled
        drawn = int(row.cause) in self.program.drawn_damage
        parts[0] = f"rolled {parts[0]}" if drawn else f"{parts[0]} damage" if alone else f"damage {parts[0]}"
        stages = " · ".join(parts) + ("" if alone else f" → {number(dealt)}")
        names = self.program.texts[int(row.text)]
        took = [f"{name} took {number(t)}" for name, t in zip(names, taken, strict=False) if t]
        if layers and len(names) > 1 and took:
            stages += " · " + ", ".join([took[0], *(part.replace(" took", "") for part in took[1:])])
        return stages
