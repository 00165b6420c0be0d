"""exp, log, power, sine, the normal distribution and so on, written once in the primitives.

The C library's differ in their last bits from processor to processor. These are made of + − × ÷, sqrt, floor
and powers of two alone, which every processor rounds alike, so every engine gets the same bits. Sources:

- `exp`, `log`, `sin`, `cos`, `atan`: the algorithms and coefficients of fdlibm (Sun Microsystems, 1993), at most
  1 unit in the last place from the true value.
- `power`: the logarithm by the series of artanh in pairs of floats (Dekker, "A floating-point technique for
  extending the available precision", Numer. Math. 18, 1971), times the exponent, through `exp`.
- `normal`: the inverse of the normal distribution function by AS 241, PPND16 (Wichura, Appl. Statist. 37, 1988),
  worked out in pairs of floats, which brings it within 2 units in the last place.
- `modulo`, `quotient`: long division in binary, exact, with Python's signs.
"""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from functools import cache

from mint_ledger.program.building import (
    BlockBuilder,
    add,
    choose,
    compare,
    const,
    div,
    higher_of,
    mul,
    neg,
    no,
    sub,
)
from mint_ledger.program.expressions import And, Apply, Binary, Expr, Local, Or, Unary
from mint_ledger.program.handle import Handle
from mint_ledger.program.statements import If, Leave, Let, Procedure

LOG2_E = 1.44269504088896338700
LN2_HIGH = 6.93147180369123816490e-01
LN2_LOW = 1.90821492927058770002e-10
SQRT_HALF = 0.70710678118654752
SPLITTER = 134217729.0  # 2^27 + 1

EXP = (
    4.13813679705723846039e-08,
    -1.65339022054652515390e-06,
    6.61375632143793436117e-05,
    -2.77777777770155933842e-03,
    1.66666666666666019037e-01,
)
LOG = (
    1.479819860511658591e-01,
    1.531383769920937332e-01,
    1.818357216161805012e-01,
    2.222219843214978396e-01,
    2.857142874366239149e-01,
    3.999999999940941908e-01,
    6.666666666666735130e-01,
)
SIN = (
    1.58969099521155010221e-10,
    -2.50507602534068634195e-08,
    2.75573137070700676789e-06,
    -1.98412698298579493134e-04,
    8.33333333332248946124e-03,
)
SIN_FIRST = -1.66666666666666324348e-01
COS = (
    -1.13596475577881948265e-11,
    2.08757232129817482790e-09,
    -2.75573143513906633035e-07,
    2.48015872894767294178e-05,
    -1.38888888888741095749e-03,
    4.16666666666666019037e-02,
)
TWO_OVER_PI = 6.36619772367581382433e-01
HALF_PI = (1.57079632673412561417e00, 6.07710050630396597660e-11, 2.02226624871116645580e-21)
HALF_PI_REST = 8.47842766036889956997e-32
ATAN = (
    1.62858201153657823623e-02,
    -3.65315727442169155270e-02,
    4.97687799461593236017e-02,
    -5.83357013379057348645e-02,
    6.66107313738753120669e-02,
    -7.69187620504482999495e-02,
    9.09088713343650656196e-02,
    -1.11111104054623557880e-01,
    1.42857142725034663711e-01,
    -1.99999999998764832476e-01,
    3.33333333333329318027e-01,
)
# Where artan is taken about (limit of |x|, the point's artan, and what rounding left of it).
ATAN_POINTS = (
    (0.6875, 4.63647609000806093515e-01, 2.26987774529616870924e-17),
    (1.1875, 7.85398163397448278999e-01, 3.06161699786838301793e-17),
    (2.4375, 9.82793723247329054082e-01, 1.39033110312309984516e-17),
    (float("inf"), 1.57079632679489655800e00, 6.12323399573676603587e-17),
)
PI = 3.141592653589793
PI_LOW = 1.2246467991473532e-16
# AS 241, PPND16: numerators and denominators for the middle, the near and the far tail.
NORMAL_MIDDLE = (
    (
        2509.0809287301226727,
        33430.575583588128105,
        67265.770927008700853,
        45921.953931549871457,
        13731.693765509461125,
        1971.5909503065514427,
        133.14166789178437745,
        3.387132872796366608,
    ),
    (
        5226.495278852545925,
        28729.085735721942674,
        39307.89580009271061,
        21213.794301586595867,
        5394.1960214247511077,
        687.1870074920579083,
        42.313330701600911252,
        1.0,
    ),
)
NORMAL_NEAR = (
    (
        7.7454501427834140764e-4,
        0.0227238449892691845833,
        0.24178072517745061177,
        1.27045825245236838258,
        3.64784832476320460504,
        5.7694972214606914055,
        4.6303378461565452959,
        1.42343711074968357734,
    ),
    (
        1.05075007164441684324e-9,
        5.475938084995344946e-4,
        0.0151986665636164571966,
        0.14810397642748007459,
        0.68976733498510000455,
        1.6763848301838038494,
        2.05319162663775882187,
        1.0,
    ),
)
NORMAL_FAR = (
    (
        2.01033439929228813265e-7,
        2.71155556874348757815e-5,
        0.0012426609473880784386,
        0.026532189526576123093,
        0.29656057182850489123,
        1.7848265399172913358,
        5.4637849111641143699,
        6.6579046435011037772,
    ),
    (
        2.04426310338993978564e-15,
        1.4215117583164458887e-7,
        1.8463183175100546818e-5,
        7.868691311456132591e-4,
        0.0148753612908506148525,
        0.13692988092273580531,
        0.59983220655588793769,
        1.0,
    ),
)

