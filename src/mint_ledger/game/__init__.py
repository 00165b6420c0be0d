"""What the designer wrote: the models of the game file, read with the place of every key."""
