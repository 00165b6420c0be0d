"""What names a program's machine code in the user's cache folder, so that a game seen before is not compiled again.

An entry is named by all that its code depends on: the program, the versions of this package and of llvmlite, the
processor. See `signed` for what makes an entry fit to be run.
"""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Sequence
from functools import cache
from pathlib import Path

from mint_ledger.engines.baked import baked_in
from mint_ledger.engines.native.machine import llvm, llvmlite_version
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.versions import __version__


@cache
def machine_key() -> str:
    """Return what machine code depends on in addition to the program."""
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
