"""Lowers motion, places that are set, and what touches by its size.

Motion is a pair of anchored flows, one for x and one for y, toward a goal that is far away where there is none.
So it is exact while the goal and the speed stay the same, at any number of steps a second.
"""

from __future__ import annotations

from dataclasses import dataclass

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.choice import OneOf
from mint_ledger.game.space import Move
from mint_ledger.lowering.choice import emit_one_of
from mint_ledger.lowering.columns import account_column, flow_columns, habit_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import amount, condition, entity_text
from mint_ledger.lowering.handles import motion
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.reading import touched_column
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import (
    AXES,
    DEGREE,
    at_point,
    coordinate,
    direction,
    is_somewhere,
    offsets,
    squared_distance,
    waypoint_column,
)
from mint_ledger.lowering.status_effect import MOVES, blocked
from mint_ledger.program.building import (
    BlockBuilder,
    add,
    choose,
    compare,
    const,
    div,
    higher_of,
    lower_of,
    mul,
    neg,
    no,
    sub,
)
from mint_ledger.program.expressions import (
    ONE,
    ZERO,
    And,
    Apply,
    At,
    Expr,
    Fold,
    Local,
    Or,
    Read,
    Seconds,
    Step,
    Unary,
)
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import FlowSpec, OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Flow, Leave, Let, Post, Set

FAR = 1e15
LEAST_TURN = 10.0
SURELY_AHEAD = 0.17
"""Whoever is off its line by less than this share of the way along it is less than 9.7 degrees off."""
MEASURABLE = 1e-280, 1e280
"""Between these, products of two lengths neither vanish nor overflow."""
NEVER = 1e18
ROUNDING = 1e-9
PARTING = 1e-6
"""Two that touch part beyond the sum of their radii by this share of it and this much more."""


def _slot(lowering: Lowering, what: str, role: str = "mark", *, memo: bool = False) -> Column:
    return lowering.layout.column(Handle(f"motion {what}"), role, 0, lowering.cast.size, memo=memo)  # type: ignore[arg-type]


def motion_spec(lowering: Lowering, member: Member, axis: str) -> FlowSpec:
    """The flow of a coordinate: toward its goal, with the share of the speed that falls on its axis."""
    return FlowSpec(
        name=f"{member.name}.{axis}.moves",
        to=At(_slot(lowering, f"goal {axis}"), Local(0)),
        rate=At(_slot(lowering, f"speed {axis}"), Local(0)),
        after=ZERO,
        after_limit=None,
        gate=None,
        at_once=False,
        cause=lowering.cause("flow", "moves", ("kinds", member.name, "moves")),
    )


def lower_motion(lowering: Lowering) -> None:
    """Make `motion KIND`: where all of a kind that are somewhere go from this step on."""
    for member in moving_members(lowering):
        b = BlockBuilder()
        aims = _Aims(lowering, b, member)
        with b.each(((member.first, member.room),)) as who:
            _emit_member(lowering, b, member, who, aims)
        moves = ", ".join(move.key for move in member.kind.moves or []) or "still"
        lowering.order.append(OrderLine("4 contact", f"{member.name} moves: {moves}", ("kinds", member.name)))
        lowering.procedure(b.procedure(motion(member.name)))


def moving_members(lowering: Lowering) -> list[Member]:
    """The kinds that are somewhere."""
    return [member for member in lowering.cast.members.values() if is_somewhere(member) and member.room]


class _Aims:
    """Where those stand that are the only ones of their kind, worked out once for all who go toward them.

    They stand still in the meantime: moving one changes nobody else's place.
    """

    def __init__(self, lowering: Lowering, b: BlockBuilder, member: Member) -> None:
        self._known: dict[int, tuple[Expr, Expr]] = {}
        habits = [habit.moves for habit in lowering.game.habits.values() if member in lowering.cast.families(habit.by)]
        for move in [move for moves in (member.kind.moves, *habits) for move in moves or []]:
            if isinstance(move.toward, OneOf):
                continue
            members = _members_of(lowering, str(move.toward))
            if len(members) == 1 and members[0].room == 1 and member.room > 1 and is_somewhere(members[0]):
                first = members[0].first
                ref = EntityRef(const(first), members)
                if first not in self._known:
                    x, y = (b.let(coordinate(lowering, ref, axis)) for axis in AXES)
                    self._known[first] = x, y

    def place(self, lowering: Lowering, b: BlockBuilder, target: EntityRef) -> tuple[Expr, Expr]:
        """Return where somebody stands."""
        if len(target.members) == 1 and target.members[0].room == 1 and target.members[0].first in self._known:
            return self._known[target.members[0].first]
        x, y = (b.let(coordinate(lowering, target, axis)) for axis in AXES)
        return x, y


