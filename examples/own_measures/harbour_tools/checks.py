"""A check of one's own: `audit` makes it beside all others."""

from __future__ import annotations

from collections.abc import Iterator

import mint_ledger as mint


def find_kinds_without_about(subject: object) -> Iterator[mint.Caught]:
    """Kinds that do not say what they are; `subject.game` is the game."""
    for name, kind in subject.game.kinds.items():  # type: ignore[attr-defined]
        if not kind.about:
            yield mint.Caught(("kinds", name), name, f"{name} does not say what it is.")


no_about = mint.Check(
    code="X101",  # the codes of checks of one's own begin with X
    name="kind-without-about",
    group="own",
    title="A kind that does not say what it is",
    means="Who reads the file does not know what the kind is for.",
    fix="Write an 'about'.",
    find=find_kinds_without_about,
    grade="note",
)
