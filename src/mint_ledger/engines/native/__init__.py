"""The native engine: the same program as machine code, made through llvmlite.

What a primitive means is said in `engines/reference.py`; here is one lowering function for each, in the same order:
`assembly` (the text of a module), `context` (what Python and machine code share), `operations`, `expressions`,
`accounts`, `chance`, `statements`, `turning` and `quiet` (which steps may be skipped), `pieces` and `course` (steps,
reactions, many runs);
then `compiling` and `cache` make it run, and `engine` is what the rest of the library calls.
"""
