"""What a designer accepts of an audit: a finding, where, and why."""

from __future__ import annotations

from pydantic import Field

from mint_ledger.game.parts import Part


class Allow(Part):
    """One accepted finding: its name or code, what it is about (all where it is left out), and the reason."""

    finding: str
    at: str | None = None
    because: str = Field(min_length=1)
