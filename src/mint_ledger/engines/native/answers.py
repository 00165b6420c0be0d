"""When each entity of a loop matters next: answers that are kept until what they rest on changes.

Of many that have a flow or a condition, a posting concerns one. The others are not asked again, and the least of all
answers is that of the loop.
"""

from __future__ import annotations

from collections.abc import Callable

from mint_ledger.engines.native.assembly import PASSED_ON, Routine, wake_address
from mint_ledger.engines.native.looks import Answers
from mint_ledger.engines.native.module import Body
from mint_ledger.engines.native.turning import Quiet, current_step
from mint_ledger.program import statements as st

# So few are asked in less time than it takes to look whether they have to be.
FEW_ASKED = 8


def answers_of(s: st.Each, place: int) -> Answers:
    """Return where the answers of a loop's entities are kept, from a place on."""
    first = min(first for first, _ in s.ranges)
    return Answers(place, first, max(first + count for first, count in s.ranges) - first)


def answer_address(r: Routine, answers: Answers, entity: str) -> str:
    """Return where the answer of an entity is."""
    return wake_address(r, r.let(f"add i64 {entity}, {answers.place + 1 - answers.first}"))


def sleeps(body: Body, answers: Answers) -> Callable[[str], str]:
    """Return what says of an entity, as a flag, that it need not be looked at yet.

    An answer of the next step may have been given in this one, and mean that it matters now.
    """
    r = body.r
    following = r.let(f"add i64 {current_step(body)}, 1")

    def later(entity: str) -> str:
        # Not before the loop: what one entity does may change what the answers of all rest on.
        known = r.let(f"icmp ne i64 {r.let(f'load i64, ptr {wake_address(r, answers.place)}')}, 0")
        answer = r.let(f"load i64, ptr {answer_address(r, answers, entity)}")
        return r.let(f"and i1 {known}, {r.let(f'icmp sgt i64 {answer}, {following}')}")

    return later


def ask_each(q: Quiet, s: st.Each, routine: str, answers: Answers) -> None:
    """Take into account when each entity matters that a loop goes over; `routine` asks one of them."""
    r = q.r
    with r.when(r.let(f"icmp eq i64 {r.let(f'load i64, ptr {wake_address(r, answers.place)}')}, 0")):
        length = 8 * answers.count
        r.do(f"call void @llvm.memset.p0.i64(ptr {wake_address(r, answers.place + 1)}, i8 0, i64 {length}, i1 false)")
        r.do(f"store i64 1, ptr {wake_address(r, answers.place)}")
    following = r.let("add i64 %start, 1")
    with q.each(s.ranges, s.local, present=True) as (entity, _, _):
        address = answer_address(r, answers, entity)
        with r.when(r.let(f"icmp sle i64 {r.let(f'load i64, ptr {address}')}, %start")):
            r.do(f"store i64 {r.let(f'call i64 {routine}({PASSED_ON}, i64 %start, i64 {entity})')}, ptr {address}")
        answer = r.let(f"load i64, ptr {address}")
        q.now_if(r.let(f"icmp eq i64 {answer}, {following}"))
        q.at_most(answer)
