"""Writes files: beside, then renamed into place, so that no file is ever half written."""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

from mint_ledger.errors import BadRequest


def write_text(path: Path, text: str) -> None:
    """Write a text file; see `write_bytes`."""
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, content: bytes) -> None:
    """Write a file as a whole or not at all.

    Raises:
        BadRequest: the folder does not exist or may not be written to, or the disk is full.
    """
    temporary = ""
    try:
        target = path.resolve() if path.is_symlink() else path
        if target.is_dir():
            raise BadRequest(f"{path} is a folder; a file's name is wanted")
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.", suffix=".part")
        with os.fdopen(handle, "wb") as out:
            out.write(content)
            out.flush()
            os.fsync(out.fileno())
        Path(temporary).chmod(target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask())
        Path(temporary).replace(target)
    except (OSError, RuntimeError, ValueError) as error:
        # A loop of links is a RuntimeError in some versions of Python, a name with a zero byte a ValueError.
        raise BadRequest(f"{path} cannot be written: {getattr(error, 'strerror', None) or error}") from None
    finally:
        if temporary:
            with contextlib.suppress(OSError):
                Path(temporary).unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