def _members_of(lowering: Lowering, name: str) -> tuple[Member, ...]:
    """The kinds that a name stands for; none where it is no kind's."""
    family = lowering.cast.family(name) if name in lowering.cast.members else []
    return tuple(member for member in family if member.room)


def _emit_member(lowering: Lowering, b: BlockBuilder, member: Member, who: Expr, aims: _Aims) -> None:
    done = b.new_local()
    b.emit(Let(done, ZERO))
    for axis in AXES:
        _keep_course(lowering, b, axis, who)
    keeps = blocked(lowering, MOVES, who)
    if keeps is not None:
        with b.when(keeps):
            emit_still(lowering, b, who)
            b.emit(Let(done, ONE))
    ref = EntityRef(who, (member,))
    for number, (name, habit) in enumerate(lowering.game.habits.items(), start=1):
        if habit.moves and member in lowering.cast.families(habit.by):
            with b.when(compare("==", At(habit_column(lowering), who), const(number))):
                _emit_moves(lowering, b, ref, habit.moves, ("habits", name, "moves"), done, aims)
    _emit_moves(lowering, b, ref, member.kind.moves or [], _moves_path(lowering, member), done, aims)
    with b.when(no(Local(done))):
        emit_still(lowering, b, who)
    for axis in AXES:
        b.emit(Flow(account_column(lowering, axis), who))


def _moves_path(lowering: Lowering, member: Member) -> Path:
    owner = next((a for a in member.family if lowering.game.kinds[a].moves is not None), member.name)
    return ("kinds", owner, "moves")


def _course(lowering: Lowering, axis: str, what: str) -> Column:
    """One of the columns in which the course of the last step is kept while a new one is set."""
    # A place is a value, so conditions are asked again after each look at motion.
    roles = {"anchor": "step", "place": "value"}
    return _slot(lowering, f"last {what} {axis}", roles.get(what, "mark"))


def _keep_course(lowering: Lowering, b: BlockBuilder, axis: str, who: Expr) -> None:
    """Keep where an entity came from: from which place it has moved, since when, how fast and how far at most."""
    place = account_column(lowering, axis)
    flows = flow_columns(lowering, place, axis)
    for what, column in (("place", place), ("anchor", flows.anchor), ("rate", flows.rate), ("to", flows.to)):
        b.emit(Set(_course(lowering, axis, what), who, At(column, who)))


def _forget_course(lowering: Lowering, b: BlockBuilder, axis: str, who: Expr) -> None:
    """Whoever appears or is put somewhere was nowhere else before."""
    b.emit(Set(_course(lowering, axis, "anchor"), who, Step()))


def _place_before(lowering: Lowering, b: BlockBuilder, ref: EntityRef, axis: str, now: Expr) -> Expr:
    """Return where an entity was in the last step, worked out as its flow was then; where it is if it was nowhere."""
    place, anchor, rate, to = (
        b.let(At(_course(lowering, axis, what), ref.entity)) for what in ("place", "anchor", "rate", "to")
    )
    steps = b.let(sub(sub(Step(), ONE), anchor))
    moved = b.let(add(place, mul(rate, Seconds(steps))))
    held = choose(compare(">", rate, ZERO), lower_of(moved, to), higher_of(moved, to))
    # In the step in which a course begins, nothing has moved yet.
    before = choose(Or((compare("==", rate, ZERO), compare("==", steps, ZERO))), place, held)
    return b.let(choose(compare("<", steps, ZERO), now, before))


def emit_still(lowering: Lowering, b: BlockBuilder, who: Expr) -> None:
    """Emit that an entity stands."""
    for axis in AXES:
        b.emit(Set(_slot(lowering, f"speed {axis}"), who, ZERO))
    # Whoever goes on to the same goal later sets out again.
    b.emit(Set(_slot(lowering, "speed"), who, const(-1.0)))