Pair = tuple[Expr, Expr]


def horner(variable: Expr, coefficients: Iterable[float]) -> Expr:
    """A polynomial, highest power first."""
    first, *rest = coefficients
    value: Expr = const(first)
    for coefficient in rest:
        value = add(mul(value, variable), const(coefficient))
    return value


@cache
def functions() -> dict[str, Procedure]:
    """All of them, by name."""
    all_functions = (
        _exp(),
        _log(),
        _power(),
        _sine(),
        _cosine(),
        _turn(),
        _circle_of_degrees("sine of degrees", 0.0),
        _circle_of_degrees("cosine of degrees", 90.0),
        _atan(),
        _atan2(),
        _normal(),
        _modulo(),
        _quotient(),
    )
    return {procedure.handle.use: procedure for procedure in all_functions}


def _exp() -> Procedure:
    b = BlockBuilder(1)
    x = b.let(Binary("min", Binary("max", Local(0), const(-800.0)), const(800.0)))
    k = b.let(Unary("floor", add(mul(x, const(LOG2_E)), const(0.5))))
    high = b.let(sub(x, mul(k, const(LN2_HIGH))))
    low = b.let(mul(k, const(LN2_LOW)))
    r = b.let(sub(high, low))
    t = b.let(mul(r, r))
    c = b.let(sub(r, mul(t, horner(t, EXP))))
    y = sub(const(1.0), sub(sub(low, div(mul(r, c), sub(const(2.0), c))), high))
    return b.procedure(Handle("exp"), Binary("scale", y, k))


def _mantissa(b: BlockBuilder, x: Expr) -> Pair:
    """M and e with x = m·2^e and m in [√½, √2)."""
    e0 = b.let(Unary("exponent", x))
    m0 = b.let(Binary("scale", x, neg(e0)))
    small = b.let(compare("<", m0, const(SQRT_HALF)))
    return b.let(choose(small, add(m0, m0), m0)), b.let(choose(small, sub(e0, const(1.0)), e0))


