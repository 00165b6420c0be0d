"""Plays a game once: a run with its books, and playtests with their verdicts."""
