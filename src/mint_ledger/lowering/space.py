"""Lowers space: who is somewhere, coordinates, distance, facing."""

from __future__ import annotations

import math
from itertools import pairwise

from mint_ledger.game.cast import Member
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef
from mint_ledger.program.building import (
    BlockBuilder,
    add,
    choose,
    compare,
    const,
    div,
    lower_of,
    mul,
    sub,
)
from mint_ledger.program.expressions import (
    ZERO,
    Apply,
    At,
    Constant,
    Expr,
    Local,
    Read,
    Unary,
    With,
    inside,
)
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column

DEGREE = 0.017453292519943295
AXES = ("x", "y")


def is_somewhere(member: Member) -> bool:
    """Return whether a kind has a place."""
    return member.kind.where is not None


def is_motion(member: Member | None, stat: str) -> bool:
    """Return whether a stat is a coordinate, which motion moves."""
    return member is not None and stat in AXES and is_somewhere(member)


def coordinate(lowering: Lowering, ref: EntityRef, axis: str) -> Expr:
    """A coordinate of an entity at this moment.

    Raises:
        Problem: a kind that the entity can be of is nowhere.
    """
    if lowering.game.space is None:
        raise Problem("the game has no space; write 'space: {}' at its top and give kinds a 'where: [x, y]'")
    nowhere = [m.name for m in ref.members if not is_somewhere(m)]
    if nowhere:
        raise Problem(f"{nowhere[0]} is nowhere; give it a 'where: [x, y]'")
    return Read(account_column(lowering, axis), ref.entity)


def waypoint_column(lowering: Lowering) -> Column:
    """Return the number of the waypoint that each entity goes to next."""
    return lowering.layout.column(Handle("motion waypoint"), "counter", 0, lowering.cast.size)


def path_of(member: Member) -> list[list[float]] | None:
    """Return the points of the one path that a kind goes along; none where it has none."""
    paths = [move.along for move in member.kind.moves or [] if move.along is not None]
    return paths[0] if paths and all(path == paths[0] for path in paths) else None


def way_along(lowering: Lowering, b: BlockBuilder, ref: EntityRef) -> Expr:
    """Return how far an entity is along its path: 0 at the first point, the whole length at the last.

    It is the length of the path up to the waypoint that comes next, less the distance to that one. So it is below 0
    on the way to the first point, and who is pushed back is less far.

    Raises:
        Problem: a kind that the entity can be of goes along no path, or along several.
    """
    value: Expr | None = None
    done: list[list[list[float]]] = []
    for member in reversed(ref.members):
        points = path_of(member)
        if points is None:
            raise Problem(
                f"{member.name} goes along no path of its own; 'along' wants 'moves: {{along: [[0, 0], …], speed: …}}'"
            )
        if points in done:
            continue
        done.append(points)
        alike = [(m.first, m.room) for m in ref.members if path_of(m) == points]
        one = _along_points(lowering, b, ref, points)
        value = one if value is None else choose(inside(ref.entity, tuple(alike)), one, value)
    assert value is not None
    return value


def _along_points(lowering: Lowering, b: BlockBuilder, ref: EntityRef, points: list[list[float]]) -> Expr:
    lengths = [0.0]
    for one, other in pairwise(points):
        lengths.append(lengths[-1] + math.dist(one, other))
    following = b.new_local()
    length, x, y = (
        at_point(Local(following), values) for values in (lengths, [p[0] for p in points], [p[1] for p in points])
    )
    dx, dy = sub(x, coordinate(lowering, ref, "x")), sub(y, coordinate(lowering, ref, "y"))
    way = sub(length, Unary("sqrt", add(mul(dx, dx), mul(dy, dy))))
    last = const(len(points) - 1)
    return With(following, lower_of(At(waypoint_column(lowering), ref.entity), last), way)


def at_point(number: Expr, values: list[float]) -> Expr:
    """Return the value of a waypoint, by its number."""
    value: Expr = Constant(values[-1])
    for index in range(len(values) - 2, -1, -1):
        value = choose(compare("==", number, const(index)), Constant(values[index]), value)
    return value


def offsets(lowering: Lowering, one: EntityRef, other: EntityRef) -> tuple[Expr, Expr]:
    """Return how far `other` is from `one` along x and y."""
    return (
        sub(coordinate(lowering, other, "x"), coordinate(lowering, one, "x")),
        sub(coordinate(lowering, other, "y"), coordinate(lowering, one, "y")),
    )


def squared_distance(lowering: Lowering, one: EntityRef, other: EntityRef) -> Expr:
    """The square of the distance between two centers."""
    dx, dy = offsets(lowering, one, other)
    return add(mul(dx, dx), mul(dy, dy))


def distance(lowering: Lowering, one: EntityRef, other: EntityRef) -> Expr:
    """The distance between two centers."""
    return Unary("sqrt", squared_distance(lowering, one, other))


def direction(lowering: Lowering, ref: EntityRef) -> tuple[Expr, Expr]:
    """The unit vector of where an entity faces."""
    faces = coordinate(lowering, ref, "faces")
    return Apply("cosine of degrees", (faces,)), Apply("sine of degrees", (faces,))


def ahead(lowering: Lowering, one: EntityRef, other: EntityRef) -> Expr:
    """Return how far `other` is ahead of `one`, along where that one faces."""
    dx, dy = offsets(lowering, one, other)
    cosine, sine = direction(lowering, one)
    return add(mul(dx, cosine), mul(dy, sine))


def facing(lowering: Lowering, one: EntityRef, other: EntityRef) -> Expr:
    """The angle in degrees, 0 to 180, between where `one` faces and where `other` is."""
    dx, dy = offsets(lowering, one, other)
    cosine, sine = direction(lowering, one)
    across = sub(mul(dy, cosine), mul(dx, sine))
    return div(Unary("abs", Apply("atan2", (across, ahead(lowering, one, other)))), const(DEGREE))


def behind(lowering: Lowering, one: EntityRef, other: EntityRef) -> Expr:
    """Return whether `one` stands more than 90° off where `other` faces."""
    return compare("<", ahead(lowering, other, one), ZERO)


def in_arc(lowering: Lowering, one: EntityRef, other: EntityRef, arc: Expr) -> Expr:
    """Return whether `other` is within the full angle `arc` (degrees) around where `one` faces."""
    half = Apply("cosine of degrees", (mul(lower_of(arc, const(360.0)), const(0.5)),))
    reach = mul(distance(lowering, one, other), half)
    return compare(">=", add(ahead(lowering, one, other), const(1e-12)), reach)
