"""From a program to an object file of machine code, and from that to functions that Python can call."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from typing import Any

from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS
from mint_ledger.engines.native.course import Course
from mint_ledger.engines.native.module import Module
from mint_ledger.program.program import Program

INTRINSICS = (
    "declare double @llvm.fabs.f64(double)",
    "declare double @llvm.sqrt.f64(double)",
    "declare double @llvm.copysign.f64(double, double)",
    "declare void @llvm.memcpy.p0.p0.i64(ptr, ptr, i64, i1)",
    "declare void @llvm.memset.p0.i64(ptr, i8, i64, i1)",
)
ENTRIES = (("mint_open", "open", ""), ("mint_go", "go", "i64 %until"), ("mint_batch", "batch", "i64 %runs"))


def module_text(program: Program, scripts: Sequence[str] = ()) -> tuple[str, int]:
    """A program in LLVM's assembly language, and how many pieces its steps have."""
    module = Module(program, scripts)
    course = Course(module)
    course.make()
    entries = []
    for name, routine, more in ENTRIES:
        given = f", {more}" if more else ""
        entries.append(
            f"define i32 @{name}({MACHINE_ARGUMENTS}{given}) {{\n"
            f"  %r = call i32 @{routine}(ptr %s, ptr %d, ptr %x, ptr %w{given})\n  ret i32 %r\n}}"
        )
    return "\n".join([*INTRINSICS, *module.table_text(), *module.routines, *entries]), course.piece_count


@cache
def llvm() -> Any:
    """LLVM, set up for this machine."""
    from llvmlite import binding

    binding.initialize_native_target()
    binding.initialize_native_asmprinter()
    return binding


@cache
def _machine() -> Any:
    binding = llvm()
    target = binding.Target.from_default_triple()
    return target.create_target_machine(
        cpu=binding.get_host_cpu_name(), features=binding.get_host_cpu_features().flatten(), opt=2, jit=True
    )


def object_code(text: str) -> bytes:
    """Verify a module, optimise it and make an object file of it."""
    binding = llvm()
    module = binding.parse_assembly(text)
    module.triple = binding.get_default_triple()
    module.verify()
    tuning = binding.create_pipeline_tuning_options(speed_level=2)
    builder = binding.create_pass_builder(_machine(), tuning)
    builder.getModulePassManager().run(module, builder)
    code: bytes = _machine().emit_object(module)
    return code


class Machine:
    """Loaded machine code; the addresses are good as long as this lives."""

    def __init__(self, code: bytes) -> None:
        binding = llvm()
        empty = binding.parse_assembly("")
        empty.triple = binding.get_default_triple()
        self._engine = binding.create_mcjit_compiler(empty, _machine())
        self._engine.add_object_file(binding.ObjectFileRef.from_data(code))
        self._engine.finalize_object()

    def address(self, name: str) -> int:
        """Where a function is."""
        return int(self._engine.get_function_address(name))
