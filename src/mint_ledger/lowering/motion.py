"""Lowers motion, places that are set, and what touches by its size.

Motion is a pair of anchored flows, one for x and one for y, toward a goal that is far away where there is none.
So it is exact while the goal and the speed stay the same, at any number of steps a second.
"""

from __future__ import annotations

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.space import Move
from mint_ledger.lowering.columns import account_column, flow_columns, habit_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import amount, condition, entity_text
from mint_ledger.lowering.handles import MOTION
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import AXES, DEGREE, coordinate, direction, is_somewhere, offsets, squared_distance
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
    Constant,
    Expr,
    Fold,
    Local,
    Read,
    Seconds,
    Step,
    Unary,
)
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import FlowSpec, OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Flow, Let, Post, Set

FAR = 1e15
LEAST_TURN = 10.0
PARTING = 1e-6
"""Two that touch part beyond the sum of their radii by this share of it and this much more."""


def _slot(lowering: Lowering, what: str, role: str = "value") -> Column:
    return lowering.layout.column(Handle(f"motion {what}"), role, 0, lowering.cast.size)  # type: ignore[arg-type]


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
    """Make `part 4 motion`: where everything that moves goes from this step on."""
    b = BlockBuilder()
    for member in lowering.cast.members.values():
        if not is_somewhere(member) or not member.room:
            continue
        with b.each(((member.first, member.room),)) as who:
            _emit_member(lowering, b, member, who)
        moves = ", ".join(move.key for move in member.kind.moves or []) or "still"
        lowering.order.append(OrderLine("4 contact", f"{member.name} moves: {moves}", ("kinds", member.name)))
    lowering.procedure(b.procedure(MOTION))


def _emit_member(lowering: Lowering, b: BlockBuilder, member: Member, who: Expr) -> None:
    done = b.new_local()
    b.emit(Let(done, ZERO))
    for axis in AXES:
        _keep_course(lowering, b, axis, who)
    keeps = blocked(lowering, MOVES, who)
    if keeps is not None:
        with b.when(keeps):
            _emit_still(lowering, b, who)
            b.emit(Let(done, ONE))
    ref = EntityRef(who, (member,))
    for number, (name, habit) in enumerate(lowering.game.habits.items(), start=1):
        if habit.moves and member in lowering.cast.families(habit.by):
            with b.when(compare("==", At(habit_column(lowering), who), const(number))):
                _emit_moves(lowering, b, ref, habit.moves, ("habits", name, "moves"), done)
    _emit_moves(lowering, b, ref, member.kind.moves or [], _moves_path(lowering, member), done)
    with b.when(no(Local(done))):
        _emit_still(lowering, b, who)
    for axis in AXES:
        b.emit(Flow(account_column(lowering, axis), who))


def _moves_path(lowering: Lowering, member: Member) -> Path:
    owner = next((a for a in member.family if lowering.game.kinds[a].moves is not None), member.name)
    return ("kinds", owner, "moves")


def _course(lowering: Lowering, axis: str, what: str) -> Column:
    """One of the columns in which the course of the last step is kept while a new one is set."""
    return _slot(lowering, f"last {what} {axis}", "step" if what == "anchor" else "value")


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
    """Where an entity was in the last step, worked out as its flow was then; where it is if it was nowhere."""
    place, anchor, rate, to = (
        b.let(At(_course(lowering, axis, what), ref.entity)) for what in ("place", "anchor", "rate", "to")
    )
    steps = b.let(sub(sub(Step(), ONE), anchor))
    moved = b.let(add(place, mul(rate, Seconds(steps))))
    held = choose(compare(">", rate, ZERO), lower_of(moved, to), higher_of(moved, to))
    before = choose(compare("==", rate, ZERO), place, held)
    return b.let(choose(compare("<", steps, ZERO), now, before))


def _emit_still(lowering: Lowering, b: BlockBuilder, who: Expr) -> None:
    for axis in AXES:
        b.emit(Set(_slot(lowering, f"speed {axis}"), who, ZERO))


def _emit_moves(lowering: Lowering, b: BlockBuilder, ref: EntityRef, moves: list[Move], path: Path, done: int) -> None:
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
                _emit_move(lowering, scope, ref, move)
            except Problem as problem:
                lowering.fault((*inner, move.key), str(problem))