def _log() -> Procedure:
    b = BlockBuilder(1)
    m, e = _mantissa(b, Local(0))
    f = b.let(sub(m, const(1.0)))
    s = b.let(div(f, add(const(2.0), f)))
    z = b.let(mul(s, s))
    r = b.let(mul(horner(z, LOG), z))
    half = b.let(mul(mul(const(0.5), f), f))
    inner = add(mul(s, add(half, r)), mul(e, const(LN2_LOW)))
    return b.procedure(Handle("log"), sub(mul(e, const(LN2_HIGH)), sub(sub(half, inner), f)))


def _two_sum(b: BlockBuilder, x: Expr, y: Expr) -> Pair:
    total = b.let(add(x, y))
    part = b.let(sub(total, x))
    return total, b.let(add(sub(x, sub(total, part)), sub(y, part)))


def _two_product(b: BlockBuilder, x: Expr, y: Expr) -> Pair:
    product = b.let(mul(x, y))
    xh, xl = _split(b, x)
    yh, yl = _split(b, y)
    rest = add(add(add(sub(mul(xh, yh), product), mul(xh, yl)), mul(xl, yh)), mul(xl, yl))
    return product, b.let(rest)


def _split(b: BlockBuilder, x: Expr) -> Pair:
    c = b.let(mul(const(SPLITTER), x))
    high = b.let(sub(c, sub(c, x)))
    return high, b.let(sub(x, high))


def _pair_product(b: BlockBuilder, x: Pair, y: Pair) -> Pair:
    high, low = _two_product(b, x[0], y[0])
    low = b.let(add(low, add(mul(x[0], y[1]), mul(x[1], y[0]))))
    return _two_sum(b, high, low)


def _pair_sum(b: BlockBuilder, x: Pair, y: Pair) -> Pair:
    high, low = _two_sum(b, x[0], y[0])
    return _two_sum(b, high, b.let(add(low, add(x[1], y[1]))))


def _odd_reciprocal(k: int) -> Pair:
    """1/(2k+1) as a pair."""
    exact = Fraction(1, 2 * k + 1)
    high = float(exact)
    return const(high), const(float(exact - Fraction(high)))


def _pair_log(b: BlockBuilder, x: Expr) -> Pair:
    """The logarithm as a pair, by the series of artanh."""
    m, e = _mantissa(b, x)
    f = b.let(sub(m, const(1.0)))
    d = _two_sum(b, m, const(1.0))
    s_high = b.let(div(f, d[0]))
    back = _two_product(b, s_high, d[0])
    s = (s_high, b.let(div(sub(sub(sub(f, back[0]), back[1]), mul(s_high, d[1])), d[0])))
    z = _pair_product(b, s, s)
    total: Pair = (b.let(horner(z[0], [1.0 / (2 * k + 1) for k in range(16, 5, -1)])), const(0.0))
    for k in range(5, -1, -1):
        total = _pair_sum(b, _pair_product(b, total, z), _odd_reciprocal(k))
    series = _pair_product(b, total, (b.let(add(s[0], s[0])), b.let(add(s[1], s[1]))))
    # e·LN2_HIGH is exact, as LN2_HIGH ends in enough zeros.
    ln2 = _two_sum(b, mul(e, const(LN2_HIGH)), mul(e, const(LN2_LOW)))
    correction = mul(e, const(LN2_LOW_REST))
    return _pair_sum(b, (ln2[0], b.let(add(ln2[1], correction))), series)


def _power() -> Procedure:
    """X to the power y for x > 0; whoever calls it sees to the signs and to 0."""
    b = BlockBuilder(2)
    x, y = Local(0), Local(1)
    out = b.new_local()
    for exponent, value in ((1.0, x), (2.0, mul(x, x)), (0.5, Unary("sqrt", x))):
        b.emit(If(compare("==", y, const(exponent)), (Let(out, value), Leave("procedure"))))
    log = _pair_log(b, x)
    # What goes beyond float64 is caught by the bound of exp; the bound here keeps the split from overflowing.
    bounded = b.let(Binary("min", Binary("max", y, const(-1e300)), const(1e300)))
    large = compare(">", Unary("abs", mul(bounded, log[0])), const(800.0))
    b.emit(If(large, (Let(out, Apply("exp", (mul(bounded, log[0]),))), Leave("procedure"))))
    product = _two_product(b, bounded, log[0])
    high, low = _two_sum(b, product[0], b.let(add(product[1], mul(bounded, log[1]))))
    whole = b.let(Apply("exp", (high,)))
    b.emit(Let(out, add(whole, mul(whole, low))))
    return b.procedure(Handle("power"), Local(out))


