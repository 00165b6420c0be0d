"""What the operations of a program are in machine code: the same results to the bit as `engines/operations.py`.

No intrinsic that this processor lacks, so that no function of a C library is called: where it has no instruction
for floors they go through integers; powers of two are made as bit patterns.
"""

from __future__ import annotations

import math

from mint_ledger.engines.native import machine
from mint_ledger.engines.native.assembly import Routine, known_number, number

ZERO, ONE = number(0.0), number(1.0)
TWO_TO_52 = number(2.0**52)


def flag_value(r: Routine, flag: str) -> str:
    """1 or 0 of a flag."""
    return r.let(f"uitofp i1 {flag} to double")


def is_true(r: Routine, value: str) -> str:
    """Return whether a value counts as true."""
    return compared(r, "!=", value, ZERO)


def is_finite(r: Routine, value: str) -> str:
    """Return whether a value is neither infinite nor no number."""
    size = r.let(f"call double @llvm.fabs.f64(double {value})")
    return r.let(f"fcmp olt double {size}, {number(float('inf'))}")


def add(r: Routine, a: str, b: str) -> str:
    """A + b."""
    return r.let(f"fadd double {a}, {b}")


def sub(r: Routine, a: str, b: str) -> str:
    """A - b."""
    return r.let(f"fsub double {a}, {b}")


def mul(r: Routine, a: str, b: str) -> str:
    """A · b."""
    return r.let(f"fmul double {a}, {b}")


def plus_zero(r: Routine, a: str) -> str:
    """A without a negative zero."""
    return add(r, a, ZERO)


def compared(r: Routine, op: str, a: str, b: str) -> str:
    """A flag; only != holds where one of them is no number."""
    known = known_number(b)
    if op in ("==", "!=") and a in r.read and known is not None and not math.isnan(known):
        return _is_constant(r, a, known, "eq" if op == "==" else "ne")
    names = {"<": "olt", "<=": "ole", ">": "ogt", ">=": "oge", "==": "oeq", "!=": "une"}
    return r.let(f"fcmp {names[op]} double {a}, {b}")


def _is_constant(r: Routine, a: str, wanted: float, word: str) -> str:
    """Return whether what was read from memory is a number (or is not), by the bits as they are read."""
    bits = r.let(f"bitcast double {a} to i64")
    if wanted == 0 and a not in r.flags:
        # 0 except for the sign, which a flag has not.
        bits = r.let(f"shl i64 {bits}, 1")
    return r.let(f"icmp {word} i64 {bits}, {int(number(wanted + 0.0), 16)}")


def chosen(r: Routine, flag: str, a: str, b: str) -> str:
    """A where the flag holds, else b."""
    return r.let(f"select i1 {flag}, double {a}, double {b}")


def higher(r: Routine, a: str, b: str) -> str:
    """Python's max(a, b)."""
    return chosen(r, compared(r, ">", b, a), b, a)


def lower(r: Routine, a: str, b: str) -> str:
    """Python's min(a, b)."""
    return chosen(r, compared(r, "<", b, a), b, a)


def size_of(r: Routine, a: str) -> str:
    """|a|."""
    return r.let(f"call double @llvm.fabs.f64(double {a})")


def whole_part(r: Routine, a: str) -> str:
    """A without its fraction, towards 0, never -0; from 2^52 on there is none (and no integer that would hold it)."""
    if machine.rounds():
        return plus_zero(r, r.let(f"call double @llvm.trunc.f64(double {a})"))
    small = compared(r, "<", size_of(r, a), TWO_TO_52)
    safe = chosen(r, small, a, ZERO)
    whole = r.let(f"fptosi double {safe} to i64")
    return chosen(r, small, r.let(f"sitofp i64 {whole} to double"), a)


def floor(r: Routine, a: str) -> str:
    """The largest whole number up to a, never -0."""
    if machine.rounds():
        return plus_zero(r, r.let(f"call double @llvm.floor.f64(double {a})"))
    whole = whole_part(r, a)
    less = sub(r, whole, ONE)
    return plus_zero(r, chosen(r, compared(r, ">", whole, a), less, whole))


def ceil(r: Routine, a: str) -> str:
    """The smallest whole number from a on, never -0."""
    if machine.rounds():
        return plus_zero(r, r.let(f"call double @llvm.ceil.f64(double {a})"))
    return sub(r, ZERO, floor(r, sub(r, ZERO, a)))


def ceil_limit(r: Routine, a: str) -> str:
    """As `ceil`, also where it is infinite."""
    return ceil(r, a) if machine.rounds() else chosen(r, compared(r, ">", a, number(-math.inf)), ceil(r, a), a)


def floor_limit(r: Routine, a: str) -> str:
    """As `floor`, also where it is infinite."""
    return floor(r, a) if machine.rounds() else chosen(r, compared(r, "<", a, number(math.inf)), floor(r, a), a)


def rounded(r: Routine, amount: str, how: str) -> str:
    """A whole amount, rounded by its size; nearest takes halves away from zero."""
    if how == "down":
        return whole_part(r, amount)
    if how == "nearest":
        # The largest number below a half: what lies below a half stays below 1, and a half itself is rounded to 1.
        nearly_half = number(math.nextafter(0.5, 0.0))
        more = r.let(f"call double @llvm.copysign.f64(double {nearly_half}, double {amount})")
        return whole_part(r, add(r, amount, more))
    whole = ceil(r, size_of(r, amount))
    return chosen(r, compared(r, ">", amount, ZERO), whole, sub(r, ZERO, whole))


