"""Keeps machine code in the user's cache folder, so that a game seen before is not compiled again.

An entry is named by all that its code depends on: the program, the versions of this package and of llvmlite, the
processor. Code is only loaded from a file of the user's own, in a folder of the user's own, whose content has the
checksum that it says; whatever else is found there is replaced.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
from collections.abc import Sequence
from functools import cache
from pathlib import Path

from mint_ledger.engines.baked import baked_in
from mint_ledger.engines.native.machine import llvm, llvmlite_version
from mint_ledger.errors import BadRequest
from mint_ledger.files import write_bytes
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.versions import __version__

MAGIC = b"mint ledger machine code 1\n"
FOLDER = "MINT_LEDGER_CACHE"
MOST_ENTRIES = 200


def cache_folder() -> Path:
    """The user's cache folder for machine code; the variable MINT_LEDGER_CACHE names another."""
    named = os.environ.get(FOLDER)
    if named:
        return Path(named)
    import platformdirs

    return Path(platformdirs.user_cache_dir("mint-ledger", appauthor=False)) / "machine-code"


@cache
def machine_key() -> str:
    """What machine code depends on besides the program."""
    binding = llvm()
    parts = (
        __version__,
        llvmlite_version(),
        ".".join(map(str, binding.llvm_version_info)),
        sys.platform,
        binding.get_host_cpu_name(),
        binding.get_host_cpu_features().flatten(),
        _own_code(),
    )
    return "\n".join(parts)


def _own_code() -> str:
    """A hash of this package's lowering to machine code, which may change within a version while it is worked on."""
    digest = hashlib.sha256()
    for path in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()


def program_key(program: Program, scripts: Sequence[Handle]) -> str:
    """The name of a program's entry. Numbers that are dials are not part of it."""
    content = "\n".join((machine_key(), baked_in(), program.content_hash, *(repr(script) for script in scripts)))
    return hashlib.sha256(content.encode()).hexdigest()


def load_entry(key: str) -> bytes | None:
    """What was kept under a name; none if there is nothing, or nothing to be trusted."""
    path = cache_folder() / f"{key}.code"
    try:
        if not (_is_own(path) and _is_own(path.parent)):
            return None
        content = path.read_bytes()
    except OSError:
        return None
    head = MAGIC + key.encode() + b"\n"
    if not content.startswith(head) or len(content) < len(head) + 65:
        return None
    checksum, payload = content[len(head) : len(head) + 64], content[len(head) + 65 :]
    return payload if hashlib.sha256(payload).hexdigest().encode() == checksum else None


def save_entry(key: str, payload: bytes) -> None:
    """Keep something under a name; where it cannot be kept, it is compiled again next time."""
    folder = cache_folder()
    content = b"\n".join((MAGIC + key.encode(), hashlib.sha256(payload).hexdigest().encode(), payload))
    with contextlib.suppress(OSError, BadRequest):
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        path = folder / f"{key}.code"
        write_bytes(path, content)
        path.chmod(0o600)
        _keep_the_newest(folder)


def _keep_the_newest(folder: Path) -> None:
    entries = sorted(folder.glob("*.code"), key=lambda path: path.stat().st_mtime)
    for path in entries[:-MOST_ENTRIES]:
        path.unlink(missing_ok=True)


def _is_own(path: Path) -> bool:
    """Whether nobody but the user could have written it."""
    if not hasattr(os, "getuid"):
        return True
    stat = path.stat()
    return stat.st_uid == os.getuid() and not stat.st_mode & 0o022