def _emit_moves(
    lowering: Lowering, b: BlockBuilder, ref: EntityRef, moves: list[Move], path: Path, done: int, aims: _Aims
) -> None:
    """The first of the moves whose `if` holds."""
    for index, move in enumerate(moves):
        inner = (*path, index)
        scope = Scope(lowering, b, inner, self_=ref, no_chance="how something moves")
        test: Expr = no(Local(done))
        if move.if_ is not None:
            test = And((test, condition(scope, move.if_, "if")))
        with b.when(test):
            b.emit(Let(done, ONE))
            try:
                _emit_move(lowering, scope, ref, move, aims)
            except Problem as problem:
                lowering.fault((*inner, move.key), str(problem))


def _emit_move(lowering: Lowering, scope: Scope, ref: EntityRef, move: Move, aims: _Aims) -> None:
    b = scope.builder
    if move.still:
        emit_still(lowering, b, ref.entity)
        return
    if move.ahead is not None:
        speed = b.let(amount(scope, move.ahead, "ahead"))
        cosine, sine = direction(lowering, ref)
        _emit_course(lowering, b, ref, (mul(speed, cosine), mul(speed, sine)), Unary("abs", speed))
        return
    assert move.speed is not None
    speed = b.let(higher_of(amount(scope, move.speed, "speed"), ZERO))
    if move.toward is not None or move.away is not None:
        if isinstance(move.toward, OneOf):
            target = emit_one_of(scope.at("toward"), move.toward, may_be_self=False)
        else:
            target = _target(scope, ref, str(move.toward or move.away))
        with b.when(compare("<", target.entity, ZERO)):
            emit_still(lowering, b, ref.entity)
        with b.when(compare(">=", target.entity, ZERO)):
            if move.toward is not None:
                _emit_goal(lowering, scope, ref, *aims.place(lowering, b, target), speed)
            else:
                dx, dy = (b.let(neg(part)) for part in offsets(lowering, ref, target))
                length = b.let(Unary("sqrt", add(mul(dx, dx), mul(dy, dy))))
                safe = higher_of(length, const(1e-300))
                ways = div(mul(speed, dx), safe), div(mul(speed, dy), safe)
                _emit_course(lowering, b, ref, ways, speed)
                _emit_turn(lowering, b, ref, dx, dy)
        return
    points = move.between or move.along or []
    _emit_waypoints(lowering, scope, ref, points, speed, turns_back=move.between is not None)


def _target(scope: Scope, ref: EntityRef, name: str) -> EntityRef:
    """The entity of that name, or the nearest one of a kind; -1 where there is none."""
    lowering, b = scope.lowering, scope.builder
    if name in lowering.cast.members:
        members = _members_of(lowering, name)
        candidate = b.new_local()
        where = And((lowering.present(Local(candidate)), compare("!=", Local(candidate), ref.entity)))
        near = squared_distance(lowering, ref, EntityRef(Local(candidate), members))
        chosen = b.let(Fold("argmin", candidate, ranges_of(members), where, near))
        return EntityRef(chosen, members)
    return entity_text(scope, name)


def _emit_course(lowering: Lowering, b: BlockBuilder, ref: EntityRef, ways: tuple[Expr, Expr], speed: Expr) -> None:
    """Go on in one direction, so far along x and y in a second: the goal is far away."""
    who, member = ref.entity, ref.members[0]
    for axis, velocity in zip(AXES, ways, strict=True):
        v = b.let(velocity)
        b.emit(Set(_slot(lowering, f"goal {axis}"), who, choose(compare("<", v, ZERO), const(-FAR), const(FAR))))
        b.emit(Set(_slot(lowering, f"speed {axis}"), who, Unary("abs", v)))
    b.emit(Set(_slot(lowering, "speed"), who, const(-1.0)))
    _note_speed(lowering, b, member, speed)


def _fastest(lowering: Lowering, member: Member) -> Column:
    return lowering.layout.column(Handle("motion fastest", ("kinds", member.name)), "mark", memo=True)


def _is_faster(lowering: Lowering, member: Member) -> Column:
    return lowering.layout.column(Handle("motion faster", ("kinds", member.name)), "counter", memo=True)


