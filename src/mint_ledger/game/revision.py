"""A game file as it stood in a revision of git, with the files of its tables from the same revision.

Git itself is asked for the bytes of each file. Nothing is checked out, no program of the repository is run on what
comes (`--no-textconv`), and nothing is fetched.
"""

from __future__ import annotations

import os
import posixpath
import subprocess
from pathlib import Path

from mint_ledger.errors import BadRequest
from mint_ledger.game.including import BesideError
from mint_ledger.game.source import MAX_BYTES, Source, parse_source
from mint_ledger.game.table_files import with_files

PATIENCE = 20.0
_GIT = ("git", "-c", "core.fsmonitor=false", "-c", "protocol.allow=never")


def looks_like_revision(text: str) -> bool:
    """Return whether a text is written as `REVISION:PATH`, and no file is called so."""
    return ":" in text and not Path(text).exists()


def read_revision(text: str) -> Source:
    """Read a game file from git: `HEAD~3:./saltmere.yaml`, or `v1.2:games/saltmere.yaml` from the root on.

    Raises:
        BadRequest: git has no such file, or is not to be had.
        GameError: the file cannot be read.
    """
    revision, colon, path = text.partition(":")
    if not colon or not revision or not path:
        raise BadRequest(f"'{text}' is no revision of a file; write HEAD~3:./saltmere.yaml")
    if revision.startswith("-"):
        raise BadRequest(f"'{revision}' is no revision; the name of one does not begin with -")
    content = _decoded(_shown(revision, path), text)
    folder = posixpath.dirname(path)

    def beside(name: str) -> str:
        inside = posixpath.normpath(name)
        if name.startswith("/") or inside.split("/")[0] == "..":
            raise BesideError(
                "stands outside the folder of the game file; what belongs to a game stands beside its file"
            )
        try:
            return _decoded(_shown(revision, posixpath.join(folder, inside)), name)
        except BadRequest as error:
            raise BesideError(str(error)) from None

    return with_files(parse_source(content, text), beside)


def _shown(revision: str, path: str) -> bytes:
    """The bytes of a file of a revision."""
    named = f"{revision}:{path}"
    size = _git("cat-file", "-s", named, named)
    if int(size) > MAX_BYTES:
        raise BadRequest(f"{named} has {int(size):,} bytes; a file of a game may have {MAX_BYTES:,} at most")
    return _git("show", "--no-textconv", named, named)


def _git(command: str, option: str, named: str, shown: str) -> bytes:
    environment = {**os.environ, "GIT_TERMINAL_PROMPT": "0", "GIT_NO_LAZY_FETCH": "1", "GIT_OPTIONAL_LOCKS": "0"}
    environment["LC_ALL"] = "C"
    try:
        done = subprocess.run(
            [*_GIT, "--no-pager", command, option, named],
            capture_output=True,
            env=environment,
            stdin=subprocess.DEVNULL,
            timeout=PATIENCE,
            check=False,
        )
    except (OSError, ValueError) as error:
        raise BadRequest(f"git cannot be asked for {shown}: {getattr(error, 'strerror', None) or error}") from None
    except subprocess.TimeoutExpired:
        raise BadRequest(f"git did not give {shown} within {PATIENCE:g} seconds") from None
    if done.returncode:
        lines = done.stderr.decode("utf-8", "replace").strip().splitlines()
        why = lines[0].removeprefix("fatal: ") if lines else "it is not there"
        raise BadRequest(f"git has no {shown}: {why}")
    return done.stdout


def _decoded(raw: bytes, name: str) -> str:
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        raise BadRequest(f"{name} is not text in UTF-8") from None
