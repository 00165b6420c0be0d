"""The course of a run in machine code: reactions, the parts of a step, steps, a run from its opening to its end.

The order is that of `engines/reference.py`. Each part of a step is cut into pieces that share no local; a piece is
carried out only if a column that it looks at has changed or the step has come that its quiet routine named.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.accounts import (
    account_routines,
    book_flows_routine,
    of_entity,
    open_flow,
    row_function,
)
from mint_ledger.engines.native.assembly import (
    MACHINE_ARGUMENTS,
    PASSED_ON,
    SECOND_MOSTLY,
    Routine,
    number,
    wake_address,
)
from mint_ledger.engines.native.batch import COUNTED, batch_routines
from mint_ledger.engines.native.chance import DrawsAhead, uniform_function
from mint_ledger.engines.native.context import (
    SKIP_STEPS,
    item,
    load,
    store,
)
from mint_ledger.engines.native.expressions import has_ended, leave_unless_going, seconds_function
from mint_ledger.engines.native.looks import Looks
from mint_ledger.engines.native.module import APART, Body, Module
from mint_ledger.engines.native.quiet import quiet_text
from mint_ledger.engines.native.reactions import settle_routines
from mint_ledger.engines.native.rounds import ALONE, NOTHING, RoundsAlone, find_rounds, rounds_routines
from mint_ledger.engines.native.statements import Exits, block
from mint_ledger.engines.native.turning import NEVER, Quiet, current_step, due_function, due_turns, set_step
from mint_ledger.engines.native.wakes import MANY_PIECES, STRETCHES, WITH_LIMIT, WITH_SCRIPT, PieceGroup, Wakes, lesser
from mint_ledger.engines.tally import TALLY_HEAD, TALLY_OF_CAUSE
from mint_ledger.facts.pieces import Piece, only_in, pieces_of
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle

LOOK_FOR_STOP = 1024
# After a step that took so much it is asked at once whether to stop.
MUCH_WORK = 100_000
# So few of a kind are looked at in less time than it takes to ask how many were ever there.
FEW = 8
# A question of more lines is not asked in each step of a long streak.
LONG_QUESTION = 300
LONG_STREAK = 16
# In turns nearly all matters in each of them.
STREAK_OF_TURNS = 2
ASKED_IN = 8


class RunRoutines:
    """Makes the routines of a run for a module."""

    def __init__(self, module: Module) -> None:
        self.module = module
        self.pieces = pieces_of(module.program)
        rooms = [(m.first, m.room) for m in module.program.cast.members.values() if m.room > FEW]
        self.wakes = Wakes(self.pieces, rooms)
        module.empty_seats = self.wakes.empty_seats
        self._rounds: RoundsAlone | None = None
        self._pending = ""
        self._dear: set[int] = set()
        self._only_settle = {
            piece.number for piece in self.pieces if all(isinstance(s, st.Settle) for s in piece.statements)
        }
        self._streak = LONG_STREAK
        # Most pieces are passed over; in turns they are not.
        self._mostly = "" if module.program.clock.unit == "turn" else SECOND_MOSTLY
        module.only_in = only_in(module.program, self.pieces)

    def make(self) -> None:
        """Make them all. The quiet routines come first: they say which stores have to mark which pieces."""
        module = self.module
        self._quiet_pieces()
        module.routines += [seconds_function(), due_function(), uniform_function(), *op.bit_functions()]
        self._set_step()
        for account in module.program.accounts:
            account_routines(module, account)
        book_flows_routine(module)
        for piece in self.pieces:
            self._piece(piece)
        if self._rounds is not None:
            rounds_routines(module, self._rounds)
        self._script()
        self._limit()
        settle_routines(module, self._watching())
        self._step()
        self._open()
        self._go()
        batch_routines(self.module)
        module.make_wanted()
        module.routines.append(row_function(module))

    def _quiet_pieces(self) -> None:
        module = self.module
        module.next_answers = self.wakes.size
        for piece in self.pieces:
            looked_at: Looks = {}
            text = quiet_text(module, f"@quiet{piece.number}", 0, piece.statements, looked_at)
            module.routines.append(text)
            for key, runs in looked_at.items():
                module.lookers.setdefault(key, {})[piece.number] = runs
        self._rounds = find_rounds(module, self.pieces)
        if self._rounds is not None:
            self.wakes.group(apart=self._rounds.piece)
        self.ahead = DrawsAhead(module.program.layout.columns, module.next_answers)
        module.draws_ahead = self.ahead.places
        module.marked, module.mark_bits = self.wakes.marked, self.wakes.bits
        texts = {text[: text.index("(")].split()[-1]: text for text in module.routines}
        in_turns = module.program.clock.unit == "turn"
        self._streak = STREAK_OF_TURNS if in_turns else LONG_STREAK
        self._dear = {
            piece.number for piece in self.pieces if in_turns or _length(f"@quiet{piece.number}", texts) > LONG_QUESTION
        }

    def _watching(self) -> int | None:
        """The piece that does nothing but settle always, if there is one."""
        for piece in self.pieces:
            first, *others = piece.statements
            if isinstance(first, st.Settle) and first.always and not others:
                return piece.number
        return None

    def _piece(self, piece: Piece) -> None:
        r = Routine(f"i32 @piece{piece.number}({MACHINE_ARGUMENTS})", "ret i32 2")
        body = Body(self.module, r, piece=piece.number)
        end = r.label()
        block(body, piece.statements, Exits(end, end))
        r.place(end)
        r.leave("i32 0")
        self.module.routines.append(r.text())

    def _set_step(self) -> None:
        r = Routine("void @set_step(ptr noalias %s, ptr noalias %x, i64 %k)", "unreachable")
        set_step(Body(self.module, r), "%k")
        r.leave("void")
        self.module.routines.append(r.text())

    def _script(self) -> None:
        """What the script has for this step, as listed; and the step of what comes next."""
        r = Routine(f"i32 @script({MACHINE_ARGUMENTS})", "ret i32 2")
        body = Body(self.module, r)
        head, due, act, out = (r.label() for _ in range(4))
        position = body.slot(self.module.script_position)
        r.place(head)
        now = r.let(f"fptosi double {body.load(position)} to i64")
        r.fork(r.let(f"icmp slt i64 {now}, {load(r, 'script_count')}"), due, out)
        r.place(due)
        when = body.load(item(r, "script_times", "double", now))
        late = op.sub(r, load(r, "time"), when)
        r.fork(op.compared(r, ">=", late, load(r, "tolerance")), act, out)
        r.place(act)
        body.store(r.let(f"sitofp i64 {r.let(f'add i64 {now}, 1')} to double"), position)
        self._begin_part(r)
        which = r.let(f"load i64, ptr {item(r, 'script_procedures', 'i64', now)}")
        for index, name in enumerate(self.module.scripts):
            with r.when(r.let(f"icmp eq i64 {which}, {index}")):
                routine = self.module.routine(name)
                leave_unless_going(r, r.let(f"call i32 {routine}({PASSED_ON})"))
        r.go(head)
        r.place(out)
        r.leave("i32 0")
        self.module.routines.append(r.text())
        r = Routine(f"i64 @quiet_script({MACHINE_ARGUMENTS}, i64 %start)", "ret i64 %start")
        q = Quiet(self.module, r)
        q.least = r.cell("i64", NEVER)
        now = r.let(f"fptosi double {q.load(q.slot(self.module.script_position))} to i64")
        with r.when(r.let(f"icmp slt i64 {now}, {load(r, 'script_count')}")):
            due_turns(q, q.load(item(r, "script_times", "double", now)))
        r.leave(f"i64 {r.let(f'load i64, ptr {q.least}')}")
        self.module.routines.append(r.text())

    def _limit(self) -> None:
        """The clock's limit."""
        r = Routine(f"i32 @limit({MACHINE_ARGUMENTS})", "ret i32 2")
        body = Body(self.module, r)
        limit = of_entity(body, self.module.program.clock_limit, "0")
        late = op.sub(r, load(r, "time"), limit)
        ending = body.slot(self.module.ending)
        going = r.let(f"xor i1 {has_ended(body)}, true")
        due = op.compared(r, ">=", late, load(r, "tolerance"))
        with r.when(r.let(f"and i1 {going}, {due}")):
            body.store(number(float(len(self.module.program.endings))), ending)
            leave_unless_going(r, r.let(f"call i32 @book_flows({PASSED_ON})"))
        r.leave("i32 0")
        self.module.routines.append(r.text())
        r = Routine(f"i64 @quiet_limit({MACHINE_ARGUMENTS}, i64 %start)", "%now = add i64 %start, 1\nret i64 %now")
        q = Quiet(self.module, r)
        q.least = r.cell("i64", NEVER)
        if q.moves(self.module.program.clock_limit):
            q.now()
        else:
            due_turns(q, of_entity(q, self.module.program.clock_limit, "0"))
        if r.is_open:
            r.leave(f"i64 {r.let(f'load i64, ptr {q.least}')}")
        self.module.routines.append(r.text())

    def _begin_part(self, r: Routine) -> None:
        for name in ("event_count", "phases", "mark", "depth"):
            store(r, name, "0")

    def _step(self) -> None:
        """`step(k, waits)`: one step, of each part the pieces that matter in it; `waits` says whether something is
        pending. Notes when the next step matters.
        """
        r = Routine(f"i32 @step({MACHINE_ARGUMENTS}, i64 %k, i1 %waits)", "ret i32 2")
        body = Body(self.module, r)
        store(r, "work", "0")
        self._pending = r.cell("i1", None)
        r.do(f"store i1 %waits, ptr {self._pending}")
        for stretch in range(len(STRETCHES)):
            self._stretch(body, stretch)
        with r.when(r.let(f"icmp eq i64 {load(r, 'skips')}, {SKIP_STEPS}")):
            soonest = self._note_soonest(body)
            if self._asks_marked:
                marked = r.let(f"icmp sle i64 {soonest}, %k")
                settled = r.let(f"xor i1 {self._is_pending(body)}, true")
                with r.when(r.let(f"and i1 {marked}, {settled}")):
                    r.do(f"call void @ask_marked({PASSED_ON}, i64 %k)")
        r.leave("i32 0")
        self.module.routines.append(r.text())
        if self._asks_marked:
            self._ask_marked()

    @property
    def _asks_marked(self) -> bool:
        # In turns nearly all matters in the next step anyway; and the step's routine does not grow with the pieces.
        return len(self._dear) < len(self.pieces) <= MANY_PIECES

    def _note_soonest(self, body: Body) -> str:
        """Note, and give, the next step that matters."""
        r = body.r
        if self._rounds is None:
            soonest = self.wakes.soonest(r)
        else:
            piece = self._rounds.piece
            others = self.wakes.soonest(r, but=piece)
            store(r, "others", others)
            soonest = lesser(r, others, r.let(f"load i64, ptr {wake_address(r, piece)}"))
        store(r, "soonest", soonest)
        return soonest

    def _ask_marked(self) -> None:
        """At the end of a step: what was marked behind its turn is asked when it matters next, so that the next step is
        not looked at for that alone.
        """
        r = Routine(f"void @ask_marked({MACHINE_ARGUMENTS}, i64 %k) noinline", "unreachable")
        body = Body(self.module, r)
        for group in self.wakes.groups:
            asked = [n for n in group.numbers if n < len(self.pieces) and n not in self._dear]
            if not asked:
                continue
            with r.when_any(self.wakes.is_due(r, [group], "%k")):
                for piece in asked:
                    wake = wake_address(r, piece)
                    with r.when(r.let(f"icmp sle i64 {r.let(f'load i64, ptr {wake}')}, %k")):
                        r.do(f"store i64 {r.let(f'call i64 @quiet{piece}({PASSED_ON}, i64 %k)')}, ptr {wake}")
                self.wakes.look_again(body, [group])
        self._note_soonest(body)
        r.leave("void")
        self.module.routines.append(r.text())

    def _stretch(self, body: Body, stretch: int) -> None:
        """Parts that are quiet in most steps: one look at all pieces, and then at each."""
        r = body.r
        groups = self.wakes.of_stretch(stretch)
        if not groups:
            return
        with r.when_any(self._due_or_pending(r, groups), self._mostly):
            for part in STRETCHES[stretch]:
                self._pieces_of_part(body, part)
            if stretch == WITH_SCRIPT:
                self._do_piece(body, self.wakes.script, "@script", "@quiet_script", settles=True)
            if stretch == WITH_LIMIT:
                self._do_piece(body, self.wakes.limit, "@limit", "@quiet_limit", settles=True)
            self.wakes.look_again(body, groups)

    def _pieces_of_part(self, body: Body, part: Handle) -> None:
        pieces = [piece for piece in self.pieces if piece.part == part]
        if not pieces:
            return
        self._begin_part(body.r)
        for piece in pieces:
            i = piece.number
            if len(pieces) > APART:
                self._do_piece_apart(body, i, settles=piece.settles)
            else:
                self._do_piece(body, i, f"@piece{i}", f"@quiet{i}", settles=piece.settles)

    def _due_or_pending(self, r: Routine, groups: Sequence[PieceGroup]) -> Iterator[str]:
        yield from self.wakes.is_due(r, groups, "%k")
        yield r.let(f"load i1, ptr {self._pending}")

    def _do_piece(self, body: Body, number_: int, routine: str, quiet: str, *, settles: bool) -> None:
        r = body.r
        wake = wake_address(r, number_)
        with r.when_any(self._is_due(r, wake, settles=settles), self._mostly):
            if number_ in self._only_settle:
                with r.when(self._wants_settling(r, quiet, wake)):
                    self._carry_out(body, number_, routine, quiet, wake)
            else:
                self._carry_out(body, number_, routine, quiet, wake)

    def _wants_settling(self, r: Routine, quiet: str, wake: str) -> str:
        """Return whether a piece that does nothing but settle has to be carried out.

        Most often what it looks at was settled as it changed, and it was marked for that alone: then it is asked first.
        """
        answer = r.cell("i1", "true")
        was_marked = r.let(f"icmp eq i64 {r.let(f'load i64, ptr {wake}')}, 0")
        skips = r.let(f"icmp ne i64 {load(r, 'skips')}, 0")
        settled = r.let(f"xor i1 {r.let(f'load i1, ptr {self._pending}')}, true")
        with r.when(r.let(f"and i1 {r.let(f'and i1 {was_marked}, {skips}')}, {settled}")):
            next_ = r.let(f"call i64 {quiet}({PASSED_ON}, i64 %k)")
            r.do(f"store i64 {next_}, ptr {wake}")
            now = r.let(f"icmp sle i64 {next_}, {r.let('add i64 %k, 1')}")
            r.do(f"store i1 {now}, ptr {answer}")
        return r.let(f"load i1, ptr {answer}")

    def _is_due(self, r: Routine, wake: str, *, settles: bool) -> Iterator[str]:
        yield r.let(f"icmp sle i64 {r.let(f'load i64, ptr {wake}')}, %k")
        if settles:
            yield r.let(f"load i1, ptr {self._pending}")

    def _carry_out(self, body: Body, number_: int, routine: str, quiet: str, wake: str) -> None:
        """A piece, then when it matters next, and whether something is pending now."""
        r = body.r
        leave_unless_going(r, r.let(f"call i32 {routine}({PASSED_ON})"))
        with r.when(r.let(f"icmp ne i64 {load(r, 'skips')}, 0")):
            if number_ in self._dear:
                self._ask_at_times(r, number_, quiet, wake)
            else:
                r.do(f"store i64 {r.let(f'call i64 {quiet}({PASSED_ON}, i64 %k)')}, ptr {wake}")
        r.do(f"store i1 {self._is_pending(body)}, ptr {self._pending}")

    def _do_piece_apart(self, body: Body, number_: int, *, settles: bool) -> None:
        """A piece among many: in a routine of its own, so that the step's own does not grow too long to compile."""
        wake = wake_address(body.r, number_)
        with body.r.when_any(self._is_due(body.r, wake, settles=settles)):
            routine = f"@turn{number_}"
            given = f"{PASSED_ON}, i64 %k, ptr {self._pending}"
            leave_unless_going(body.r, body.r.let(f"call i32 {routine}({given})"))
        r = Routine(f"i32 {routine}({MACHINE_ARGUMENTS}, i64 %k, ptr noalias %pending)", "ret i32 2")
        kept, self._pending = self._pending, "%pending"
        wake = wake_address(r, number_)
        self._carry_out(Body(self.module, r), number_, f"@piece{number_}", f"@quiet{number_}", wake)
        r.leave("i32 0")
        self._pending = kept
        self.module.routines.append(r.text())

    def _ask_at_times(self, r: Routine, number_: int, quiet: str, wake: str) -> None:
        """When a piece with a long question matters next. If it mattered in every step for long, it is likely to go on
        so, and to ask costs about as much as to do: it is asked in some steps only, and carried out in the others.
        """
        streak = wake_address(r, self.wakes.streaks + number_)
        so_far = r.let(f"load i64, ptr {streak}")
        following = r.let("add i64 %k, 1")
        r.do(f"store i64 {following}, ptr {wake}")
        busy = r.let(f"icmp sge i64 {so_far}, {self._streak}")
        between = r.let(f"icmp ne i64 {r.let(f'and i64 %k, {ASKED_IN - 1}')}, 0")
        skipped = r.let(f"and i1 {busy}, {between}")
        with r.when(r.let(f"xor i1 {skipped}, true")):
            next_ = r.let(f"call i64 {quiet}({PASSED_ON}, i64 %k)")
            r.do(f"store i64 {next_}, ptr {wake}")
            again = r.let(f"icmp eq i64 {next_}, {following}")
            more = r.let(f"add i64 {so_far}, 1")
            r.do(f"store i64 {r.let(f'select i1 {again}, i64 {more}, i64 0')}, ptr {streak}")

    def _is_pending(self, body: Body) -> str:
        """Return whether something waits for the next settling, or the run has ended."""
        r = body.r
        dirty = r.let(f"icmp ne i64 {load(r, 'dirty')}, 0")
        raised = r.let(f"icmp ne i64 {load(r, 'event_count')}, {load(r, 'mark')}")
        return r.let(f"or i1 {r.let(f'or i1 {dirty}, {raised}')}, {has_ended(body)}")

    def _open(self) -> None:
        """Step 0: open the accounts, fire the start rules, judge the endings."""
        module = self.module
        r = Routine(f"i32 @open({MACHINE_ARGUMENTS})", "ret i32 2")
        body = Body(module, r)
        size = module.program.layout.size
        r.do(f"call void @llvm.memcpy.p0.p0.i64(ptr %s, ptr {load(r, 'opening')}, i64 {8 * size}, i1 false)")
        r.do(f"call void @llvm.memset.p0.i64(ptr %w, i8 0, i64 {8 * self.ahead.ends}, i1 false)")
        for (_, room), place in module.empty_seats.items():
            r.do(f"store i64 {room}, ptr {wake_address(r, place)}")
        for name in ("row_count", "visited", "soonest", "others", "work"):
            store(r, name, "0")
        store(r, "dirty", "0")
        only_script = module.program.columns.only_script.base
        body.store(load(r, "only_script"), body.slot(only_script))
        r.do("call void @set_step(ptr %s, ptr %x, i64 0)")
        self._in_turn(body, (parts.OPENING_ACCOUNTS,), ends="i32 1")
        with body.loop(load(r, "start_count")) as (now, _, _):
            slot = r.let(f"load i64, ptr {item(r, 'start_slots', 'i64', now)}")
            value = body.load(item(r, "start_values", "double", now))
            body.store(value, r.let(f"getelementptr double, ptr %s, i64 {slot}"))
            self._open_flows(body, slot, value)
        watching = self._watching()
        if watching is not None:
            # Starts mark nobody.
            r.do(f"store i64 0, ptr {wake_address(r, watching)}")
        self._open_tallies(body)
        self._in_turn(body, (parts.OPENING, parts.ENDINGS, parts.MEASURES), ends="i32 1")
        leave_unless_going(r, r.let(f"call i32 @limit({PASSED_ON})"))
        r.leave("i32 0")
        module.routines.append(r.text())

    def _in_turn(self, body: Body, names: tuple[Handle, ...], ends: str) -> None:
        r = body.r
        for name in names:
            self._begin_part(r)
            signal = r.let(f"call i32 {self.module.routine(name)}({PASSED_ON})")
            over, on = r.label(), r.label()
            r.fork(r.let(f"icmp eq i32 {signal}, 1"), over, on)
            r.place(over)
            self._end(r)
            r.leave(ends)
            r.place(on)
            leave_unless_going(r, signal)

    def _end(self, r: Routine) -> None:
        """The run ends: flows are booked, and what only measures looks at this step, too."""
        leave_unless_going(r, r.let(f"call i32 @book_flows({PASSED_ON})"))
        leave_unless_going(r, r.let(f"call i32 {self.module.routine(parts.MEASURES)}({PASSED_ON})"))

    def _open_flows(self, body: Body, slot: str, value: str) -> None:
        for i, account in enumerate(self.module.program.accounts):
            column = account.column
            if account.flow_columns is None:
                continue
            with body.r.when(body.inside(slot, column.base, column.count)):
                entity = body.r.let(f"sub i64 {slot}, {column.offset}")
                if not self.module.has_many_accounts:
                    open_flow(body, account, entity, value)
                    continue
                body.r.do(f"call void @opened{i}({PASSED_ON}, i64 {entity}, double {value})")
                r = Routine(f"void @opened{i}({MACHINE_ARGUMENTS}, i64 %e, double %value)", "unreachable")
                open_flow(Body(self.module, r), account, "%e", "%value")
                r.leave("void")
                self.module.routines.append(r.text())

    def _open_tallies(self, body: Body) -> None:
        """An empty tally for each account that is tallied, with its opening as lowest and highest."""
        r, program = body.r, self.module.program
        causes = len(program.causes)
        size = TALLY_HEAD + causes * TALLY_OF_CAUSE
        with r.when(r.let(f"icmp ne ptr {load(r, 'tallied')}, null")):
            length = r.let(f"mul i64 {load(r, 'tally_count')}, {8 * size}")
            r.do(f"call void @llvm.memset.p0.i64(ptr {load(r, 'tallies')}, i8 0, i64 {length}, i1 false)")
            rows = 8 * causes * COUNTED
            r.do(f"call void @llvm.memset.p0.i64(ptr {load(r, 'counts')}, i8 0, i64 {rows}, i1 false)")
            for account in program.accounts:
                column = account.column
                r.do(f"call void @open_tallies({PASSED_ON}, i64 {column.base}, i64 {column.count})")
        r = Routine(f"void @open_tallies({MACHINE_ARGUMENTS}, i64 %base, i64 %count)", "unreachable")
        body = Body(self.module, r)
        with body.loop("%count") as (now, _, _):
            slot = r.let(f"add i64 {now}, %base")
            tally = r.let(f"load i64, ptr {item(r, 'tallied', 'i64', slot)}")
            with r.when(r.let(f"icmp sge i64 {tally}, 0")):
                value = body.load(r.let(f"getelementptr double, ptr %s, i64 {slot}"))
                head = item(r, "tallies", "double", r.let(f"mul i64 {tally}, {size}"))
                body.store(value, head)
                body.store(value, r.let(f"getelementptr double, ptr {head}, i64 1"))
        r.leave("void")
        self.module.routines.append(r.text())

    def _go(self) -> None:
        """Steps up to one with a number, or to the end; the run must be open."""
        r = Routine(f"i32 @go({MACHINE_ARGUMENTS}, i64 %until)", "ret i32 2")
        body = Body(self.module, r)
        head, look, on, over, ask, stopped, paused, jump, one, next_ = (r.label() for _ in range(10))
        r.place(head)
        r.fork(has_ended(body), over, look)
        r.place(over)
        r.leave("i32 1")
        r.place(look)
        visited = r.let(f"add i64 {load(r, 'visited')}, 1")
        often = r.let(f"icmp eq i64 {r.let(f'and i64 {visited}, {LOOK_FOR_STOP - 1}')}, 0")
        heavy = r.let(f"icmp sgt i64 {load(r, 'work')}, {MUCH_WORK}")
        r.fork(r.let(f"or i1 {often}, {heavy}"), ask, on)
        r.place(ask)
        asked = r.let(f"load volatile i64, ptr {load(r, 'stop')}")
        r.fork(r.let(f"icmp ne i64 {asked}, 0"), stopped, on)
        r.place(stopped)
        r.leave("i32 3")
        r.place(on)
        now = current_step(body)
        waits = self._is_pending(body)
        cell = r.cell("i64", None)
        r.do(f"store i64 {r.let(f'add i64 {now}, 1')}, ptr {cell}")
        r.fork(r.let(f"icmp eq i64 {load(r, 'skips')}, {SKIP_STEPS}"), jump, one)
        r.place(jump)
        if self._rounds is not None:
            alone = r.let(f"call i32 @rounds({PASSED_ON}, i64 {now}, i64 %until, i1 {waits})")
            none, failed = r.label(), r.label()
            r.do(f"switch i32 {alone}, label %{failed} [ i32 {ALONE}, label %{ask} i32 {NOTHING}, label %{none} ]")
            r.start(failed)
            r.leave(f"i32 {alone}")
            r.place(none)
        soonest = load(r, "soonest")
        following = r.let(f"load i64, ptr {cell}")
        later = r.let(f"icmp sgt i64 {soonest}, {following}")
        r.do(f"store i64 {r.let(f'select i1 {later}, i64 {soonest}, i64 {following}')}, ptr {cell}")
        r.go(one)
        r.place(one)
        step = r.let(f"load i64, ptr {cell}")
        r.fork(r.let(f"icmp sgt i64 {step}, %until"), paused, next_)
        r.place(paused)
        with r.when(r.let(f"icmp slt i64 {now}, %until")):
            r.do("call void @set_step(ptr %s, ptr %x, i64 %until)")
        r.leave("i32 0")
        r.place(next_)
        r.do(f"call void @set_step(ptr %s, ptr %x, i64 {step})")
        store(r, "visited", visited)
        signal = r.let(f"call i32 @step({PASSED_ON}, i64 {step}, i1 {waits})")
        ended, other = r.label(), r.label()
        r.fork(r.let(f"icmp eq i32 {signal}, 1"), ended, other)
        r.place(ended)
        self._end(r)
        r.leave("i32 1")
        r.place(other)
        leave_unless_going(r, signal)
        r.go(head)
        self.module.routines.append(r.text())


def _length(routine: str, texts: Mapping[str, str]) -> int:
    """Return how many lines a quiet routine has, with those that it calls."""
    text = texts[routine]
    return text.count("\n") + sum(_length(name, texts) for name in set(re.findall(r"call i64 (@q\d+)\(", text)))
