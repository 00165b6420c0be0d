"""Philox 4×32-10, a counter-based generator: the same key and counter give the same words, in any order.

Source: Salmon, Moraes, Dror, Shaw, "Parallel random numbers: as easy as 1, 2, 3", SC'11.
"""

from __future__ import annotations

import hashlib

ROUNDS = 10
_MULTIPLIER_0 = 0xD2511F53
_MULTIPLIER_1 = 0xCD9E8D57
_WEYL_0 = 0x9E3779B9
_WEYL_1 = 0xBB67AE85
_MASK = 0xFFFFFFFF
TWO_TO_MINUS_53 = 1.0 / 9007199254740992.0


def philox(counter: tuple[int, int, int, int], key: tuple[int, int]) -> tuple[int, int, int, int]:
    """Return the four 32-bit words of a counter (four 32-bit words) and a key (two)."""
    c0, c1, c2, c3 = counter
    k0, k1 = key
    for _ in range(ROUNDS):
        left = c0 * _MULTIPLIER_0
        right = c2 * _MULTIPLIER_1
        c0, c1, c2, c3 = (right >> 32) ^ c1 ^ k0, right & _MASK, (left >> 32) ^ c3 ^ k1, left & _MASK
        k0 = (k0 + _WEYL_0) & _MASK
        k1 = (k1 + _WEYL_1) & _MASK
    return c0, c1, c2, c3


def place_hash(*parts: str) -> int:
    """The 64-bit hash of a place in a game: a kind, one of its rules (or attacks …), and which chance call in it."""
    text = "\x1f".join(parts).encode()
    return int.from_bytes(hashlib.blake2b(text, digest_size=8).digest(), "little")


def uniform(seed: int, place: int, run: int, copy: int, count: int, part: int) -> float:
    """A number in [0, 1) with 53 random bits.

    The key is the seed XOR the place's hash, the counter is (run, copy, count, part); each of the four is taken
    modulo 2³².
    """
    key = (seed ^ place) & 0xFFFFFFFFFFFFFFFF
    w0, w1, _, _ = philox((run & _MASK, copy & _MASK, count & _MASK, part & _MASK), (key & _MASK, key >> 32))
    return ((w1 << 21) | (w0 >> 11)) * TWO_TO_MINUS_53
