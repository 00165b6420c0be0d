"""Rounds that come to nothing: a player who looks, and cannot act, only says when to look again.

Where nothing else matters before the next round, and nothing that is tried in it would do anything, the round is
carried out by itself, without the rest of its step.
"""

from __future__ import annotations

from dataclasses import dataclass

from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, wake_address
from mint_ledger.engines.native.context import load, store
from mint_ledger.engines.native.expressions import leave_unless_going
from mint_ledger.engines.native.module import Body, Module
from mint_ledger.engines.native.quiet import quiet_text
from mint_ledger.engines.native.statements import Exits, block
from mint_ledger.engines.native.turning import NEVER
from mint_ledger.facts.pieces import Piece
from mint_ledger.facts.rounds import rounds_of
from mint_ledger.program import statements as st

# After so many it is asked whether the run is to stop.
ROUNDS_ON_END = 64
ALONE, NOTHING = 0, -1
TRIED = "@tried"


@dataclass(frozen=True)
class RoundsAlone:
    """A piece whose rounds can be carried out by themselves.

    Attributes:
        piece: its number.
        following: what is left of a round that comes to nothing.
        question: the text of `tried`, which asks whether what is tried would do anything now.
    """

    piece: int
    following: st.Block
    question: str


def find_rounds(module: Module, pieces: list[Piece]) -> RoundsAlone | None:
    """The first piece whose rounds can be carried out by themselves: no other looks at what a round sets, and what is
    tried can be asked.

    The quiet routines of all pieces have to be there.
    """
    for piece in pieces:
        rounds = rounds_of(piece.statements)
        if rounds is not None:
            keys = {key for column in rounds.columns for key in (column.base, module.key_of(column))}
            if {number for key in keys for number in module.lookers.get(key, {})} - {piece.number}:
                continue
            question = quiet_text(module, TRIED, 0, rounds.tried, {}, now_only=True)
            known = set(module.too_long)
            module.make_wanted()
            if module.too_long <= known and TRIED not in known:
                return RoundsAlone(piece.number, rounds.following, question)
    return None


def rounds_routines(module: Module, alone: RoundsAlone) -> None:
    """Make `tried`, `following` and `rounds`."""
    r = Routine(f"i32 @following({MACHINE_ARGUMENTS})", "ret i32 2")
    end = r.label()
    block(Body(module, r, piece=alone.piece), alone.following, Exits(end, end))
    r.place(end)
    r.leave("i32 0")
    module.routines += [alone.question, r.text(), _rounds(alone.piece)]


def _rounds(piece: int) -> str:
    """`rounds(now, until, waits)`: carry out rounds after a step, as far as another, that come to nothing and in whose
    steps nothing else matters, none where something `waits` for settling; says `ALONE` where the run goes on so,
    `NOTHING` where the next step wants all of it.
    """
    r = Routine(f"i32 @rounds({MACHINE_ARGUMENTS}, i64 %now, i64 %until, i1 %waits)", "ret i32 2")
    nothing, enter, head, one, many, round_, out = (r.label() for _ in range(7))
    wake = wake_address(r, piece)
    others = load(r, "others")
    later = r.let(f"icmp sgt i64 {r.let(f'load i64, ptr {wake}')}, %now")
    r.fork(r.let(f"and i1 {later}, {r.let('xor i1 %waits, true')}"), enter, nothing)
    r.place(nothing)
    r.leave(f"i32 {NOTHING}")
    r.place(enter)
    done = r.cell("i64", "0")
    r.place(head)
    step = r.let(f"load i64, ptr {wake}")
    sooner = r.let(f"icmp slt i64 {step}, {others}")
    r.fork(r.let(f"and i1 {sooner}, {r.let(f'icmp sle i64 {step}, %until')}"), one, out)
    r.place(one)
    r.do(f"call void @set_step(ptr %s, ptr %x, i64 {step})")
    store(r, "work", "0")
    idle = r.let(f"icmp eq i64 {r.let(f'call i64 {TRIED}({PASSED_ON}, i64 {step})')}, {NEVER}")
    r.fork(idle, round_, out)
    r.place(round_)
    leave_unless_going(r, r.let(f"call i32 @following({PASSED_ON})"))
    r.do(f"store i64 {r.let(f'call i64 @quiet{piece}({PASSED_ON}, i64 {step})')}, ptr {wake}")
    so_far = r.let(f"add i64 {r.let(f'load i64, ptr {done}')}, 1")
    r.do(f"store i64 {so_far}, ptr {done}")
    r.fork(r.let(f"icmp slt i64 {so_far}, {ROUNDS_ON_END}"), head, many)
    for place, answer in ((many, ALONE), (out, NOTHING)):
        r.place(place)
        next_ = r.let(f"load i64, ptr {wake}")
        sooner = r.let(f"icmp slt i64 {next_}, {others}")
        store(r, "soonest", r.let(f"select i1 {sooner}, i64 {next_}, i64 {others}"))
        r.leave(f"i32 {answer}")
    return r.text()
