"""A fault found while one formula or step is lowered; whoever lowers it adds the place."""


class Problem(ValueError):
    """What is wrong, in a designer's words."""
