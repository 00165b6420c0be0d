"""The games that come with the package: the demo, and a small one to start from."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path


def demo_text() -> str:
    """The game file of Saltmere Light."""
    return files(__package__).joinpath("saltmere.yaml").read_text("utf-8")


def demo_plays_text() -> str:
    """120 made-up plays of Saltmere Light, as recorded plays: `docs/make_plays.py` makes them."""
    return files(__package__).joinpath("plays.csv").read_text("utf-8")


def starter_text() -> str:
    """The small game that `mint-ledger new` writes."""
    return files(__package__).joinpath("starter.yaml").read_text("utf-8")


def demo_path() -> Path:
    """Return where the demo's game file lies, to be read with `load`."""
    return Path(str(files(__package__).joinpath("saltmere.yaml")))
