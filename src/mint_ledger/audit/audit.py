"""An audit: all checks on one game, and which findings its file accepts."""

from __future__ import annotations

import math
import shlex
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.audit import (
    conditions,
    contact,
    counting,
    fairness,
    idle,
    levels,
    limits,
    opening,
    order,
    playing,
    repeats,
    unsaid,
    whose,
)
from mint_ledger.audit.chance import Chances
from mint_ledger.audit.finding import Caught, Check, Finding, Grade
from mint_ledger.audit.plays import AuditRuns, play_all
from mint_ledger.audit.subject import Subject
from mint_ledger.errors import BadRequest, Fault, GameError, NotFound, nearest
from mint_ledger.game.paths import path_name
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.own import CHECKS as OWN_CHECKS
from mint_ledger.own import Own, own_parts
from mint_ledger.own import told as told_of
from mint_ledger.plain import finite, labeled_table
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress


def _found_by_the_audit(_: Subject) -> Iterator[Caught]:
    """What the file accepts and nothing finds is known once all else has been looked for."""
    return iter(())


UNUSED = Check(
    "C314",
    "allow-accepts-nothing",
    "conditions",
    "An 'allow' that accepts nothing",
    "The file accepts a finding that is not found (any more): it was fixed, or its name has changed.",
    "Take the entry away, or write the name as the finding has it.",
    _found_by_the_audit,
    plays=True,
)
CHECKS: tuple[Check, ...] = (
    *limits.CHECKS,
    *contact.CHECKS,
    *repeats.CHECKS,
    *conditions.CHECKS,
    *opening.CHECKS,
    *order.CHECKS,
    *levels.CHECKS,
    *fairness.CHECKS,
    *counting.CHECKS,
    *idle.CHECKS,
    *whose.CHECKS,
    *unsaid.CHECKS,
    *playing.CHECKS,
    UNUSED,
)
OWN_CODE = "X"


def _is_check(own: Own) -> bool:
    """Whether a package adds a check that can be told from ours: its code begins with X, and its name is its own."""
    check = own.thing
    return (
        isinstance(check, Check)
        and check.code.startswith(OWN_CODE)
        and check.name not in {known.name for known in CHECKS}
    )


@cache
def all_checks() -> tuple[Check, ...]:
    """Our checks, and those that installed packages add."""
    own = {own.thing.code: replace(own.thing, package=own.package) for own in own_parts(OWN_CHECKS) if _is_check(own)}
    return (*CHECKS, *own.values())


if TYPE_CHECKING:
    import pandas as pd

MOST_RUNS = 100_000
QUICK_RUNS = 10
GRADES: tuple[Grade, ...] = ("wrong", "maybe", "note")


