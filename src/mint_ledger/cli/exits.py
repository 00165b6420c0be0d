"""The exit codes of all commands."""

from __future__ import annotations

FELL_SHORT = 1
"""A playtest, target or audit fell short."""
UNUSABLE = 2
"""The input cannot be used."""
INTERNAL_FAULT = 70
"""A fault of Mint Ledger itself."""
INTERRUPTED = 130
"""Stopped with Ctrl-C."""
