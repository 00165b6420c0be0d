"""Answers without sampling: all states of a game with every draw branched, and the chances that follow."""