def _emit_move(lowering: Lowering, scope: Scope, ref: EntityRef, move: Move) -> None:
    b = scope.builder
    if move.still:
        _emit_still(lowering, b, ref.entity)
        return
    if move.ahead is not None:
        speed = b.let(amount(scope, move.ahead, "ahead"))
        cosine, sine = direction(lowering, ref)
        _emit_course(lowering, b, ref.entity, mul(speed, cosine), mul(speed, sine))
        return
    assert move.speed is not None
    speed = b.let(higher_of(amount(scope, move.speed, "speed"), ZERO))
    if move.toward is not None or move.away is not None:
        name = str(move.toward or move.away)
        target = _target(scope, ref, name)
        with b.when(compare("<", target.entity, ZERO)):
            _emit_still(lowering, b, ref.entity)
        with b.when(compare(">=", target.entity, ZERO)):
            if move.toward is not None:
                x, y = (b.let(coordinate(lowering, target, axis)) for axis in AXES)
                _emit_goal(lowering, scope, ref, x, y, speed)
            else:
                dx, dy = (b.let(neg(part)) for part in offsets(lowering, ref, target))
                length = b.let(Unary("sqrt", add(mul(dx, dx), mul(dy, dy))))
                safe = higher_of(length, const(1e-300))
                _emit_course(lowering, b, ref.entity, div(mul(speed, dx), safe), div(mul(speed, dy), safe))
                _emit_turn(lowering, b, ref, dx, dy)
        return
    points = move.between or move.along or []
    _emit_waypoints(lowering, scope, ref, points, speed, turns_back=move.between is not None)


def _target(scope: Scope, ref: EntityRef, name: str) -> EntityRef:
    """The entity of that name, or the nearest one of a kind; -1 where there is none."""
    lowering, b = scope.lowering, scope.builder
    if name in lowering.cast.members:
        members = tuple(m for m in lowering.cast.family(name) if m.room)
        candidate = b.new_local()
        where = And((lowering.present(Local(candidate)), compare("!=", Local(candidate), ref.entity)))
        near = squared_distance(lowering, ref, EntityRef(Local(candidate), members))
        chosen = b.let(Fold("argmin", candidate, ranges_of(members), where, near))
        return EntityRef(chosen, members)
    return entity_text(scope, name)


def _emit_course(lowering: Lowering, b: BlockBuilder, who: Expr, vx: Expr, vy: Expr) -> None:
    """Go on in one direction: the goal is far away."""
    for axis, velocity in zip(AXES, (vx, vy), strict=True):
        v = b.let(velocity)
        b.emit(Set(_slot(lowering, f"goal {axis}"), who, choose(compare("<", v, ZERO), const(-FAR), const(FAR))))
        b.emit(Set(_slot(lowering, f"speed {axis}"), who, Unary("abs", v)))
    b.emit(Set(_slot(lowering, "speed"), who, const(-1.0)))


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
        _emit_turn(lowering, b, ref, dx, dy)


def _emit_turn(lowering: Lowering, b: BlockBuilder, ref: EntityRef, dx: Expr, dy: Expr) -> None:
    """Whoever moves looks where it goes; a turn of less than ten degrees is not booked."""
    column = account_column(lowering, "faces")
    angle = b.let(Apply("turn", (div(Apply("atan2", (dy, dx)), const(DEGREE)),)))
    off = b.let(Apply("turn", (sub(angle, Read(column, ref.entity)),)))
    moves = compare(">", add(mul(dx, dx), mul(dy, dy)), ZERO)
    turned = And((moves, compare(">=", lower_of(off, sub(const(360.0), off)), const(LEAST_TURN))))
    cause = const(lowering.cause("flow", "moves", ("kinds", ref.members[0].name, "moves")))
    with b.when(turned):
        b.emit(Post(column, ref.entity, "set", angle, cause, ref.entity))


