"""Chance: every draw is a pure function of where it stands."""
