"""The beta distribution in plain Python, for intervals of shares: SciPy has it too, but takes longer to import than a
short command.
"""

from __future__ import annotations

import math
from functools import lru_cache

_ROUNDS = 500
_TINY = 1e-300


def beta_below(x: float, a: float, b: float) -> float:
    """Return the chance that a beta variable is below `x`: the regularized incomplete beta function I_x(a, b).

    By the continued fraction of DLMF 8.17.22, worked out as Lentz does (Applied Optics 15, 1976).

    Args:
        x: 0 to 1.
        a, b: above 0, not only whole numbers.
    """
    if x <= 0.0 or x >= 1.0:
        return float(x >= 1.0)
    if x > (a + 1.0) / (a + b + 2.0):
        return 1.0 - beta_below(1.0 - x, b, a)
    front = a * math.log(x) + b * math.log1p(-x) + math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b)
    c, d = 1.0, 1.0 / _not_zero(1.0 - (a + b) * x / (a + 1.0))
    fraction = d
    for m in range(1, _ROUNDS):
        even = m * (b - m) * x / ((a + 2 * m - 1.0) * (a + 2 * m))
        odd = -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1.0))
        for term in (even, odd):
            d = 1.0 / _not_zero(1.0 + term * d)
            c = _not_zero(1.0 + term / c)
            fraction *= c * d
        if abs(c * d - 1.0) < 1e-15:
            break
    return min(1.0, math.exp(front) * fraction / a)


def _not_zero(value: float) -> float:
    return value if abs(value) > _TINY else _TINY


@lru_cache(4096)
def beta_quantile(chance: float, a: float, b: float) -> float:
    """Return the value below which a beta variable lies with some chance, to twelve digits."""
    low, high = 0.0, 1.0
    for _ in range(100):
        middle = (low + high) / 2.0
        if high - low <= 1e-13 * middle:
            break
        low, high = (middle, high) if beta_below(middle, a, b) < chance else (low, middle)
    return (low + high) / 2.0
