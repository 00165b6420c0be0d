"""The books: the rows of a run, its statements, and the words in which they are told."""