def _note_speed(lowering: Lowering, b: BlockBuilder, member: Member, speed: Expr) -> None:
    """Note the highest speed at which any of a kind has gone so far, and that it has risen."""
    fastest = _fastest(lowering, member)
    with b.when(compare(">", speed, At(fastest, ZERO))):
        b.emit(Set(fastest, ZERO, speed))
        b.emit(Set(_is_faster(lowering, member), ZERO, ONE))


def _emit_goal(lowering: Lowering, scope: Scope, ref: EntityRef, x: Expr, y: Expr, speed: Expr) -> None:
    """Go to a point. While point and speed stay as they are the course is left alone, so that it stays exact."""
    b, who = scope.builder, ref.entity
    same = And(
        (
            compare("==", At(_slot(lowering, "goal x"), who), x),
            compare("==", At(_slot(lowering, "goal y"), who), y),
            compare("==", At(_slot(lowering, "speed"), who), speed),
        )
    )
    with b.when(no(same)):
        dx = b.let(sub(x, coordinate(lowering, ref, "x")))
        dy = b.let(sub(y, coordinate(lowering, ref, "y")))
        length = b.let(Unary("sqrt", add(mul(dx, dx), mul(dy, dy))))
        safe = higher_of(length, const(1e-300))
        for axis, goal, part in (("x", x, dx), ("y", y, dy)):
            b.emit(Set(_slot(lowering, f"goal {axis}"), who, goal))
            b.emit(Set(_slot(lowering, f"speed {axis}"), who, div(mul(speed, Unary("abs", part)), safe)))
        b.emit(Set(_slot(lowering, "speed"), who, speed))
        _note_speed(lowering, b, ref.members[0], speed)
        _emit_turn(lowering, b, ref, dx, dy)


def _emit_turn(lowering: Lowering, b: BlockBuilder, ref: EntityRef, dx: Expr, dy: Expr) -> None:
    """Whoever moves looks where it goes; a turn of less than ten degrees is not booked.

    Angles are dear. So the way of the last turn is kept beside the angle that came of it: who still faces that angle
    and goes almost the same way has not turned.
    """
    column, who = account_column(lowering, "faces"), ref.entity
    turned_to, *ways = (_slot(lowering, f"turned to{what}", memo=True) for what in ("", " along x", " along y"))
    faces = b.let(Read(column, who))
    wx, wy = (b.let(At(way, who)) for way in ways)
    ahead = b.let(add(mul(wx, dx), mul(wy, dy)))
    aside = Unary("abs", sub(mul(wx, dy), mul(wy, dx)))
    least, most = (const(bound) for bound in MEASURABLE)
    same_way = And(
        (
            compare("==", At(turned_to, who), faces),
            compare(">", ahead, least),
            compare("<", ahead, most),
            compare("<", aside, mul(ahead, const(SURELY_AHEAD))),
        )
    )
    with b.when(no(same_way)):
        angle = b.let(Apply("turn", (div(Apply("atan2", (dy, dx)), const(DEGREE)),)))
        off = b.let(Apply("turn", (sub(angle, faces),)))
        moves = compare(">", add(mul(dx, dx), mul(dy, dy)), ZERO)
        turned = And((moves, compare(">=", lower_of(off, sub(const(360.0), off)), const(LEAST_TURN))))
        cause = const(lowering.cause("flow", "moves", ("kinds", ref.members[0].name, "moves")))
        with b.when(turned):
            b.emit(Post(column, who, "set", angle, cause, who))
            b.emit(Set(turned_to, who, Read(column, who)))
            exact = compare("<", Unary("abs", sub(Read(column, who), angle)), const(1e-9))
            for way, length in zip(ways, (dx, dy), strict=True):
                b.emit(Set(way, who, choose(exact, length, ZERO)))