LN2_LOW_REST = float(
    Fraction(6931471805599453094172321214581765680755001343602552541206800094933936, 10**70)
    - Fraction(LN2_HIGH)
    - Fraction(LN2_LOW)
)


def _quarter(b: BlockBuilder, x: Expr) -> tuple[Expr, Pair]:
    """Which quarter turn x (radians) is nearest to, mod 4, and what is left, as a pair."""
    n = b.let(Unary("floor", add(mul(x, const(TWO_OVER_PI)), const(0.5))))
    first = b.let(sub(x, mul(n, const(HALF_PI[0]))))
    high, low = _two_sum(b, first, neg(mul(n, const(HALF_PI[1]))))
    low = b.let(sub(low, add(mul(n, const(HALF_PI[2])), mul(n, const(HALF_PI_REST)))))
    rest = _two_sum(b, high, low)
    quarter = b.let(sub(n, mul(const(4.0), Unary("floor", mul(n, const(0.25))))))
    return quarter, rest


def _sine_kernel(b: BlockBuilder, rest: Pair) -> Expr:
    x, y = rest
    z = b.let(mul(x, x))
    v = b.let(mul(z, x))
    r = b.let(horner(z, SIN))
    inner = sub(mul(z, sub(mul(const(0.5), y), mul(v, r))), y)
    return b.let(sub(x, sub(inner, mul(v, const(SIN_FIRST)))))


def _cosine_kernel(b: BlockBuilder, rest: Pair) -> Expr:
    x, y = rest
    z = b.let(mul(x, x))
    r = b.let(mul(z, horner(z, COS)))
    half = b.let(mul(const(0.5), z))
    w = b.let(sub(const(1.0), half))
    return b.let(add(w, add(sub(sub(const(1.0), w), half), sub(mul(z, r), mul(x, y)))))


def _circle(name: str, shift: float) -> Procedure:
    b = BlockBuilder(1)
    quarter, rest = _quarter(b, Local(0))
    sine, cosine = _sine_kernel(b, rest), _cosine_kernel(b, rest)
    turned = b.let(add(quarter, const(shift)))
    odd = Or((compare("==", turned, const(1.0)), compare("==", turned, const(3.0))))
    value = b.let(choose(odd, cosine, sine))
    back = And((compare(">=", turned, const(2.0)), compare("<", turned, const(4.0))))
    return b.procedure(Handle(name), choose(back, neg(value), value))


def _sine() -> Procedure:
    return _circle("sine", 0.0)


def _cosine() -> Procedure:
    return _circle("cosine", 1.0)


def _circle_of_degrees(name: str, shift: float) -> Procedure:
    """The sine (or with a shift of 90, the cosine) of degrees, exact at every quarter turn."""
    b = BlockBuilder(1)
    angle = b.let(Apply("modulo", (add(Local(0), const(shift)), const(360.0))))
    value: Expr = Apply("sine", (mul(angle, const(PI / 180)),))
    for degrees, exact in ((0.0, 0.0), (90.0, 1.0), (180.0, 0.0), (270.0, -1.0)):
        value = choose(compare("==", angle, const(degrees)), const(exact), value)
    return b.procedure(Handle(name), value)


def _turn() -> Procedure:
    """An angle in degrees brought into [0, 360)."""
    b = BlockBuilder(1)
    return b.procedure(Handle("turn"), Apply("modulo", (Local(0), const(360.0))))


