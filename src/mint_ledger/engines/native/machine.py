"""LLVM on this machine, and object files that were loaded, as functions that Python can call.

Apart from compiling, so that a game seen before starts without it.
"""

from __future__ import annotations

from functools import cache
from typing import Any


def llvmlite_version() -> str:
    """The version of llvmlite."""
    import llvmlite

    return str(llvmlite.__version__)


@cache
def llvm() -> Any:
    """LLVM, set up for this machine."""
    from llvmlite import binding

    binding.initialize_native_target()
    binding.initialize_native_asmprinter()
    return binding


@cache
def rounds() -> bool:
    """Whether this processor is known to have an instruction for floors, so that no C library is called for them."""
    binding = llvm()
    triple = binding.get_default_triple()
    return triple.startswith(("aarch64", "arm64")) or bool(binding.get_host_cpu_features().get("sse4.1"))


def target_machine(level: int = 2) -> Any:
    """LLVM's description of this processor."""
    # Not kept: an execution engine owns the one that it is given.
    binding = llvm()
    target = binding.Target.from_default_triple()
    return target.create_target_machine(
        cpu=binding.get_host_cpu_name(), features=binding.get_host_cpu_features().flatten(), opt=level, jit=True
    )


class Machine:
    """Loaded machine code; the addresses are good as long as this lives."""

    def __init__(self, *codes: bytes) -> None:
        binding = llvm()
        empty = binding.parse_assembly("")
        empty.triple = binding.get_default_triple()
        self._engine = binding.create_mcjit_compiler(empty, target_machine())
        for code in codes:
            self._engine.add_object_file(binding.ObjectFileRef.from_data(code))
        self._engine.finalize_object()

    def address(self, name: str) -> int:
        """Return where a function is."""
        return int(self._engine.get_function_address(name))
