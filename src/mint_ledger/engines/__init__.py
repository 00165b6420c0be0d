"""Engines play a program. `reference` is the definition of what a program means."""
