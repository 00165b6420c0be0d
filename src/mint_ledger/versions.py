"""The versions of what the numbers depend on."""

from __future__ import annotations

__version__ = "0.2.0"
NAMES = ("numpy", "scipy", "llvmlite", "pydantic")


def versions() -> dict[str, str]:
    """Mint Ledger's, Python's, and those of the packages that matter."""
    # Slow to import, and wanted by reports alone.
    import platform
    from importlib.metadata import version

    return {"mint-ledger": __version__, "Python": platform.python_version(), **{name: version(name) for name in NAMES}}