def _emit_waypoints(
    lowering: Lowering, scope: Scope, ref: EntityRef, points: list[list[float]], speed: Expr, *, turns_back: bool
) -> None:
    """From point to point; `between` turns back at its ends, `along` stays at its last."""
    b, who = scope.builder, ref.entity
    column = _slot(lowering, "waypoint", "counter")
    at = b.let(lower_of(At(column, who), const(len(points) - 1)))
    x, y = (b.let(_point(at, [point[i] for point in points])) for i in (0, 1))
    there = And((compare("==", coordinate(lowering, ref, "x"), x), compare("==", coordinate(lowering, ref, "y"), y)))
    last = compare(">=", at, const(len(points) - 1))
    following = choose(last, ZERO if turns_back else at, add(at, ONE))
    with b.when(there):
        b.emit(Set(column, who, following))
    now = b.let(lower_of(At(column, who), const(len(points) - 1)))
    gx, gy = (b.let(_point(now, [point[i] for point in points])) for i in (0, 1))
    _emit_goal(lowering, scope, ref, gx, gy, speed)


def _point(at: Expr, values: list[float]) -> Expr:
    value: Expr = Constant(values[-1])
    for index in range(len(values) - 2, -1, -1):
        value = choose(compare("==", at, const(index)), Constant(values[index]), value)
    return value


# Contact by size


def touches(lowering: Lowering, b: BlockBuilder, one: EntityRef, other: EntityRef, before: Expr) -> Expr | None:
    """Whether two touch now, or did on their way since the last step; none where one of them is nowhere.

    Between two steps both move straight, so what counts is how near the straight line of their difference comes; where
    they touched `before`, only where they are now, so that a contact ends as they part. It ends a little farther out
    than it began (`PARTING`): where it ended, rounding cannot let it begin again.
    """
    if lowering.game.space is None or not all(is_somewhere(m) for m in (*one.members, *other.members)):
        return None
    here = [[b.let(coordinate(lowering, ref, axis)) for axis in AXES] for ref in (one, other)]
    there = [
        [_place_before(lowering, b, ref, axis, now) for axis, now in zip(AXES, places, strict=True)]
        for ref, places in zip((one, other), here, strict=True)
    ]
    dx, dy = (b.let(sub(theirs, mine)) for mine, theirs in zip(*here, strict=True))
    vx, vy = (b.let(sub(now, sub(theirs, mine))) for now, mine, theirs in zip((dx, dy), *there, strict=True))
    length = b.let(add(mul(vx, vx), mul(vy, vy)))
    along = add(mul(dx, vx), mul(dy, vy))
    # Looking back in time: at share t of the last step they were at d - t·v.
    share = b.let(
        choose(
            And((compare(">", length, ZERO), no(before))),
            lower_of(higher_of(div(along, higher_of(length, const(1e-300))), ZERO), ONE),
            ZERO,
        )
    )
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


def emit_place(scope: Scope, ref: EntityRef, to: list[Formula], cause: Expr, by: Expr, *path: str | int) -> None:
    """Emit the putting of an entity at a place."""
    b = scope.builder
    values = [b.let(amount(scope, value, *path, index)) for index, value in enumerate(to)]
    for axis, value in zip(AXES, values, strict=True):
        coordinate(scope.lowering, ref, axis)
        b.emit(Post(account_column(scope.lowering, axis), ref.entity, "set", value, cause, by))
        _forget_course(scope.lowering, b, axis, ref.entity)


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
            known = [*game.kinds, "self", "other", "maker"]
            if target is not None and target.split("[")[0].split(".")[0] not in known:
                lowering.fault(("kinds", name, "moves"), f"unknown kind '{target}'{nearest(target, game.kinds)}")


def forget_motion(lowering: Lowering) -> None:
    """Whoever appears anew stands still and is at the beginning of its way."""
    for member in lowering.cast.members.values():
        if not is_somewhere(member) or not member.room:
            continue

        def emit(b: BlockBuilder, who: Expr) -> None:
            for axis in AXES:
                b.emit(Set(_slot(lowering, f"speed {axis}"), who, ZERO))
                _forget_course(lowering, b, axis, who)
            b.emit(Set(_slot(lowering, "speed"), who, const(-1.0)))
            b.emit(Set(_slot(lowering, "waypoint", "counter"), who, ZERO))

        lowering.on_appear.append(((), ((member.first, member.room),), emit))
