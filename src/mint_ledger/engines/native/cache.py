"""Keeps machine code in the user's cache folder, so that a game seen before is not compiled again.

An entry is named by all that its code depends on: the program, the versions of this package and of llvmlite, the
processor. Machine code runs with all that its user may do, so an entry is loaded only if it is signed with a key that
lies elsewhere and that nobody else can read, and if nobody else could have put it or its folder there. Whatever else is
found is replaced.
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import os
import stat
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

MAGIC = b"mint ledger machine code 2\n"
SIGNATURE = 32
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
    folder = cache_folder()
    path = folder / f"{key}.code"
    try:
        if not (_is_own(path) and _is_own(folder) and _stands_safely(folder)):
            return None
        content = path.read_bytes()
    except (OSError, ValueError):
        return None
    head = MAGIC + key.encode() + b"\n"
    if not content.startswith(head) or len(content) < len(head) + SIGNATURE:
        return None
    signature, payload = content[len(head) : len(head) + SIGNATURE], content[len(head) + SIGNATURE :]
    signed = _signature(head + payload)
    return payload if signed is not None and hmac.compare_digest(signature, signed) else None


def save_entry(key: str, payload: bytes) -> None:
    """Keep something under a name; where it cannot be kept, it is compiled again next time."""
    folder = cache_folder()
    head = MAGIC + key.encode() + b"\n"
    with contextlib.suppress(OSError, BadRequest, ValueError):
        signed = _signature(head + payload)
        if signed is None:
            return
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        path = folder / f"{key}.code"
        write_bytes(path, head + signed + payload)
        path.chmod(0o600)
        _keep_the_newest(folder)


def key_file() -> Path:
    """Where the key lies that entries are signed with: not with the cache, which may be handed on."""
    import platformdirs

    return Path(platformdirs.user_data_dir("mint-ledger", appauthor=False)) / "machine-code.key"


def _signature(content: bytes) -> bytes | None:
    """The signature of an entry; none where no key can be kept."""
    key = _user_key(str(key_file()))
    return None if key is None else hmac.new(key, content, "sha256").digest()


@cache
def _user_key(name: str) -> bytes | None:
    """The key of this user, made when it is first asked for."""
    path = Path(name)
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        with contextlib.suppress(FileExistsError):
            # Written beside, so that nobody ever reads half of it.
            beside = path.with_name(f"{path.name}.{os.getpid()}")
            if not path.exists():
                with os.fdopen(os.open(beside, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "wb") as stream:
                    stream.write(os.urandom(32))
                beside.replace(path)
        if not _is_own(path, private=True):
            return None
        key = path.read_bytes()
    except OSError:
        return None
    return key if len(key) == 32 else None


def _keep_the_newest(folder: Path) -> None:
    entries = sorted(folder.glob("*.code"), key=lambda path: path.stat().st_mtime)
    for path in entries[:-MOST_ENTRIES]:
        path.unlink(missing_ok=True)


def _is_own(path: Path, *, private: bool = False) -> bool:
    """Whether nobody but the user could have written it (or read it, if it is private); a link is nobody's own."""
    known = path.lstat()
    if stat.S_ISLNK(known.st_mode):
        return False
    if not hasattr(os, "getuid"):
        return True
    return known.st_uid == os.getuid() and not known.st_mode & (0o077 if private else 0o022)


def _stands_safely(folder: Path) -> bool:
    """Whether nobody else can put another folder in the place of this one, or of one above it."""
    if not hasattr(os, "getuid"):
        return True
    for above in Path(os.path.realpath(folder)).parents:
        known = above.stat()
        # In a sticky folder (as for all users' temporary files) only owners can move what is theirs.
        is_open = known.st_mode & 0o022 and not known.st_mode & stat.S_ISVTX
        if is_open or known.st_uid not in (0, os.getuid()):
            return False
    return True
