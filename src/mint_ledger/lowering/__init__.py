"""Turns a game into a program. One file for each concept; `lower` puts them together in the order of a step."""
