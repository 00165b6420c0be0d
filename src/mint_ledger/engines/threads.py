"""Names of threads that others have to know of."""

COMPILING = "compiling"
"""The interpreter must not end under it: machine code would be cut off in the middle."""
