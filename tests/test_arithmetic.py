"""Our own exp, log, power … against mpmath's 40 digits, in units in the last place."""

from __future__ import annotations

import math
import random
from collections.abc import Callable

import mpmath
import pytest
from scipy.stats import norm

import mint_ledger as mint
from mint_ledger.engines.reference import ReferenceEngine

pytestmark = pytest.mark.smoke

mpmath.mp.dps = 40
R = random.Random(20)


@pytest.fixture(scope="module")
def engine() -> ReferenceEngine:
    return ReferenceEngine(mint.loads("title: Empty").lowered.program)


def worst_ulp(mine: Callable[..., float], true: Callable[..., mpmath.mpf], inputs: list[tuple[float, ...]]) -> float:
    worst = 0.0
    for arguments in inputs:
        exact = true(*arguments)
        error = abs(mpmath.mpf(mine(*arguments)) - exact) / mpmath.mpf(math.ulp(float(exact)))
        worst = max(worst, float(error))
    return worst


CASES: dict[str, tuple[Callable[..., mpmath.mpf], list[tuple[float, ...]], float]] = {
    "exp": (
        lambda x: mpmath.exp(mpmath.mpf(x)),
        [(R.uniform(-700, 700),) for _ in range(1500)]
        + [(R.uniform(-2, 2),) for _ in range(1500)]
        + [(0.0,), (709.7,)],
        1.0,
    ),
    "log": (
        lambda x: mpmath.log(mpmath.mpf(x)),
        [(math.exp(R.uniform(-700, 700)),) for _ in range(1500)]
        + [(R.uniform(0.5, 2),) for _ in range(1500)]
        + [(5e-324,), (1.7e308,)],
        1.0,
    ),
    "power": (
        lambda x, y: mpmath.power(mpmath.mpf(x), mpmath.mpf(y)),
        [(R.uniform(0.01, 20), R.uniform(-60, 60)) for _ in range(1500)]
        + [(R.uniform(0.9, 1.1), R.uniform(-3000, 3000)) for _ in range(1000)]
        + [(float(R.randint(1, 40)), float(R.randint(-9, 30))) for _ in range(500)],
        2.0,
    ),
    "sine": (
        lambda x: mpmath.sin(mpmath.mpf(x)),
        [(R.uniform(-1000, 1000),) for _ in range(1500)] + [(k * math.pi,) for k in range(1, 300)],
        1.5,
    ),
    "cosine": (
        lambda x: mpmath.cos(mpmath.mpf(x)),
        [(R.uniform(-1000, 1000),) for _ in range(1500)] + [((k + 0.5) * math.pi,) for k in range(300)],
        1.5,
    ),
    "atan2": (
        lambda y, x: mpmath.atan2(mpmath.mpf(y), mpmath.mpf(x)),
        [(R.uniform(-10, 10), R.uniform(-10, 10)) for _ in range(2000)] + [(1e-5, -3.0), (7.0, 1e-9)],
        2.0,
    ),
    "normal": (
        lambda p: mpmath.sqrt(2) * mpmath.erfinv(2 * mpmath.mpf(p) - 1),
        [(R.uniform(0.001, 0.999),) for _ in range(300)]
        + [(10 ** R.uniform(-12, -3),) for _ in range(200)]
        + [(0.5 + R.uniform(-0.01, 0.01),) for _ in range(200)],
        2.0,
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_own_functions_are_within_a_unit_or_two_of_the_true_value(engine: ReferenceEngine, name: str) -> None:
    true, inputs, bound = CASES[name]
    assert worst_ulp(lambda *a: engine.ask(name, *a), true, inputs) <= bound


def test_the_inverse_normal_agrees_with_scipy_far_into_the_tails(engine: ReferenceEngine) -> None:
    for p in (1e-300, 1e-20, 1e-9, 0.02425, 0.075, 0.5, 0.925, 0.97575, 1 - 1e-12):
        assert engine.ask("normal", p) == pytest.approx(float(norm.ppf(p)), rel=1e-14, abs=1e-15)


def test_remainders_are_pythons_to_the_bit(engine: ReferenceEngine) -> None:
    for _ in range(2000):
        x = R.uniform(-1, 1) * 10 ** R.uniform(-10, 12)
        y = R.uniform(0.1, 1) * 10 ** R.uniform(-3, 6) * R.choice([-1, 1])
        assert engine.ask("modulo", x, y) == x % y
        assert engine.ask("quotient", x, y) == x // y
