"""Finds the usual mistakes of a game, by looking at its file and by playing it."""
