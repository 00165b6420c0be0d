"""A text of a game file looked at: what is wrong with it, the game that it is, or that it last was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

from mint_ledger.audit.audit import make_audit
from mint_ledger.audit.facts import Facts
from mint_ledger.audit.finding import Finding
from mint_ledger.errors import Fault, GameError, MintError
from mint_ledger.game.cast import Cast, CastError, make_cast
from mint_ledger.game.source import Source, parse_source
from mint_ledger.game.table_files import with_files
from mint_ledger.lowering.playable import PlayableGame, draft_of
from mint_ledger.lowering.sites import Seen, Sites
from mint_ledger.program.handle import Path


@dataclass(frozen=True)
class Analysis:
    """What is known of a text.

    Attributes:
        source: its content; where it is no YAML just now, that of the text before.
        faults: what is wrong.
        game: the game as it could last be read; parts that were faulty then are missing in it.
        played: the game as it could last be played.
        sites: what stands at its places, as far as it could be lowered.
        is_right: whether it is a game that can be played.
    """

    source: Source | None = None
    faults: tuple[Fault, ...] = ()
    game: PlayableGame | None = None
    played: PlayableGame | None = None
    sites: Sites = field(default_factory=Sites)
    is_right: bool = False

    @cached_property
    def facts(self) -> Facts | None:
        """Return what is known of the game without playing it."""
        return Facts(self.played) if self.played is not None else None

    @cached_property
    def cast(self) -> Cast | None:
        """The kinds with `like` written out; none where that cannot be."""
        if self.game is None:
            return None
        try:
            return make_cast(self.game)
        except CastError:
            return self.played.lowered.program.cast if self.played is not None else None

    def seen_at(self, path: Path) -> Seen:
        """Return what formulas at a place can say; what those nearby can, where nothing is known of it."""
        known = [self.sites.seen] + ([self.played.lowered.sites.seen] if self.played is not None else [])
        for seen in known:
            if path in seen:
                return seen[path]
        best, most = Seen(), 1
        for seen in known:
            for other, here in seen.items():
                shared = next((i for i, (a, b) in enumerate(zip(path, other, strict=False)) if a != b), len(other))
                if shared > most:
                    best, most = here, shared
        if most == 1 and path[:1] == ("kinds",) and len(path) > 1:
            return Seen(selves=(str(path[1]),))
        return best


def analyzed(text: str, file: str, read: Callable[[str], str], before: Analysis | None = None) -> Analysis:
    """Look at a text; `read` gives the text of a file beside it, `before` is what was known of the text before."""
    before = before or Analysis()
    try:
        source = with_files(parse_source(text, file), read)
    except GameError as error:
        return Analysis(before.source, error.faults, before.game, before.played, before.sites)
    draft = draft_of(source, PlayableGame)
    is_right = draft.game is not None and not draft.faults
    return Analysis(
        source,
        GameError(draft.faults).faults if draft.faults else (),
        draft.game or before.game,
        draft.game if is_right else before.played,
        draft.sites if draft.game is not None else before.sites,
        is_right,
    )


def quick_findings(analysis: Analysis) -> tuple[Finding, ...]:
    """What looks like a usual mistake in a game that can be played, as it stands in the file; nothing is played."""
    if not analysis.is_right or analysis.played is None:
        return ()
    try:
        return tuple(finding for finding in make_audit(analysis.played).findings if not finding.accepted)
    except MintError:
        return ()
