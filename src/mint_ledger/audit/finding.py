"""What an audit finds: a check is one usual mistake, a finding is that mistake at one place of a game."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from mint_ledger.errors import Place
from mint_ledger.plain import finite
from mint_ledger.program.handle import Path

if TYPE_CHECKING:
    from mint_ledger.audit.subject import Subject

Grade = Literal["wrong", "maybe", "note"]
"""How sure it is that something is to be fixed: a play or a proof shows it, it often is, or it is worth knowing."""
Group = Literal["limits", "contact and time", "conditions", "order", "fairness and flow", "own"]


@dataclass(frozen=True, slots=True)
class Caught:
    """What a check gives: where, what will happen in the game, and what shows it.

    `where` is what the mistake is about, in the words of the file (`keeper.health`, a rule's name); `replay` are the
    options of `mint-ledger run` that show it; `grade` is another than that of the check. `chance` is how likely such
    runs are were there nothing, where that is how it was found: it stands if it does among all tests of the audit.
    """

    path: Path
    where: str
    what: str
    evidence: tuple[str, ...] = ()
    replay: str = ""
    grade: Grade | None = None
    chance: float | None = None


@dataclass(frozen=True, slots=True)
class Check:
    """One usual mistake.

    `means` says what it does to a game, `fix` what to do about it; `plays` says whether it wants the game to be
    played, `tries` whether it plays further runs of its own, of something changed, and `searches` whether it searches
    for the best habit, which takes long: it is made only where that is asked. `package` is the package that adds it, if
    it is none of ours; its code begins with X.
    """

    code: str
    name: str
    group: Group
    title: str
    means: str
    fix: str
    find: Callable[[Subject], Iterator[Caught]]
    plays: bool = False
    grade: Grade = "maybe"
    tries: bool = False
    searches: bool = False
    package: str | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """A usual mistake at one place of a game; `accepted` is the reason why the file allows it."""

    check: Check
    caught: Caught
    place: Place
    command: str = ""
    accepted: str = ""

    @property
    def grade(self) -> Grade:
        """Return how sure it is that this is to be fixed."""
        return self.caught.grade or self.check.grade

    @finite
    def as_json(self) -> dict[str, Any]:
        """The finding as plain values."""
        return {
            "code": self.check.code,
            "name": self.check.name,
            "grade": self.grade,
            "where": self.caught.where,
            "file": self.place.file,
            "line": self.place.line,
            "column": self.place.column,
            "what": self.caught.what,
            "evidence": list(self.caught.evidence),
            "command": self.command,
            "fix": self.check.fix,
            "accepted": self.accepted,
        }
