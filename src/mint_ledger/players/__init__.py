"""How well a game can be played: from chance to the best habit that can be found."""