def index_of(r: Routine, value: str) -> str:
    """An entity's number as an integer; what is no number at all becomes one that nobody has."""
    low = compared(r, ">", value, number(-1e9))
    fits = r.let(f"and i1 {low}, {compared(r, '<', value, number(1e9))}")
    return r.let(f"fptosi double {chosen(r, fits, value, number(-1e9))} to i64")


def unary(r: Routine, op: str, a: str) -> str:
    """An operation with one operand."""
    match op:
        case "negate":
            return sub(r, ZERO, a)
        case "not":
            return flag_value(r, compared(r, "==", a, ZERO))
        case "abs":
            return size_of(r, a)
        case "floor":
            return floor(r, a)
        case "ceil":
            return ceil(r, a)
        case "round":
            return plus_zero(r, rounded(r, a, "nearest"))
        case "sqrt":
            # fcmp "not less": no number at all goes through, as in the reference.
            r.fail_unless(r.let(f"fcmp uge double {a}, {ZERO}"))
            return r.let(f"call double @llvm.sqrt.f64(double {a})")
    return r.let(f"call double @exponent(double {a})")


def binary(r: Routine, op: str, a: str, b: str) -> str:
    """An operation with two operands."""
    match op:
        case "+":
            return add(r, a, b)
        case "-":
            return sub(r, a, b)
        case "*":
            return mul(r, a, b)
        case "/":
            r.fail_unless(compared(r, "!=", b, ZERO))
            return r.let(f"fdiv double {a}, {b}")
        case "min":
            return chosen(r, compared(r, "<", a, b), a, b)
        case "max":
            return chosen(r, compared(r, ">", a, b), a, b)
    return r.let(f"call double @scale(double {a}, double {b})")


def bit_functions() -> list[str]:
    """`exponent` and `scale`, which look into the bits of a float64."""
    return [_exponent(), _scale()]


def _exponent() -> str:
    """E of a = m·2^e with 0.5 ≤ |m| < 1; 0 for 0 and what is not finite."""
    r = Routine("double @exponent(double %a) alwaysinline", "unreachable")
    small = compared(r, "<", size_of(r, "%a"), number(2.0**-1022))
    lifted = chosen(r, small, mul(r, "%a", number(2.0**54)), "%a")
    bits = r.let(f"bitcast double {lifted} to i64")
    biased = r.let(f"and i64 {r.let(f'lshr i64 {bits}, 52')}, 2047")
    exponent = r.let(f"sitofp i64 {r.let(f'sub i64 {biased}, 1022')} to double")
    exponent = chosen(r, small, sub(r, exponent, number(54.0)), exponent)
    nothing = _has_no_exponent(r)
    r.leave(f"double {chosen(r, nothing, ZERO, exponent)}")
    return r.text()


def _has_no_exponent(r: Routine) -> str:
    """Return whether %a is 0 or not finite."""
    infinite = r.let(f"xor i1 {is_finite(r, '%a')}, true")
    return r.let(f"or i1 {compared(r, '==', '%a', ZERO)}, {infinite}")


def _power_of_two(r: Routine, exponent: str) -> str:
    """2^exponent for -1022 ≤ exponent ≤ 1023."""
    bits = r.let(f"shl i64 {r.let(f'add i64 {exponent}, 1023')}, 52")
    return r.let(f"bitcast i64 {bits} to double")


def _scale() -> str:
    """A·2^b, rounded once: the mantissa goes to its exponent exactly, and only the last step into denormals rounds."""
    r = Routine("double @scale(double %a, double %b)", "unreachable")
    go, plain, big, fine, tiny, tiniest = (r.label() for _ in range(6))
    nothing = _has_no_exponent(r)
    r.fork(nothing, plain, go)
    r.place(plain)
    r.leave("double %a")
    r.place(go)
    bounded = higher(r, lower(r, "%b", number(5000.0)), number(-5000.0))
    power = r.let(f"fptosi double {bounded} to i64")
    exponent = r.let(f"fptosi double {r.let('call double @exponent(double %a)')} to i64")
    small = compared(r, "<", size_of(r, "%a"), number(2.0**-1022))
    lifted = chosen(r, small, mul(r, "%a", number(2.0**54)), "%a")
    bits = r.let(f"bitcast double {lifted} to i64")
    kept = r.let(f"and i64 {bits}, {-(2**63) + 2**52 - 1}")
    mantissa = r.let(f"bitcast i64 {r.let(f'or i64 {kept}, {1022 << 52}')} to double")
    total = r.let(f"add i64 {exponent}, {power}")
    r.fork(r.let(f"icmp sgt i64 {total}, 1024"), big, fine)
    r.place(big)
    r.leave(f"double {mul(r, mul(r, mantissa, number(2.0**1023)), number(4.0))}")
    r.place(fine)
    normal = r.label()
    r.fork(r.let(f"icmp sge i64 {total}, -1021"), normal, tiny)
    r.place(normal)
    doubled = mul(r, mantissa, number(2.0))
    r.leave(f"double {mul(r, doubled, _power_of_two(r, r.let(f'sub i64 {total}, 1')))}")
    r.place(tiny)
    some = r.label()
    r.fork(r.let(f"icmp sge i64 {total}, -1080"), some, tiniest)
    r.place(some)
    near = mul(r, mantissa, _power_of_two(r, r.let(f"add i64 {total}, 60")))
    r.leave(f"double {mul(r, near, number(2.0**-60))}")
    r.place(tiniest)
    r.leave(f"double {mul(r, mantissa, ZERO)}")
    return r.text()
