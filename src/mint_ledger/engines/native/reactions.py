"""Reactions in machine code: what a `do` set off follows at once, as in `engines/reference.py`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import get_args

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.accounts import spend
from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, wake_address
from mint_ledger.engines.native.context import EVENT_SIZE, item, load, store
from mint_ledger.engines.native.expressions import has_ended, leave_unless_going
from mint_ledger.engines.native.module import Body, Module
from mint_ledger.engines.native.turning import NEVER, current_step, moves_with_time
from mint_ledger.engines.reference import CONDITION, CUE, GONE, HIT, MAX_DEPTH, PHASES
from mint_ledger.facts.watching import idle_rounds
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program.handle import Handle
from mint_ledger.program.walking import nodes


def settle_routines(module: Module, watching: int | None) -> None:
    """What a `do` set off follows at once, depth first: hits, what became true, who is gone, cues.

    `watching` is the piece of a step that does nothing but settle always: where its wake is in a later step than the
    next, conditions are as they were when they were last watched. Then this is only counted. Where time alone changes
    none of them, that piece has nothing to do until something is marked after they were watched.
    """
    watched = (parts.WATCH, parts.WATCH_GONE)
    idle = {name: idle_rounds(module.program.procedures[name].body) for name in watched}
    if None in idle.values():
        watching = None
    known_still = watching if watching is not None and _stands_still(module, watching, watched) else None
    _settle(module, watching, sum(idle[name] or 0 for name in watched))
    r = Routine(f"i32 @follow({MACHINE_ARGUMENTS}, double %actor) noinline", "ret i32 2")
    body = Body(module, r)
    start, end, depth = load(r, "mark"), load(r, "event_count"), load(r, "depth")
    store(r, "depth", r.let(f"add i64 {depth}, 1"))
    store(r, "mark", end)
    store(r, "dirty", "0")
    _handle(module, r, HIT, start, end)
    # Once conditions were watched the piece sleeps, but who is gone has to be asked behind them.
    began = r.cell("i1", "false")
    for name, phases in ((parts.WATCH, (CONDITION,)), (parts.WATCH_GONE, (GONE, CUE))):
        routine = module.routine(name)
        watch, after = r.label(), r.label()
        if watching is not None:
            same = r.label()
            has_begun = r.let(f"load i1, ptr {began}")
            r.fork(r.let(f"and i1 {_is_as_watched(body, watching)}, {r.let(f'xor i1 {has_begun}, true')}"), same, watch)
            r.place(same)
            spend(body, str(idle[name]))
            r.go(after)
        r.place(watch)
        if known_still is not None and name == parts.WATCH:
            # What is marked from here on is later than this look.
            skips = r.let(f"icmp ne i64 {load(r, 'skips')}, 0")
            r.do(f"store i64 {r.let(f'select i1 {skips}, i64 {NEVER}, i64 0')}, ptr {wake_address(r, known_still)}")
            r.do(f"store i1 true, ptr {began}")
        leave_unless_going(r, r.let(f"call i32 {routine}({PASSED_ON}, double %actor)"))
        r.place(after)
        end = load(r, "event_count")
        store(r, "mark", end)
        for phase in phases:
            _handle(module, r, phase, start, end)
    store(r, "event_count", start)
    outermost = r.let(f"icmp eq i64 {start}, 0")
    store(r, "phases", r.let(f"select i1 {outermost}, i64 0, i64 {load(r, 'phases')}"))
    store(r, "mark", start)
    store(r, "depth", depth)
    r.leave("i32 0")
    module.routines.append(r.text())
    for phase in (HIT, CONDITION, GONE, CUE):
        _handle_routine(module, phase)


def _settle(module: Module, watching: int | None, idle: int) -> None:
    """`settle`: mostly nothing has to follow, which is asked apart from what follows: that has to save registers."""
    r = Routine(f"i32 @settle({MACHINE_ARGUMENTS}, double %cause, double %actor, i1 %always)", "ret i32 2")
    body = Body(module, r)
    over, going = r.label(), r.label()
    r.fork(has_ended(body), over, going)
    r.place(over)
    r.leave("i32 1")
    r.place(going)
    start, end = load(r, "mark"), load(r, "event_count")
    raised = r.let(f"icmp ne i64 {start}, {end}")
    dirty = r.let(f"icmp ne i64 {load(r, 'dirty')}, 0")
    nothing, on = r.label(), r.label()
    r.fork(r.let(f"or i1 {r.let(f'or i1 {raised}, {dirty}')}, %always"), on, nothing)
    r.place(nothing)
    r.leave("i32 0")
    r.place(on)
    depth = load(r, "depth")
    r.fail_unless(r.let(f"icmp slt i64 {depth}, {MAX_DEPTH}"))
    if watching is not None:
        same, changed = r.label(), r.label()
        # Of what is raised, most is heard by nobody.
        unheard = r.let(f"icmp eq i64 {load(r, 'phases')}, 0")
        r.fork(r.let(f"and i1 {unheard}, {_is_as_watched(body, watching)}"), same, changed)
        r.place(same)
        spend(body, str(idle))
        store(r, "dirty", "0")
        store(r, "event_count", start)
        r.leave("i32 0")
        r.place(changed)
    followed = r.let(f"call i32 @follow({PASSED_ON}, double %actor)")
    r.leave(f"i32 {followed}")
    module.routines.append(r.text())


def _stands_still(module: Module, watching: int, watched: Iterable[Handle]) -> bool:
    """Return whether time alone changes no condition, and all that changes one marks the piece that watches."""
    questions = {f"@quiet{watching}", *(f"@q{module.number(name)}" for name in watched)}
    inside = [node for name in watched for node in nodes(module.program.procedures[name].body)]
    moving = any(moves_with_time(module, node) for node in inside if isinstance(node, get_args(ex.Expr)))
    return not moving and not questions & module.too_long


def _is_as_watched(body: Body, watching: int) -> str:
    r = body.r
    wake = r.let(f"load i64, ptr {wake_address(r, watching)}")
    return r.let(f"icmp sgt i64 {wake}, {r.let(f'add i64 {current_step(body)}, 1')}")


def _handle(module: Module, r: Routine, phase: str, start: str, end: str) -> None:
    if any(event.phase == phase and event.handler for event in module.program.events):
        given = f"{PASSED_ON}, i64 {start}, i64 {end}"
        bit = r.let(f"and i64 {load(r, 'phases')}, {1 << PHASES.index(phase)}")
        some = r.let(f"icmp ne i64 {start}, {end}")
        with r.when(r.let(f"and i1 {some}, {r.let(f'icmp ne i64 {bit}, 0')}")):
            leave_unless_going(r, r.let(f"call i32 @handle_{phase}({given})"))


def _handle_routine(module: Module, phase: str) -> None:
    events = [(i, e.handler) for i, e in enumerate(module.program.events) if e.phase == phase and e.handler]
    if not events:
        return
    r = Routine(f"i32 @handle_{phase}({MACHINE_ARGUMENTS}, i64 %start, i64 %end)", "ret i32 2")
    body = Body(module, r)
    with body.loop(r.let("sub i64 %end, %start")) as (now, after, _):
        place = r.let(f"mul i64 {r.let(f'add i64 %start, {now}')}, {EVENT_SIZE}")
        record = item(r, "events", "double", place)
        event = r.let(f"fptosi double {body.load(record)} to i64")
        labels = {index: r.label() for index, _ in events}
        cases = " ".join(f"i64 {index}, label %{label}" for index, label in labels.items())
        r.do(f"switch i64 {event}, label %{after} [ {cases} ]")
        for index, handler in events:
            r.start(labels[index])
            procedure = module.program.procedures[handler]
            values = [
                body.load(r.let(f"getelementptr double, ptr {record}, i64 {position + 1}"))
                if position < EVENT_SIZE - 1
                else op.ZERO
                for position in range(procedure.parameters)
            ]
            given = "".join(f", double {value}" for value in values)
            routine = module.routine(handler)
            leave_unless_going(r, r.let(f"call i32 {routine}({PASSED_ON}{given})"))
            r.go(after)
    r.leave("i32 0")
    module.routines.append(r.text())
