"""Writes files: beside, then renamed into place, so that no file is ever half written."""

from __future__ import annotations

import contextlib
import os
import tempfile
from codecs import BOM_UTF8
from pathlib import Path

from mint_ledger.errors import BadRequest


def write_text(path: Path, text: str) -> None:
    """Write a text file; see `write_bytes`. A byte order mark that the file begins with stays."""
    data = text.encode("utf-8")
    with contextlib.suppress(OSError, ValueError):
        if path.is_file() and not data.startswith(BOM_UTF8):
            with path.open("rb") as known:
                data = BOM_UTF8 + data if known.read(len(BOM_UTF8)) == BOM_UTF8 else data
    write_bytes(path, data)


def write_bytes(path: Path, content: bytes) -> None:
    """Write a whole file or nothing; into a device or pipe (`/dev/stdout`) the content is written as it is.

    Owner and mode of a file that is there stay.

    Raises:
        BadRequest: the folder does not exist or may not be written to, the file is read-only, or the disk is full.
    """
    temporary = ""
    try:
        target = path.resolve() if path.is_symlink() else path
        if target.is_dir():
            raise BadRequest(f"{path} is a folder; a file's name is wanted")
        if path.exists() and not path.is_file():
            with path.open("wb") as through:
                through.write(content)
            return
        known = target.stat() if target.exists() else None
        if known is not None and not known.st_mode & 0o222:
            raise BadRequest(f"{path} is read-only; it is left as it is")
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.", suffix=".part")
        with os.fdopen(handle, "wb") as out:
            out.write(content)
            out.flush()
            os.fsync(out.fileno())
        Path(temporary).chmod(known.st_mode & 0o7777 if known is not None else 0o666 & ~_umask())
        if known is not None and hasattr(os, "chown"):
            with contextlib.suppress(OSError):  # who is not root cannot give a file to somebody else
                os.chown(temporary, known.st_uid, known.st_gid)
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
