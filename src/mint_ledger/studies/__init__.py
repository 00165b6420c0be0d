"""Studies: a game played many times, and estimates with their intervals."""
