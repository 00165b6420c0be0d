"""Keeps what was costly to make in the user's cache folder: machine code, and games as programs.

Machine code runs with all that its user may do, and a program is believed as it stands, so an entry is loaded only if
it is signed with a key that lies elsewhere and that nobody else can read, and if nobody else could have put it or its
folder there. Whatever else is found is replaced.
"""

from __future__ import annotations

import contextlib
import hmac
import os
import stat
from functools import cache
from pathlib import Path

from mint_ledger.errors import BadRequest
from mint_ledger.files import write_bytes

MAGIC = b"mint ledger keeps 3\n"
SIGNATURE = 32
FOLDER = "MINT_LEDGER_CACHE"
# The sorts of entries, and how many of each are kept.
CODE, GAME, NAMES = "code", "game", "names"
MOST_ENTRIES = {CODE: 200, GAME: 60, NAMES: 60}


def cache_folder() -> Path:
    """The user's cache folder for machine code; the variable MINT_LEDGER_CACHE names another."""
    named = os.environ.get(FOLDER)
    if named:
        return Path(named)
    import platformdirs

    return Path(platformdirs.user_cache_dir("mint-ledger", appauthor=False)) / "machine-code"


def load_entry(key: str, sort: str = CODE) -> bytes | None:
    """Return what was kept under a name; none if there is nothing, or nothing to be trusted."""
    folder = cache_folder()
    path = folder / f"{key}.{sort}"
    try:
        if not (_is_own(path) and _is_own(folder) and _stands_safely(folder)):
            return None
        content = path.read_bytes()
    except (OSError, ValueError):
        return None
    head = _head(key, sort)
    if not content.startswith(head) or len(content) < len(head) + SIGNATURE:
        return None
    signature, payload = content[len(head) : len(head) + SIGNATURE], content[len(head) + SIGNATURE :]
    signed = _signature(head + payload)
    return payload if signed is not None and hmac.compare_digest(signature, signed) else None


def save_entry(key: str, payload: bytes, sort: str = CODE) -> None:
    """Keep something under a name; where it cannot be kept, it is made again next time."""
    folder = cache_folder()
    head = _head(key, sort)
    with contextlib.suppress(OSError, BadRequest, ValueError):
        signed = _signature(head + payload)
        if signed is None:
            return
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        path = folder / f"{key}.{sort}"
        write_bytes(path, head + signed + payload)
        path.chmod(0o600)
        _keep_the_newest(folder, sort)


def _head(key: str, sort: str) -> bytes:
    return MAGIC + f"{sort} {key}\n".encode()


def key_file() -> Path:
    """Return where the key lies that entries are signed with: not with the cache, which may be handed on."""
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


def _keep_the_newest(folder: Path, sort: str) -> None:
    entries = sorted(folder.glob(f"*.{sort}"), key=lambda path: path.stat().st_mtime)
    for path in entries[: -MOST_ENTRIES[sort]]:
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
    """Return whether nobody else can put another folder in the place of this one, or of one above it."""
    if not hasattr(os, "getuid"):
        return True
    for above in Path(os.path.realpath(folder)).parents:
        known = above.stat()
        # In a sticky folder (as for all users' temporary files) only owners can move what is theirs.
        is_open = known.st_mode & 0o022 and not known.st_mode & stat.S_ISVTX
        if is_open or known.st_uid not in (0, os.getuid()):
            return False
    return True