@dataclass(frozen=True, repr=False)
class Audit(Result):
    """What an audit found.

    Attributes:
        title: the game.
        file: its file.
        findings: what is wrong, what may be, notes, each in the order of the checks; then what the file accepts.
        checks: how many checks were made.
        runs: how many runs were played for it; 0 where it only looked at the file.
        silences: what checks by chance that found nothing would have seen.
        unlooked: what there was no time for, or was left out.
    """

    title: str
    file: str
    findings: tuple[Finding, ...]
    checks: int
    runs: int
    silences: tuple[str, ...] = ()
    unlooked: tuple[str, ...] = ()

    @property
    def open(self) -> tuple[Finding, ...]:
        """Return what is wrong or may be, and the file does not accept; without notes."""
        return tuple(finding for finding in self.findings if not finding.accepted and finding.grade != "note")

    @property
    def wrong(self) -> tuple[Finding, ...]:
        """Return what is wrong, by a play or a proof, and the file does not accept."""
        return tuple(finding for finding in self.open if finding.grade == "wrong")

    @property
    def notes(self) -> tuple[Finding, ...]:
        """Return what is only worth knowing."""
        return tuple(finding for finding in self.findings if not finding.accepted and finding.grade == "note")

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a finding, the evidence in one cell."""
        import pandas as pd

        columns = ["code", "name", "grade", "where", "file", "line", "column", "what", "evidence", "command"]
        rows = [finding.as_json() for finding in self.findings]
        return pd.DataFrame(
            [{**row, "evidence": "\n".join(row["evidence"])} for row in rows], columns=[*columns, "fix", "accepted"]
        )

    @finite
    def as_json(self) -> dict[str, Any]:
        """The audit as plain values."""
        return {
            "title": self.title,
            "file": self.file,
            "checks": self.checks,
            "runs": self.runs,
            "silences": list(self.silences),
            "unlooked": list(self.unlooked),
            "findings": [finding.as_json() for finding in self.findings],
        }

    def as_sarif(self) -> dict[str, Any]:
        """The audit as a SARIF 2.1.0 log (OASIS standard), as plain values."""
        log: dict[str, Any] = showing.view("sarif.sarif_log")(self)
        return log

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self, *, notes: bool = False) -> str:
        """The findings as text; notes are counted, or listed as well."""
        return showing.text("audit_text.audit_text", self, notes)

    def __str__(self) -> str:
        return self.summary()


def make_audit(
    game: PlayableGame,
    *,
    runs: int = 0,
    seed: int = 1,
    only: Sequence[str] = (),
    quick: bool = False,
    players: bool = False,
    seconds: float = math.inf,
    progress: Progress | None = None,
    found: Callable[[Finding], None] | None = None,
) -> Audit:
    """Look for the usual mistakes of a game: first in the file, then in plays, then in plays of something changed.

    Args:
        game: the game.
        runs: how many runs of each habit and variant are played; 0 to look at the file alone.
        seed: the seed of these runs.
        only: names or codes of checks; all by default.
        quick: play few runs, and leave out the checks that play something changed, unless they are named.
        players: search for the best habit too, and say what it shows of the actions; without it only where named.
        seconds: begin no further check, and no further runs of a habit, after so long.
        progress: is told how many runs are done, and how many there are to be.
        found: is told each finding as it is found.

    Raises:
        NotFound: there is no check of such a name.
        BadRequest: the number of runs, or the seconds, make no sense.
        GameError: the file accepts what no check finds.
    """
    if isinstance(runs, bool) or not isinstance(runs, int) or not 0 <= runs <= MOST_RUNS:
        raise BadRequest(f"an audit plays 0 to {MOST_RUNS:,} runs of each habit and variant, not {runs!r}")
    if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not seconds > 0.0:
        raise BadRequest(f"an audit may take some seconds, more than 0, not {seconds!r}")
    _check_allowed(game)
    ends = time.monotonic() + seconds
    runs = min(runs, QUICK_RUNS) if quick else runs
    chosen = [check for check in _chosen(only) if (runs or not check.plays) and (only or players or not check.searches)]
    # What the file accepts without need is known once everything else has been looked for.
    asked = chosen
    if UNUSED in chosen:
        asked = [check for check in all_checks() if (runs or not check.plays) and (players or not check.searches)]
    findings: list[Finding] = []
    unlooked = [
        f"{own.name} (of the package {own.package}: {own.fault or 'no check, or not told apart from another'})"
        for own in own_parts(OWN_CHECKS)
        if not only and not _is_check(own)
    ]
    played = 0

    def play() -> AuditRuns:
        nonlocal played
        plays = play_all(game, runs, seed, progress, ends, quick=quick)
        played = len(plays.runs)
        unlooked.extend([plays.unplayed] if plays.unplayed else [])
        return plays

    subject = Subject(game, play if runs else None, max(runs, 200), seed)
    for check in sorted(asked, key=_cost):
        if (quick and check.tries and not only) or (time.monotonic() > ends and check.plays):
            unlooked.append(check.name)
            continue
        if check.plays:
            subject.play_now()
        try:
            told = [*check.find(subject)]
        except Exception as error:
            if check.package is None:
                raise
            unlooked.append(f"{check.name} (the package {check.package} failed: {told_of(error)})")
            continue
        for caught in _once_a_place(told):
            findings.append(_finding(game, check, caught))
            if found is not None and check in chosen and caught.chance is None:
                found(findings[-1])
    findings = _standing(subject.chances, findings)
    if found is not None:
        for finding in findings:
            if finding.caught.chance is not None and finding.check in chosen:
                found(finding)
    if UNUSED in chosen and not unlooked:
        findings = [*(f for f in findings if f.check in chosen), *_unused(game, findings, asked)]
    order = {check.code: number for number, check in enumerate(all_checks())}
    findings.sort(key=lambda f: (bool(f.accepted), GRADES.index(f.grade), order[f.check.code]))
    silences = tuple(subject.chances.silences([finding.caught.where for finding in findings]))
    file = str(game.source.file)
    looked = [check for check in chosen if not any(text.split(" (")[0] == check.name for text in unlooked)]
    return Audit(game.title, file, tuple(findings), len(looked), played, silences, tuple(unlooked))


def _standing(chances: Chances, findings: Sequence[Finding]) -> list[Finding]:
    """Findings without those that chance may well have made, as there were so many tests."""
    by_chance = [finding for finding in findings if finding.caught.chance is not None]
    stands = chances.stands([finding.caught.chance or 0.0 for finding in by_chance])
    dropped = [id(finding) for finding, stand in zip(by_chance, stands, strict=True) if not stand]
    return [finding for finding in findings if id(finding) not in dropped]


def _cost(check: Check) -> int:
    """The cheapest first: a look at the file, at the plays, at plays of something changed."""
    return check.plays + check.tries


def _unused(game: PlayableGame, findings: Sequence[Finding], asked: Sequence[Check]) -> Iterator[Finding]:
    """The entries of `allow` that accept none of the findings, among the checks that were made."""
    made = {name for check in asked for name in (check.name, check.code)}
    for index, allowed in enumerate(game.allow):
        if allowed.finding not in made:
            continue
        named = [f for f in findings if allowed.finding in (f.check.name, f.check.code)]
        if not any(allowed.at is None or allowed.at == finding.caught.where for finding in named):
            where = f" at {allowed.at}" if allowed.at is not None else ""
            what = f"The file accepts '{allowed.finding}'{where}, and nothing of the kind was found."
            yield _finding(game, UNUSED, Caught(("allow", index), allowed.finding, what))


def _once_a_place(caught: Sequence[Caught]) -> list[Caught]:
    """Those of one stat once: kinds that are like the one under which it stands have the same mistake."""
    kept: dict[object, Caught] = {}
    others: dict[object, list[str]] = {}
    for number, one in enumerate(caught):
        is_of_a_stat = one.path[:1] == ("kinds",) and one.path[2:3] == ("stats",)
        key: object = one.path if is_of_a_stat else number
        if key in kept:
            others.setdefault(key, []).append(one.where)
        else:
            kept[key] = one
    for key, names in others.items():
        more = f"the same of {', '.join(names[:4])}" + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        kept[key] = replace(kept[key], evidence=(*kept[key].evidence, more))
    return list(kept.values())


def check_of(name: str) -> Check:
    """The check of a name or code.

    Raises:
        NotFound: there is none.
    """
    return next(_chosen([name]))


def _chosen(only: Sequence[str]) -> Iterator[Check]:
    known = {name for check in all_checks() for name in (check.name, check.code)}
    for name in only:
        if name not in known:
            raise NotFound(f"there is no check '{name}'{nearest(name, known)}")
    return (check for check in all_checks() if not only or {check.name, check.code} & set(only))


def _check_allowed(game: PlayableGame) -> None:
    """Refuse to accept what no check finds, which is a slip of the pen."""
    known = {name for check in all_checks() for name in (check.name, check.code)}
    faults = []
    for index, allowed in enumerate(game.allow):
        if allowed.finding not in known:
            path = ("allow", index, "finding")
            message = f"there is no finding '{allowed.finding}'{nearest(allowed.finding, known)}"
            faults.append(Fault(game.source.place(path), path_name(path, game.source.data), message))
    if faults:
        raise GameError(faults)


def _finding(game: PlayableGame, check: Check, caught: Caught) -> Finding:
    accepted = next(
        (
            allowed.because
            for allowed in game.allow
            if allowed.finding in (check.name, check.code) and (allowed.at is None or allowed.at == caught.where)
        ),
        "",
    )
    # What was set before the audit is set where it is shown, too.
    turned = "".join(f" --set {shlex.quote(f'{dial}={value}')}" for dial, value in game.changes())
    command = f"mint-ledger run {game.source.file}{turned} {caught.replay}" if caught.replay else ""
    return Finding(check, caught, game.source.place(caught.path), command, accepted)