def _atan() -> Procedure:
    """Artan of x ≥ 0."""
    b = BlockBuilder(1)
    x = Local(0)
    reduced, high, low = b.new_local(), b.new_local(), b.new_local()
    forms: tuple[Expr, ...] = (
        div(sub(mul(const(2.0), x), const(1.0)), add(const(2.0), x)),
        div(sub(x, const(1.0)), add(x, const(1.0))),
        div(sub(x, const(1.5)), add(const(1.0), mul(const(1.5), x))),
        div(const(-1.0), x),
    )
    near = If(
        compare("<", x, const(0.4375)),
        (Let(reduced, x), Let(high, const(0.0)), Let(low, const(0.0))),
        _nearest_point(x, forms, reduced, high, low),
    )
    b.emit(near)
    r = Local(reduced)
    z = b.let(mul(r, r))
    s = b.let(mul(z, horner(z, ATAN)))
    tail = sub(sub(mul(r, s), Local(low)), r)
    return b.procedure(
        Handle("atan"), choose(compare("==", Local(high), const(0.0)), sub(r, mul(r, s)), sub(Local(high), tail))
    )


def _nearest_point(x: Expr, forms: tuple[Expr, ...], reduced: int, high: int, low: int) -> tuple[If, ...]:
    chain: tuple[If, ...] = ()
    for (limit, point, rest), form in reversed(list(zip(ATAN_POINTS, forms, strict=True))):
        then = (Let(reduced, form), Let(high, const(point)), Let(low, const(rest)))
        chain = (If(compare("<", x, const(limit)), then, chain),)
    return chain


def _atan2() -> Procedure:
    """The angle of (x, y) in radians, in (-π, π]; 0 for (0, 0)."""
    b = BlockBuilder(2)
    y, x = Local(0), Local(1)
    out = b.new_local()
    b.emit(Let(out, const(0.0)))
    ay, ax = b.let(Unary("abs", y)), b.let(Unary("abs", x))
    origin = And((compare("==", ay, const(0.0)), compare("==", ax, const(0.0))))
    b.emit(If(origin, (Leave("procedure"),)))
    upright = compare(">", ay, mul(ax, const(1e18)))
    flat = compare(">", ax, mul(ay, const(1e300)))
    ratio = choose(flat, const(0.0), div(ay, higher_of(ax, const(5e-324))))
    first = b.let(choose(upright, const(PI / 2), Apply("atan", (ratio,))))
    left = sub(const(PI), sub(first, const(PI_LOW)))
    turned = b.let(choose(compare("<", x, const(0.0)), left, first))
    b.emit(Let(out, choose(compare("<", y, const(0.0)), neg(turned), turned)))
    return b.procedure(Handle("atan2"), Local(out))


def _pair_ratio(b: BlockBuilder, x: Pair, polynomials: tuple[tuple[float, ...], tuple[float, ...]]) -> Pair:
    """The quotient of two polynomials, worked out in pairs so that their rounding does not add up."""
    digits: list[Pair] = []
    for first, *rest in polynomials:
        total: Pair = (const(first), const(0.0))
        for coefficient in rest:
            total = _pair_sum(b, _pair_product(b, total, x), (const(coefficient), const(0.0)))
        digits.append(total)
    top, bottom = digits
    high = b.let(div(top[0], bottom[0]))
    back = _two_product(b, high, bottom[0])
    left = sub(add(sub(sub(top[0], back[0]), back[1]), top[1]), mul(high, bottom[1]))
    return high, b.let(div(left, bottom[0]))