def _emit_waypoints(
    lowering: Lowering, scope: Scope, ref: EntityRef, points: list[list[float]], speed: Expr, *, turns_back: bool
) -> None:
    """From point to point; `between` turns back at its ends, `along` stays at its last."""
    b, who = scope.builder, ref.entity
    column = waypoint_column(lowering)
    at = b.let(lower_of(At(column, who), const(len(points) - 1)))
    x, y = (b.let(at_point(at, [point[i] for point in points])) for i in (0, 1))
    there = And((compare("==", coordinate(lowering, ref, "x"), x), compare("==", coordinate(lowering, ref, "y"), y)))
    last = compare(">=", at, const(len(points) - 1))
    following = choose(last, ZERO if turns_back else at, add(at, ONE))
    with b.when(there):
        left = Local(b.new_local())
        b.emit(Let(left.index, _beyond(lowering, b, ref, x, y)))
        b.emit(Set(column, who, following))
        # Short legs may be passed within one step.
        with b.repeat(const(len(points))):
            at = b.let(lower_of(At(column, who), const(len(points) - 1)))
            gx, gy = (b.let(at_point(at, [point[i] for point in points])) for i in (0, 1))
            leg = b.let(_length(sub(gx, coordinate(lowering, ref, "x")), sub(gy, coordinate(lowering, ref, "y"))))
            stays = And((compare(">=", at, const(len(points) - 1)), ZERO if turns_back else ONE))
            with b.when(Or((compare("<", left, leg), compare("<=", left, ZERO), stays))):
                b.emit(Leave("each"))
            cause = const(lowering.cause("flow", "moves", ("kinds", ref.members[0].name, "moves")))
            for axis, goal in (("x", gx), ("y", gy)):
                b.emit(Post(account_column(lowering, axis), who, "set", goal, cause, who))
            b.emit(Let(left.index, sub(left, leg)))
            last = compare(">=", at, const(len(points) - 1))
            b.emit(Set(column, who, choose(last, ZERO if turns_back else at, add(at, ONE))))
        _emit_leg(lowering, scope, ref, points, speed)
        with b.when(And((compare(">", left, ZERO), compare(">", speed, ZERO)))):
            # The part of the step behind the corner belongs to the next leg: that one began before this step.
            for axis in AXES:
                b.emit(Flow(account_column(lowering, axis), who))
                flows = flow_columns(lowering, account_column(lowering, axis), axis)
                began = sub(Step(), div(div(left, speed), const(lowering.game.clock.step)))
                b.emit(Set(flows.anchor, who, began))
    _emit_leg(lowering, scope, ref, points, speed)


def _emit_leg(lowering: Lowering, scope: Scope, ref: EntityRef, points: list[list[float]], speed: Expr) -> None:
    """Go toward the waypoint that comes next."""
    b = scope.builder
    now = b.let(lower_of(At(waypoint_column(lowering), ref.entity), const(len(points) - 1)))
    gx, gy = (b.let(at_point(now, [point[i] for point in points])) for i in (0, 1))
    _emit_goal(lowering, scope, ref, gx, gy, speed)


def _beyond(lowering: Lowering, b: BlockBuilder, ref: EntityRef, x: Expr, y: Expr) -> Expr:
    """Return how far an entity that has come to the end (x, y) of its leg would be beyond it, had the leg gone on."""
    who = ref.entity
    places = [account_column(lowering, axis) for axis in AXES]
    flows = [flow_columns(lowering, place, axis) for place, axis in zip(places, AXES, strict=True)]
    rates = [b.let(At(flow.rate, who)) for flow in flows]
    leg = _length(sub(x, At(places[0], who)), sub(y, At(places[1], who)))
    anchor = choose(compare("!=", rates[0], ZERO), At(flows[0].anchor, who), At(flows[1].anchor, who))
    walked = mul(_length(*rates), Seconds(sub(Step(), anchor)))
    under_way = Or((compare("!=", rates[0], ZERO), compare("!=", rates[1], ZERO)))
    return choose(under_way, higher_of(sub(walked, leg), ZERO), ZERO)


def _length(dx: Expr, dy: Expr) -> Expr:
    return Unary("sqrt", add(mul(dx, dx), mul(dy, dy)))


def emit_first_leg(lowering: Lowering, b: BlockBuilder, member: Member, who: Expr) -> None:
    """Set out from the beginning of the way as an entity appears, so that who has one loses no step."""
    b.emit(Set(waypoint_column(lowering), who, ZERO))
    if any(move.along or move.between for move in member.kind.moves or []):
        _emit_member(lowering, b, member, who, _Aims(lowering, b, member))


# Contact by size


@dataclass(frozen=True)
class Displacement:
    """Where an entity is, and where it was in the last step."""

    here: tuple[Expr, Expr]
    before: tuple[Expr, Expr]


