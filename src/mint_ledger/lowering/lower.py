"""Turns a game into a program. One file for each concept; `lower` puts them together in the order of a step."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import assert_never

from mint_ledger.errors import Fault, GameError, nearest
from mint_ledger.game import do
from mint_ledger.game.cast import Cast, CastError, make_cast
from mint_ledger.game.dials import list_dials
from mint_ledger.game.do import Do
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import values_of
from mint_ledger.game.paths import path_name
from mint_ledger.game.rule import Rule
from mint_ledger.game.script import Happening
from mint_ledger.game.sections import SECTIONS
from mint_ledger.lowering.action import could_begin, emit_action_part, lower_actions
from mint_ledger.lowering.attack import emit_wind_ups, lower_attack
from mint_ledger.lowering.columns import known_columns
from mint_ledger.lowering.contact import lower_contacts, order_lines
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.defense import forget_safe_time, lower_defence
from mint_ledger.lowering.ending import ending_specs, lower_endings
from mint_ledger.lowering.flow import emit_flows
from mint_ledger.lowering.formulas import KEYWORDS, RESERVED
from mint_ledger.lowering.habit import NO_HABIT, emit_habit_part, habit_players, lower_habits, own_habits
from mint_ledger.lowering.level import emit_first_level, lower_levels
from mint_ledger.lowering.lot import lower_weights
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.luck import rule_luck
from mint_ledger.lowering.measure import lower_measures
from mint_ledger.lowering.motion import check_radii, check_space, forget_motion, lower_motion
from mint_ledger.lowering.named_formula import check_named_formulas
from mint_ledger.lowering.presence import emit_beginnings, lower_begin, lower_opening, lower_presence, lower_watch_gone
from mint_ledger.lowering.readout import lower_readout
from mint_ledger.lowering.rule import RuleLowering
from mint_ledger.lowering.script import lower_playtests, lower_script
from mint_ledger.lowering.start import check_starts
from mint_ledger.lowering.stats import (
    check_circles,
    check_stats,
    emit_limit_postings,
    finish_accounts,
    lower_accounts,
)
from mint_ledger.lowering.status import emit_status_part, lower_statuses
from mint_ledger.lowering.status_effect import status_columns
from mint_ledger.lowering.table import check_tables
from mint_ledger.lowering.turns import find_turn_order, lower_turns
from mint_ledger.lowering.variants import check_together, check_variants
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import ZERO, Constant, Dial, Expr, Local
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Event, OrderLine, Program
from mint_ledger.program.statements import Settle
from mint_ledger.program.verify import verify

NOBODY = Constant(-1.0)
PHASES = ("0 start", "1 time", "3 players", "4 contact", "5 attacks and rules", "6 flows", "7 endings")
MOST_RULES = 10_000
# What a state may have in all: numbers that every moment of every run is made of.
MOST_NUMBERS = 5_000_000
# What copies may have of statuses, attacks and actions: each is more than one number, and takes time to lower.
MOST_MARKS = 2_000_000
REACTIONS = ("reactions: hits", "reactions: conditions", "reactions: gone", "reactions: cues")


def lower(game: GameFile, script: Sequence[Happening] = (), measures: Mapping[str, str] | None = None) -> Lowered:
    """Lower a game, with a script to be played with it and measures to be taken in addition to its own.

    Raises:
        GameError: names do not exist, types do not fit …; it has all faults that were found.
    """
    lowered, faults = try_lower(game, script, measures)
    if faults or lowered is None:
        raise GameError(faults)
    return lowered


def try_lower(
    game: GameFile, script: Sequence[Happening] = (), measures: Mapping[str, str] | None = None
) -> tuple[Lowered | None, list[Fault]]:
    """Lower a game as far as it goes, and return what came of it and all faults."""
    lowering, lowered = open_lowering(game, script, measures)
    return (lowered, lowering.faults) if isinstance(lowering, Lowering) else (lowered, [lowering])


def _too_many(game: GameFile, cast: Cast) -> Fault | None:
    """Refuse what no machine could play in any time, before it is looked at."""
    rules = len(game.rules) + sum(len(member.kind.rules) for member in cast.members.values())
    if rules > MOST_RULES:
        return Fault(
            game.source.place(("rules",)), "rules", f"{rules:,} rules are too many; the most is {MOST_RULES:,}"
        )
    each = max((member.room for member in cast.members.values()), default=0)
    many = len(game.statuses) + len(game.attacks) + len(game.actions)
    if each * many > MOST_MARKS:
        message = (
            f"{many:,} statuses, attacks and actions for {each:,} copies are too many to keep; their product may be "
            f"{MOST_MARKS:,} at most"
        )
        return Fault(game.source.place(("kinds",)), "kinds", message)
    return None


def open_lowering(
    game: GameFile,
    script: Sequence[Happening] = (),
    measures: Mapping[str, str] | None = None,
    *,
    counts_rules: bool = False,
) -> tuple[Lowering | Fault, Lowered | None]:
    """Lower a game, and keep the workshop open for what is added while it is played (`lowering.additions`).

    With `counts_rules` the state has a column for each rule that says how often it was carried out, as audits ask.
    """
    lowering, lowered = _lower_all(game, script, measures, counts_rules, frozenset())
    if isinstance(lowering, Lowering) and lowering.asked_counts:
        # What formulas ask how often it happened has to be counted where it happens, which may be lowered before them.
        return _lower_all(game, script, measures, counts_rules, frozenset(lowering.asked_counts))
    return lowering, lowered


def _lower_all(
    game: GameFile,
    script: Sequence[Happening],
    measures: Mapping[str, str] | None,
    counts_rules: bool,
    counted: frozenset[tuple[str, str]],
) -> tuple[Lowering | Fault, Lowered | None]:
    source = game.source
    try:
        cast = make_cast(game)
    except CastError as error:
        return Fault(source.place(error.path), path_name(error.path, source.data), str(error)), None
    too_many = _too_many(game, cast)
    if too_many is not None:
        return too_many, None
    lowering = Lowering(
        game, cast, list_dials(game, cast), source, could_begin, counts_rules=counts_rules, counted=counted
    )
    _check_names(lowering)
    _intern_words(lowering)
    _collect_cues_and_makers(lowering, script)
    known_columns(lowering)
    find_turn_order(lowering)
    check_tables(lowering)
    check_named_formulas(lowering)
    check_stats(lowering)
    lower_accounts(lowering)
    check_starts(lowering)
    check_circles(lowering)
    check_space(lowering)
    if game.space is not None:
        forget_motion(lowering)
        lower_motion(lowering)
    lower_presence(lowering)
    struck = [name for attack in game.attacks.values() for name in attack.to]
    for member in cast.families(struck):
        if member.room:
            lower_defence(lowering, member)
            forget_safe_time(lowering, member)
    _lower_attacks_and_rules(lowering)
    lower_endings(lowering)
    lower_statuses(lowering)
    lower_actions(lowering)
    lower_habits(lowering)
    lower_levels(lowering)
    _check_immunities(lowering)
    check_variants(lowering)
    _check_targets(lowering)
    playtests = lower_playtests(lowering)
    items = lower_script(lowering, script, ("script",)) if script else ()
    lower_weights(lowering)
    readout = lower_readout(lowering)
    _check_overrides(lowering)
    taken = lower_measures(lowering, measures or {})
    _lower_parts(lowering)
    check_radii(lowering)
    size = lowering.layout.layout().size
    if size > MOST_NUMBERS:
        message = (
            f"the game keeps {size:,} numbers in each moment, and {MOST_NUMBERS:,} are the most; fewer copies, "
            "statuses or attacks would do"
        )
        return Fault(source.place(()), "", message), None
    program = _program(lowering)
    if not lowering.faults:
        verify(program)
    lowered = Lowered(
        program,
        playtests,
        readout,
        items,
        tuple(own_habits(lowering)),
        habit_players(lowering),
        tuple(game.levels),
        taken,
        source,
        lowering.plain_arguments(),
        tuple(lowering.unnamed_luck),
        tuple(sorted(lowering.chances)),
        tuple(lowering.chance_places),
        tuple(dict.fromkeys(lowering.rising)),
        tuple(lowering.lots.values()),
        lowering.worked_out,
        tuple(lowering.asked_levels.values()),
        lowering.sites,
    )
    return lowering, lowered


def _check_names(lowering: Lowering) -> None:
    game = lowering.game
    owners: dict[str, str] = {}
    for section in SECTIONS:
        for name in getattr(game, section.name) if section.names else ():
            path = (section.name, name)
            _check_identifier(lowering, path, name, in_formulas=section.names == "in formulas")
            if section.names == "in formulas":
                if name in owners:
                    lowering.fault(path, f"'{name}' is the name of one of the {owners[name]} already")
                owners[name] = section.name
    for formula, named in game.formulas.items():
        for name in named.of:
            _check_identifier(lowering, ("formulas", formula, "of"), name, in_formulas=True)
            if name in lowering.cast.members:
                lowering.fault(
                    ("formulas", formula, "of"), f"'{name}' is a kind; choose another name for what comes in"
                )
    for kind, model in game.kinds.items():
        for name in model.stats:
            _check_identifier(lowering, ("kinds", kind, "stats", name), name, in_formulas=True)


def _check_identifier(lowering: Lowering, path: tuple[str | int, ...], name: str, *, in_formulas: bool = False) -> None:
    folded = unicodedata.normalize("NFKC", name)
    if folded != name:
        lowering.fault(path, f"'{name}' has letters that stand for others; write '{folded}'")
    elif not name.isidentifier() or name.startswith("_"):
        lowering.fault(path, f"'{name}' is no name that a formula can use; a name has letters, digits and _")
    elif name in KEYWORDS or (in_formulas and name in RESERVED):
        lowering.fault(path, f"'{name}' has a meaning of its own in formulas; choose another name")


def _intern_words(lowering: Lowering) -> None:
    lowering.word("")
    for stats in (lowering.game.stats, *(m.kind.stats for m in lowering.cast.members.values())):
        for stat in stats.values():
            for word in (*(stat.one_of or ()), *(stat.bands or ())):
                lowering.word(word)
    for word in ("win", "lose", "draw", "unfinished", *lowering.game.levels):
        lowering.word(word)


def _collect_cues_and_makers(lowering: Lowering, script: Sequence[Happening]) -> None:
    game = lowering.game

    drawn: set[tuple[str, tuple[str, ...]]] = set()

    def visit(items: Sequence[Do], owners: tuple[str, ...]) -> None:
        for item in items:
            match item:
                case do.CueDo():
                    _note_cue(lowering, item.cue, list(item.with_ or {}))
                case do.SpawnDo():
                    lowering.makers.setdefault(item.spawn, set()).update(owners)
                case do.IfDo() | do.ElseIfDo():
                    visit(item.do, owners)
                    visit(item.else_ or [], owners)
                case do.EachDo():
                    visit(item.do, owners)
                case do.OneDo():
                    visit(item.do, owners)
                    visit(item.else_ or [], owners)
                case do.LotDo():
                    if item.lot in game.lots and (item.lot, owners) not in drawn:
                        drawn.add((item.lot, owners))
                        for branch in game.lots[item.lot].of.values():
                            visit(branch.do, owners)
                case do.GoDo():
                    lowering.gone_to.add(item.go)
                case do.SafeDo():
                    lowering.gives_safety = True
                case do.PostDo() | do.RemoveDo() | do.HitDo() | do.AttackDo() | do.GiveDo() | do.EndDo():
                    pass
                case do.MoveDo() | do.FinishDo() | do.MeetDo() | do.TellDo():
                    pass
                case _:
                    assert_never(item)

    for name, kind in game.kinds.items():
        family = tuple(member.name for member in lowering.cast.family(name))
        for rule in kind.all_rules:
            visit(rule.do, family)
    for action in game.actions.values():
        visit(action.do, tuple(m.name for m in lowering.cast.families(action.by)))
    for status in game.statuses.values():
        visit(status.do or [], tuple(lowering.cast.members))
    for rule in game.rules:
        visit(rule.do, ())
    for attack in game.attacks.values():
        visit(attack.also or [], tuple(m.name for m in lowering.cast.families(attack.from_)))
    for happening in (*script, *(item for test in game.playtests.values() for item in test.script)):
        if happening.go is not None:
            lowering.gone_to.add(happening.go)
        if happening.cue is not None:
            _note_cue(lowering, happening.cue, list(happening.with_) if isinstance(happening.with_, dict) else [])
    _collect_listeners(lowering)
    for rule in (*game.rules, *(rule for kind in game.kinds.values() for rule in kind.rules)):
        # Scripts give cues from outside; what rules read of them tells which values they bring.
        read = values_of(rule, "cue")
        for when in rule.when:
            for cue in when.cue or []:
                _note_cue(lowering, cue, sorted(read))


def _collect_listeners(lowering: Lowering) -> None:
    """The kinds of which some rule hears that one has appeared."""
    owned = [(name, rule) for name, kind in lowering.game.kinds.items() for rule in kind.all_rules]
    for owner, rule in [*owned, *(("", rule) for rule in lowering.game.rules)]:
        for when in rule.when:
            for name in when.appears or []:
                known = owner if name == "self" else name
                if known in lowering.cast.members:
                    lowering.listened_to |= {member.name for member in lowering.cast.family(known)}


def _note_cue(lowering: Lowering, cue: str, values: list[str]) -> None:
    known = lowering.cue_values.setdefault(cue, [])
    known.extend(value for value in values if value not in known)


def _check_targets(lowering: Lowering) -> None:
    game = lowering.game
    for index, target in enumerate(game.targets):
        for key, known in (("habit", [*game.habits, NO_HABIT]), ("variant", [*game.variants])):
            several = getattr(target.each, key) or [] if target.each is not None else []
            for place, wanted in enumerate([getattr(target, key), *several]):
                path = ("targets", index, key) if not place else ("targets", index, "each", key, place - 1)
                check_together(lowering, path, wanted, known, key)


def _check_immunities(lowering: Lowering) -> None:
    statuses = lowering.game.statuses
    for name, kind in lowering.game.kinds.items():
        for index, status in enumerate(kind.immune or []):
            if status not in statuses:
                path = ("kinds", name, "immune", index)
                lowering.fault(path, f"unknown status '{status}'{nearest(status, statuses)}")


def _lower_attacks_and_rules(lowering: Lowering) -> None:
    """Lower each kind's own rules in the order of kinds, then the game's: attacks, rules, and last the turns.

    Where the sections stand in the file means nothing; within each the order of the file counts. The turn passes last,
    so that what a turn earns goes to whoever had it.
    """
    alike: Counter[tuple[str, ...]] = Counter()
    titles: Counter[str] = Counter()
    game = lowering.game
    for name, kind in game.kinds.items():
        for index, rule in enumerate(kind.all_rules):
            holders = tuple(m for m in lowering.cast.family(name) if any(rule is r for r in m.kind.all_rules))
            is_short = index >= len(kind.rules)
            path = ("kinds", name, "lives") if is_short else ("kinds", name, "rules", index)
            title = _title(titles, rule, name)
            luck = rule_luck(alike, rule, path, name)
            RuleLowering(lowering, rule, path, holders, True, title, luck).lower()
    for name, attack in game.attacks.items():
        lower_attack(lowering, name, attack)
    for index, rule in enumerate(game.rules):
        title = _title(titles, rule, "")
        luck = rule_luck(alike, rule, ("rules", index), "")
        RuleLowering(lowering, rule, ("rules", index), (), False, title, luck).lower()
    lower_turns(lowering)


def _title(titles: Counter[str], rule: Rule, owner: str) -> str:
    title = rule.title()
    titles[f"{owner}: {title}"] += 1
    count = titles[f"{owner}: {title}"]
    return title if count == 1 else f"{title} #{count}"


def _check_overrides(lowering: Lowering) -> None:
    for name, kind in lowering.game.kinds.items():
        stats = lowering.cast.members[name].kind.stats
        for index, overrides in enumerate(kind.copies if isinstance(kind.copies, list) else []):
            for stat, value in overrides.items():
                if stat == "habit":
                    continue
                path = ("kinds", name, "copies", index, stat)
                if stat not in stats:
                    lowering.fault(path, f"{name} has no stat '{stat}'{nearest(stat, stats)}")
                elif stats[stat].one_of is not None:
                    words = stats[stat].one_of or []
                    if value.text not in words:
                        message = f"'{value}' is not one of {', '.join(words)}{nearest(value.text, words)}"
                        lowering.fault(path, message)
                elif value.number is None:
                    lowering.fault(path, f"a copy's own {stat} is a number, not the formula '{value}'")


def _lower_parts(lowering: Lowering) -> None:
    """The parts of a step, and what comes before the first."""
    wiring = lowering.wiring
    lower_contacts(lowering)
    time = BlockBuilder()
    for emit in wiring.new_step:
        emit(time)
    emit_status_part(lowering, time)
    emit_action_part(lowering, time)
    emit_wind_ups(lowering, time)
    if lowering.game.statuses or wiring.new_step:
        time.emit(Settle(NOBODY, ZERO))
    lowering.procedure(time.procedure(parts.TIME))
    players = BlockBuilder()
    emit_habit_part(lowering, players)
    lowering.procedure(players.procedure(parts.PLAYERS))
    if not lowering.game.levels:
        lowering.procedure(BlockBuilder().procedure(parts.LEVELS))
    rules = BlockBuilder()
    for path, emit in wiring.polled:
        before = len(rules.body())
        emit(rules)
        lowering.polled_blocks.append((path, rules.body()[before:]))
    lowering.procedure(rules.procedure(parts.RULES))
    flows = BlockBuilder()
    emit_flows(lowering, flows)
    flows.emit(Settle(NOBODY, ZERO, always=True))
    lowering.procedure(flows.procedure(parts.FLOWS))
    watch = BlockBuilder(1)
    emit_limit_postings(lowering, watch)
    lowering.limit_postings = watch.body()
    for emit in wiring.watched:
        emit(watch)
    lowering.procedure(watch.procedure(parts.WATCH))
    lower_watch_gone(lowering)
    _lower_handlers(lowering)
    lower_opening(lowering)
    opening = BlockBuilder()
    emit_beginnings(lowering, opening)
    emit_first_level(lowering, opening)
    for emit in wiring.starts:
        emit(opening)
    opening.emit(Settle(NOBODY, ZERO, always=True))
    lowering.procedure(opening.procedure(parts.OPENING))
    for member in lowering.cast.members.values():
        lower_begin(lowering, member)


def _lower_handlers(lowering: Lowering) -> None:
    for index, event in enumerate(lowering.events):
        emits = lowering.wiring.handlers.get(index, [])
        if not emits:
            continue
        b = BlockBuilder(10)
        values: tuple[Expr, ...] = tuple(Local(2 + i) for i in range(8))
        for emit in emits:
            emit(b, Local(0), Local(1), values)
        handler = Handle("on " + event.handle.use, event.handle.owner)
        lowering.procedure(b.procedure(handler))
        lowering.events[index] = Event(event.handle, event.phase, handler)


def _program(lowering: Lowering) -> Program:
    game = lowering.game
    limit = lowering.dial_index(("clock", "limit"))
    return Program(
        title=game.title,
        clock=game.clock,
        cast=lowering.cast,
        dials=lowering.dials,
        accounts=finish_accounts(lowering),
        layout=lowering.layout.layout(),
        columns=known_columns(lowering),
        timers=tuple(lowering.timers),
        touching=tuple(lowering.touching.values()),
        statuses=status_columns(lowering),
        procedures=lowering.procedures,
        causes=tuple(lowering.causes),
        events=tuple(lowering.events),
        endings=ending_specs(lowering),
        words=tuple(lowering.words),
        texts=tuple(lowering.texts),
        formulas=tuple(lowering.formulas),
        order=_ordered(lowering),
        clock_limit=Dial(limit) if limit is not None else Constant(game.clock.limit),
        world_stats=game.stats,
        drawn_damage=frozenset(lowering.drawn_damage),
        cause_places=tuple(game.source.place(cause.path) for cause in lowering.causes),
    )


def _ordered(lowering: Lowering) -> tuple[OrderLine, ...]:
    lines = [*lowering.order, *order_lines(lowering)]
    parts = [*PHASES, *REACTIONS]
    return tuple(sorted(lines, key=lambda line: parts.index(line.part)))


__all__ = ["Cast", "Lowered", "lower", "try_lower"]
