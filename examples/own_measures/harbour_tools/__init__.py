"""Measures and a check of one's own for games of Mint Ledger."""