def way_of(lowering: Lowering, b: BlockBuilder, ref: EntityRef) -> Displacement:
    """Work out the way of an entity that is somewhere."""
    x, y = (b.let(coordinate(lowering, ref, axis)) for axis in AXES)
    return Displacement((x, y), (_place_before(lowering, b, ref, "x", x), _place_before(lowering, b, ref, "y", y)))


@dataclass(frozen=True)
class MovingPair:
    """Two that may touch by their size, with their ways, and how far apart they are along x and y."""

    ends: tuple[EntityRef, EntityRef]
    ways: tuple[Displacement, Displacement]
    apart: tuple[Expr, Expr]


def pair_of(b: BlockBuilder, ends: tuple[EntityRef, EntityRef], ways: tuple[Displacement, Displacement]) -> MovingPair:
    """Work out how far apart two are."""
    x, y = (b.let(sub(there, here)) for here, there in zip(ways[0].here, ways[1].here, strict=True))
    return MovingPair(ends, ways, (x, y))


def has_plain_size(member: Member) -> bool:
    """Whether the size of a kind never changes in a run, and it moves by no more than its speed and by postings."""
    stats = [member.kind.stats[axis] for axis in AXES]
    steady = all(not stat.whole and stat.at_limit != "wrap" for stat in stats)
    return steady and (member.kind.radius is None or member.kind.radius.number is not None)


def moved_by_hand(lowering: Lowering, who: Expr) -> Expr:
    """The step in which somebody was last put somewhere, by whatever posting."""
    x, y = (At(touched_column(lowering, axis, memo=True), who) for axis in AXES)
    return higher_of(x, y)


def is_faster(lowering: Lowering, member: Member) -> Expr:
    """Return whether a kind has begun to go faster than ever before."""
    return At(_is_faster(lowering, member), ZERO)


def forget_faster(lowering: Lowering, b: BlockBuilder, member: Member) -> None:
    """What follows from a higher speed is done."""
    b.emit(Set(_is_faster(lowering, member), ZERO, ZERO))


def first_touch(lowering: Lowering, b: BlockBuilder, pair: MovingPair) -> Expr:
    """The first step in which two that do not touch now might, at the highest speeds of their kinds.

    A little is taken off their distance, by far more than all rounding of places could be.
    """
    dx, dy = pair.apart
    distance = Unary("sqrt", add(mul(dx, dx), mul(dy, dy)))
    sizes = add(radius(lowering, b, pair.ends[0]), radius(lowering, b, pair.ends[1]))
    places = [Unary("abs", place) for way in pair.ways for place in way.here]
    slack = mul(add(add(places[0], places[1]), add(places[2], places[3])), const(ROUNDING))
    gap = sub(mul(distance, const(1.0 - ROUNDING)), add(mul(sizes, const(1.0 + PARTING)), add(slack, const(PARTING))))
    speeds = [At(_fastest(lowering, end.members[0]), ZERO) for end in pair.ends]
    a_step = mul(add(*speeds), Seconds(ONE))
    steps = b.let(div(gap, higher_of(mul(a_step, const(1.0 + ROUNDING)), const(1e-300))))
    soon = add(Step(), higher_of(Unary("floor", steps), ONE))
    return choose(compare("<", steps, const(FAR)), soon, const(NEVER))


def touches(lowering: Lowering, b: BlockBuilder, pair: MovingPair, before: Expr) -> Expr:
    """Return whether two touch now, or did on their way since the last step.

    Between two steps both move straight, so what counts is how near the straight line of their difference comes; where
    they touched `before`, only where they are now, so that a contact ends as they part. It ends a little farther out
    than it began (`PARTING`): where it ended, rounding cannot let it begin again.
    """
    (mine, theirs), (dx, dy) = pair.ways, pair.apart
    one, other = pair.ends
    vx, vy = (
        b.let(sub(now, sub(there, here))) for now, here, there in zip((dx, dy), mine.before, theirs.before, strict=True)
    )
    length = b.let(add(mul(vx, vx), mul(vy, vy)))
    along = b.let(add(mul(dx, vx), mul(dy, vy)))
    # Looking back in time: at share t of the last step they were at d - t·v.
    most = b.let(higher_of(length, const(1e-300)))
    inside_it = choose(compare(">=", along, most), ONE, div(along, most))
    nears = And((compare(">", along, ZERO), compare(">", length, ZERO), no(before)))
    share = b.let(choose(nears, inside_it, ZERO))
    nx, ny = b.let(sub(dx, mul(share, vx))), b.let(sub(dy, mul(share, vy)))
    together = b.let(add(radius(lowering, b, one), radius(lowering, b, other)))
    parting = add(mul(together, const(1.0 + PARTING)), const(PARTING))
    sizes = b.let(choose(before, parting, together))
    return b.let(compare("<=", add(mul(nx, nx), mul(ny, ny)), mul(sizes, sizes)))


