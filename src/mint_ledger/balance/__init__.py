"""What a designer wants of a game, and the numbers that give it."""
