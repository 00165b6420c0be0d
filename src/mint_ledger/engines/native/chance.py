"""Chance in machine code: Philox 4×32-10, as in `chance/philox.py`."""

from __future__ import annotations

from mint_ledger.chance.philox import ROUNDS, TWO_TO_MINUS_53
from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import Routine, number

_MULTIPLIERS = (0xD2511F53, 0xCD9E8D57)
_WEYL = (0x9E3779B9, 0xBB67AE85)


def uniform_function() -> str:
    """`uniform(key, run, copy, count, part)`: a number in [0, 1) with 53 random bits."""
    r = Routine("double @uniform(i64 %key, i32 %c0, i32 %c1, i32 %c2, i32 %c3)", "unreachable")
    keys = [r.let("trunc i64 %key to i32"), r.let(f"trunc i64 {r.let('lshr i64 %key, 32')} to i32")]
    c0, c1, c2, c3 = "%c0", "%c1", "%c2", "%c3"
    for _ in range(ROUNDS):
        left_high, left_low = _wide_product(r, c0, _MULTIPLIERS[0])
        right_high, right_low = _wide_product(r, c2, _MULTIPLIERS[1])
        c0 = r.let(f"xor i32 {r.let(f'xor i32 {right_high}, {c1}')}, {keys[0]}")
        c2 = r.let(f"xor i32 {r.let(f'xor i32 {left_high}, {c3}')}, {keys[1]}")
        c1, c3 = right_low, left_low
        keys = [r.let(f"add i32 {key}, {weyl}") for key, weyl in zip(keys, _WEYL, strict=True)]
    high = r.let(f"shl i64 {r.let(f'zext i32 {c1} to i64')}, 21")
    low = r.let(f"zext i32 {r.let(f'lshr i32 {c0}, 11')} to i64")
    bits = r.let(f"uitofp i64 {r.let(f'or i64 {high}, {low}')} to double")
    r.leave(f"double {op.mul(r, bits, number(TWO_TO_MINUS_53))}")
    return r.text()


def _wide_product(r: Routine, word: str, multiplier: int) -> tuple[str, str]:
    product = r.let(f"mul i64 {r.let(f'zext i32 {word} to i64')}, {multiplier}")
    high = r.let(f"trunc i64 {r.let(f'lshr i64 {product}, 32')} to i32")
    return high, r.let(f"trunc i64 {product} to i32")
