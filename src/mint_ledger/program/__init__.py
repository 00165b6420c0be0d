"""What a game is lowered to: a state vector of float64, and procedures made of a few primitives."""
