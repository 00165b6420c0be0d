"""Philox over arrays: many draws at once, each the same number as `philox.uniform` gives."""

from __future__ import annotations

from typing import Any

import numpy as np

from mint_ledger.chance.philox import ROUNDS, TWO_TO_MINUS_53

_MASK = np.uint64(0xFFFFFFFF)
_32 = np.uint64(32)
_LEFT, _RIGHT = np.uint64(0xD2511F53), np.uint64(0xCD9E8D57)
_KEY_LEFT, _KEY_RIGHT = np.uint64(0x9E3779B9), np.uint64(0xBB67AE85)


def uniforms(seed: int, place: int, run: Any, copy: Any, count: Any, part: Any) -> Any:
    """Return numbers in [0, 1), one for each run, copy, count and part; four arrays of one shape."""
    key = (seed ^ place) & 0xFFFFFFFFFFFFFFFF
    left, right = np.uint64(key & 0xFFFFFFFF), np.uint64(key >> 32)
    c0, c1, c2, c3 = (np.asarray(each).astype(np.int64).astype(np.uint64) & _MASK for each in (run, copy, count, part))
    for _ in range(ROUNDS):
        low, high = c0 * _LEFT, c2 * _RIGHT
        c0, c1, c2, c3 = (high >> _32) ^ c1 ^ left, high & _MASK, (low >> _32) ^ c3 ^ right, low & _MASK
        left, right = (left + _KEY_LEFT) & _MASK, (right + _KEY_RIGHT) & _MASK
    words = (c1 << np.uint64(21)) | (c0 >> np.uint64(11))
    return words.astype(np.float64) * TWO_TO_MINUS_53
