"""A game's numbers as tables: out to a spreadsheet, back into the file, and on to a game engine."""