def radius(lowering: Lowering, b: BlockBuilder, ref: EntityRef) -> Expr:
    """The radius of an entity of one kind."""
    member = ref.members[0]
    if member.kind.radius is None:
        return ZERO
    owner = next((a for a in member.family if lowering.game.kinds[a].radius is not None), member.name)
    path: Path = ("kinds", owner)
    if lowering.dial_index(("kinds", member.name, "radius")) is not None:
        path = ("kinds", member.name)
    scope = Scope(lowering, b, path, self_=ref, no_chance="a radius")
    return amount(scope, member.kind.radius, "radius")


def check_radii(lowering: Lowering) -> None:
    """Look at the formulas of radii that nothing has asked for: they may be faulty all the same."""
    for member in lowering.cast.members.values():
        formula = member.kind.radius
        if not member.room or not is_somewhere(member) or formula is None or formula.number is not None:
            continue
        owner = next((a for a in member.family if lowering.game.kinds[a].radius is not None), member.name)
        if ("kinds", owner, "radius") not in lowering.sites.seen:
            radius(lowering, BlockBuilder(), EntityRef(const(float(member.first)), (member,)))


def emit_place(
    scope: Scope, ref: EntityRef, to: list[Formula] | OneOf, cause: Expr, by: Expr, *path: str | int
) -> None:
    """Emit the putting of an entity at a place, or where one is that is chosen; nothing where there is nobody."""
    b = scope.builder
    if isinstance(to, OneOf):
        goal = emit_one_of(scope.at(*path), to)
        with b.when(compare(">=", goal.entity, ZERO)):
            for axis in AXES:
                _put(scope, ref, axis, b.let(coordinate(scope.lowering, goal, axis)), cause, by)
        return
    values = [b.let(amount(scope, value, *path, index)) for index, value in enumerate(to)]
    for axis, value in zip(AXES, values, strict=True):
        _put(scope, ref, axis, value, cause, by)


def _put(scope: Scope, ref: EntityRef, axis: str, value: Expr, cause: Expr, by: Expr) -> None:
    coordinate(scope.lowering, ref, axis)
    scope.builder.emit(Post(account_column(scope.lowering, axis), ref.entity, "set", value, cause, by))
    _forget_course(scope.lowering, scope.builder, axis, ref.entity)


def check_space(lowering: Lowering) -> None:
    """Faults of places: a kind that has one where the game has no space, a move by what is nowhere."""
    game = lowering.game
    for name, kind in game.kinds.items():
        member = lowering.cast.members[name]
        if game.space is None:
            for key in ("where", "radius", "faces", "moves"):
                if getattr(kind, key) is not None:
                    message = f"'{key}' wants a game with space: write 'space: {{}}' at its top"
                    lowering.fault(("kinds", name, key), message)
        elif kind.moves is not None and not is_somewhere(member):
            lowering.fault(("kinds", name, "moves"), f"{name} moves, but it is nowhere; give it a 'where: [x, y]'")
        for move in kind.moves or []:
            target = move.toward or move.away
            if isinstance(target, OneOf):
                continue  # its lowering names an unknown kind
            known = [*game.kinds, "self", "other", "maker"]
            if target is not None and target.split("[")[0].split(".")[0] not in known:
                lowering.fault(("kinds", name, "moves"), f"unknown kind '{target}'{nearest(target, game.kinds)}")


def forget_motion(lowering: Lowering) -> None:
    """Whoever appears was nowhere before."""
    for member in lowering.cast.members.values():
        if not is_somewhere(member) or not member.room:
            continue

        def emit(b: BlockBuilder, who: Expr) -> None:
            for axis in AXES:
                _forget_course(lowering, b, axis, who)

        lowering.on_appear.append(((), ((member.first, member.room),), emit))
