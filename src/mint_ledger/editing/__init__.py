"""A game file while it is written: what is wrong, what may stand at a place, what a name means, and renaming it.

Nothing here knows an editor; `cli/editor_server.py` speaks to one.
"""
