"""What moved between two looks at a game: dials, wins, targets that changed sides, playtests, findings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from mint_ledger.audit.finding import Finding
from mint_ledger.balance.comparison import Difference, compare_studies
from mint_ledger.balance.shares import Shares, share_out
from mint_ledger.balance.targets import Judged
from mint_ledger.errors import MintError
from mint_ledger.game.dial_value import Value
from mint_ledger.game.differing import file_changes
from mint_ledger.playing.playtests import PlaytestResult
from mint_ledger.playing.setting import Setting
from mint_ledger.watching.look import GameSummary, Way

# Why wins moved is told of so many ways of playing, from so many runs, and of so many changes.
MOST_SHARED = 2
SHARED_RUNS = 1_000
MOST_CHANGES = 5


@dataclass(frozen=True, slots=True)
class MovedEstimate:
    """One estimate of one way of playing, before and after, with the paired difference."""

    way: Way
    difference: Difference


@dataclass(frozen=True)
class Change:
    """What moved.

    Attributes:
        dials: names of dials with both values, those of variants with the variant; none where a game has no such dial.
        only_numbers: whether the files differ in nothing but dials.
        moved: wins, and the means of the time and of what targets measure where they differ for certain.
        targets: those that changed sides: as they were judged before (none if new), and now.
        playtests: those that pass now and did not, or the reverse.
        shares: where several changes moved wins, which of them did by how much.
    """

    dials: tuple[tuple[str, Value | None, Value | None], ...]
    only_numbers: bool
    moved: tuple[MovedEstimate, ...]
    targets: tuple[tuple[Judged | None, Judged], ...]
    playtests: tuple[PlaytestResult, ...]
    new: tuple[Finding, ...]
    gone: tuple[Finding, ...]
    shares: tuple[tuple[Way, Shares], ...] = ()


def change_between(before: GameSummary, after: GameSummary) -> Change:
    """Return what moved from one look to the next; their studies have the same seed and runs."""
    moved: list[MovedEstimate] = []
    for way, study in after.studies.items():
        if way in before.studies:
            for difference in compare_studies(before.studies[way], study).differences:
                if difference.name == "wins" or (difference.is_certain and difference.name != "losses"):
                    moved.append(MovedEstimate(way, difference))
    sides = {_target_key(one): one for one in before.judged}
    targets = []
    for one in after.judged:
        old = sides.get(_target_key(one))
        if old is None or old.verdict != one.verdict:
            targets.append((old, one))
    passed = {result.name: result.passed for result in before.playtests}
    playtests = [result for result in after.playtests if passed.get(result.name, True) != result.passed]
    old_keys, new_keys = ({_finding_key(f) for f in look.findings} for look in (before, after))
    dials = _dials(before, after)
    return Change(
        dials=dials,
        only_numbers=bool(dials) and _without_dials(before) == _without_dials(after),
        moved=tuple(moved),
        targets=tuple(targets),
        playtests=tuple(playtests),
        new=tuple(f for f in after.findings if _finding_key(f) not in old_keys),
        gone=tuple(f for f in before.findings if _finding_key(f) not in new_keys),
        shares=tuple(_shares(before, after, moved)),
    )


def _shares(before: GameSummary, after: GameSummary, moved: list[MovedEstimate]) -> Iterator[tuple[Way, Shares]]:
    """Which changes moved wins, in the first ways of playing in which they did; none where one change did it all."""
    changes = file_changes(before.game.source.data, after.game.source.data).changes
    if not 2 <= len(changes) <= MOST_CHANGES:
        return
    ways = [one.way for one in moved if one.difference.name == "wins" and one.difference.is_certain]
    for way in ways[:MOST_SHARED]:
        study = after.studies[way]
        setting = Setting(study.seed, *way, sure=study.sure)
        try:
            yield way, share_out(before.game, after.game, runs=min(study.runs, SHARED_RUNS), setting=setting)
        except MintError:
            # What cannot be played between the two is no fault of either.
            return


def _target_key(result: Judged) -> tuple[str, str | None]:
    return result.target.name, result.habit


def _finding_key(finding: Finding) -> tuple[str, str]:
    return finding.check.name, finding.caught.what


def _dials(before: GameSummary, after: GameSummary) -> tuple[tuple[str, Value | None, Value | None], ...]:
    sides: list[dict[str, Value]] = [
        {name: look.game.dials.shown(name) for name in look.game.dials.names} for look in (before, after)
    ]
    for side, look in zip(sides, (before, after), strict=True):
        for variant, values in look.game.variants.items():
            side |= {f"{name} ({variant})": value for name, value in values.items()}
    names = dict.fromkeys([*sides[0], *sides[1]])
    return tuple((n, sides[0].get(n), sides[1].get(n)) for n in names if sides[0].get(n) != sides[1].get(n))


def _without_dials(look: GameSummary) -> object:
    program = look.game.lowered.program
    return program.layout, program.procedures