def _normal() -> Procedure:
    """The value below which a standard normal number lies with probability p, 0 < p < 1."""
    b = BlockBuilder(1)
    p = Local(0)
    out = b.new_local()
    q = _two_sum(b, p, const(-0.5))
    with b.when(compare("<=", Unary("abs", q[0]), const(0.425))):
        square = _pair_product(b, q, q)
        x = _pair_sum(b, (const(0.180625), const(0.0)), (neg(square[0]), neg(square[1])))
        value = _pair_product(b, q, _pair_ratio(b, x, NORMAL_MIDDLE))
        b.emit(Let(out, add(value[0], value[1])))
        b.emit(Leave("procedure"))
    tail = choose(compare("<", q[0], const(0.0)), p, sub(const(1.0), p))
    log = _pair_log(b, b.let(tail))
    high = b.let(Unary("sqrt", neg(log[0])))
    back = _two_product(b, high, high)
    left = sub(sub(sub(neg(log[0]), back[0]), back[1]), log[1])
    root: Pair = (high, b.let(div(left, add(high, high))))
    size = b.new_local()
    for test, shift, polynomials in (("<=", -1.6, NORMAL_NEAR), (">", -5.0, NORMAL_FAR)):
        with b.when(compare(test, high, const(5.0))):  # type: ignore[arg-type]
            x = _pair_sum(b, root, (const(shift), const(0.0)))
            value = _pair_ratio(b, x, polynomials)
            b.emit(Let(size, add(value[0], value[1])))
    b.emit(Let(out, choose(compare("<", q[0], const(0.0)), neg(Local(size)), Local(size))))
    return b.procedure(Handle("normal"), Local(out))


def _remainder(b: BlockBuilder) -> Expr:
    """|a| mod |b| by long division: every subtraction is exact."""
    left = b.new_local()
    b.emit(Let(left, Unary("abs", Local(0))))
    divisor = b.let(Unary("abs", Local(1)))
    places = b.let(sub(Unary("exponent", Local(left)), Unary("exponent", divisor)))
    with b.when(compare(">=", places, const(0.0))), b.repeat(add(places, const(1.0))) as index:
        shifted = b.let(Binary("scale", divisor, sub(places, index)))
        with b.when(compare("<=", shifted, Local(left))):
            b.emit(Let(left, sub(Local(left), shifted)))
    return Local(left)


def _signed_remainder(b: BlockBuilder) -> tuple[Expr, Expr]:
    """The remainder with the sign of the dividend, and whether it has to go over to the divisor's side."""
    size = _remainder(b)
    signed = b.let(choose(compare("<", Local(0), const(0.0)), neg(size), size))
    sides = compare("!=", compare("<", signed, const(0.0)), compare("<", Local(1), const(0.0)))
    return signed, b.let(And((compare("!=", signed, const(0.0)), sides)))


def _modulo() -> Procedure:
    b = BlockBuilder(2)
    signed, crosses = _signed_remainder(b)
    return b.procedure(Handle("modulo"), choose(crosses, add(signed, Local(1)), signed))


def _quotient() -> Procedure:
    b = BlockBuilder(2)
    signed, crosses = _signed_remainder(b)
    plain = b.let(div(sub(Local(0), signed), Local(1)))
    ratio = b.let(choose(crosses, sub(plain, const(1.0)), plain))
    floor = b.let(Unary("floor", ratio))
    up = compare(">", sub(ratio, floor), const(0.5))
    return b.procedure(Handle("quotient"), add(choose(up, add(floor, const(1.0)), floor), const(0.0)))


def guarded_power(b: BlockBuilder, base: Expr, exponent: Expr) -> tuple[Expr, Expr]:
    """Python's `**` for finite numbers: its value, and whether it exists (0 to a negative, a root of a negative)."""
    whole = compare("==", Unary("floor", exponent), exponent)
    exists = Or(
        (
            compare(">", base, const(0.0)),
            And((compare("==", base, const(0.0)), compare(">=", exponent, const(0.0)))),
            And((compare("<", base, const(0.0)), whole)),
        )
    )
    half = mul(exponent, const(0.5))
    odd = no(compare("==", Unary("floor", half), half))
    size = Apply("power", (higher_of(Unary("abs", base), const(5e-324)), exponent))
    signed = choose(And((compare("<", base, const(0.0)), odd)), neg(size), size)
    zero = choose(compare("==", exponent, const(0.0)), const(1.0), const(0.0))
    return choose(compare("==", base, const(0.0)), zero, signed), exists
