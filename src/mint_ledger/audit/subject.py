"""What checks look at: the game, what is known of its file, its opening, and the runs that were played."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

from mint_ledger.audit.chance import Chances
from mint_ledger.audit.facts import Facts, look_at
from mint_ledger.audit.plays import AuditRuns
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import RunStopped
from mint_ledger.formula import Formula
from mint_ledger.lowering.additions import Additions
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.lowering.sites import FormulaSite

T = TypeVar("T")


@dataclass(frozen=True)
class Subject:
    """A game under audit; `runs` is how many runs a check may play of what it tries, with `seed`.

    `play` plays it, once, as the first check wants that; it is None where the file alone is looked at.

    `chances` keeps the tests that chance could pass.
    """

    game: PlayableGame
    play: Callable[[], AuditRuns] | None = None
    runs: int = 200
    seed: int = 1
    chances: Chances = field(default_factory=Chances)
    _looks: dict[Any, Any] = field(default_factory=dict, repr=False)

    @cached_property
    def facts(self) -> Facts:
        """Return what is known of the file."""
        return look_at(self.game)

    @cached_property
    def plays(self) -> AuditRuns:
        """The runs that were played; only checks that want them may ask."""
        assert self.play is not None
        return self.play()

    def once(self, look: Callable[[Subject], T]) -> T:
        """Return what a look at the plays gives that several checks ask for."""
        if look not in self._looks:
            self._looks[look] = look(self)
        return self._looks[look]  # type: ignore[no-any-return]

    def play_now(self) -> None:
        """Play the game, if nothing has wanted that yet."""
        _ = self.plays

    @property
    def step(self) -> float:
        """The length of a step, in seconds or turns."""
        return self.game.clock.step

    @property
    def unit(self) -> str:
        """Return what times are told in."""
        return "turns" if self.game.clock.unit == "turn" else "s"

    @cached_property
    def _additions(self) -> Additions:
        return Additions(self.game)

    @cached_property
    def opening(self) -> ReferenceEngine:
        """The game as it opens, before any step."""
        engine = ReferenceEngine(self._additions.program, journal=False)
        engine.open()
        return engine

    def holds_over(self, site: FormulaSite, owner: str, stat: str, values: Sequence[float]) -> list[bool] | None:
        """Return whether a condition holds for the first of a kind, with each of some values of one of its own stats.

        All else is as the game opens. None where it cannot be asked so.
        """
        rule = self.facts.rule_at(site.path)
        procedure = self._additions.question(site.formula, owner, rule.lets if rule is not None else ())
        program, entity = self._additions.program, self.facts.cast.members[owner].first if owner else 0
        if procedure is None or stat not in program.account_index:
            return None
        account = program.accounts[program.account_index[stat]]
        place = account.column.offset + (entity if account.spec(entity) is not None else 0)
        if account.spec(entity) is None and account.spec(0) is None:
            return None
        engine = self.opening
        engine.grow(program)
        before, answers = engine.state[place], []
        try:
            for value in values:
                engine.state[place] = value
                answers.append(engine.ask(procedure, float(entity)) != 0.0)
        except RunStopped:
            return None
        finally:
            engine.state[place] = before
        return answers

    def holds_at_opening(self, formula: Formula, owner: str) -> bool:
        """Whether a condition holds as the game opens, for any entity of a kind that is there (or for the world)."""
        procedure = self._additions.question(formula, owner)
        if procedure is None:
            return False
        engine = self.opening
        engine.grow(self._additions.program)
        return any(engine.ask(procedure, float(entity)) != 0.0 for entity in self.there(owner))

    def opened_with(self, owner: str, stat: str) -> list[float]:
        """Return what the accounts of a stat open with, of all of a kind."""
        program = self.opening.program
        account = program.accounts[program.account_index[stat]]
        entities = self.facts.cast.members[owner].entities if owner else [0]
        return [self.opening.state[account.column.offset + entity] for entity in entities]

    def there(self, owner: str) -> list[int]:
        """The entities of a kind that are there as the game opens; the world is always there."""
        present = self.opening.program.columns.present.offset
        entities = self.facts.cast.members[owner].entities if owner else [0]
        return [entity for entity in entities if not owner or self.opening.state[present + entity] != 0.0]
