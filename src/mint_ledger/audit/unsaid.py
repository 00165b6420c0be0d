"""Mistakes in what the file leaves unsaid: flows without an end, chances that leave 0 to 1, copies by default."""

from __future__ import annotations

from collections.abc import Iterator

from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.game.stat import Flow, Stat
from mint_ledger.journal.wording import number
from mint_ledger.program.handle import Path

ENDS = {"recover": ("up", "max"), "fade": ("down", "min")}


def flow_without_end(subject: Subject) -> Iterator[Caught]:
    """A stat recovers without a max, or fades without a min, and its flow says no end."""
    for owner, stat, path, model, key, flow in _flows(subject):
        way, limit = ENDS[key]
        if flow.to is None and getattr(model, limit) is None:
            name = subject.facts.account(owner, stat)
            what = f"{name} has no {limit} and its {key} no 'to', so it goes {way} for as long as the game lasts."
            yield Caught((*path, key), name, what)


def flow_never_moves(subject: Subject) -> Iterator[Caught]:
    """A stat recovers toward its own min, or fades toward its own max: it never moves."""
    for owner, stat, path, model, key, flow in _flows(subject):
        limit = model.min if key == "recover" else model.max
        if flow.to is None or flow.to.number is None or limit is None or limit.number is None:
            continue
        other, gives = ("fade", "gives") if key == "recover" else ("recover", "takes")
        end, held = flow.to.number, limit.number
        if end <= held if key == "recover" else end >= held:
            name = subject.facts.account(owner, stat)
            side = "below" if key == "recover" else "above"
            what = (
                f"{name} is never {side} {number(end)}, and a {key} to {number(end)} only {gives}: it never does "
                f"anything. Write '{other}: {{to: {number(end)} …}}' for the other way."
            )
            yield Caught((*path, key), name, what, grade="wrong")


def _flows(subject: Subject) -> Iterator[tuple[str, str, Path, Stat, str, Flow]]:
    for (owner, stat), (path, model) in subject.facts.stats.items():
        for key in ENDS:
            flow = getattr(model, key)
            if flow is not None and path[-1] == stat:
                yield owner, stat, path, model, key, flow


def chance_out_of_range(subject: Subject) -> Iterator[Caught]:
    """A chance that is worked out can be below 0 or above 1."""
    bounds = subject.facts.effects.bounds
    for path in subject.game.lowered.chance_places:
        between = bounds.formula(path)
        if between is None or between.never or (between.low >= 0.0 and between.high <= 1.0):
            continue
        name = subject.facts.name(path[:-1]) or str(path[1])
        always = between.low > 1.0 or between.high < 0.0
        hint = f"; {number(between.low / 100.0)}?" if between.low == between.high and 1.0 < between.low <= 100 else ""
        verb = "is" if always else "can be"
        what = f"The chance '{path[-1]}' of {name} {verb} {_outside(between.low, between.high)}{hint}."
        yield Caught(path, name, what, grade="wrong" if always else None)


def _outside(low: float, high: float) -> str:
    parts = []
    if low < 0.0:
        parts.append("below 0 (never)")
    if high > 1.0:
        parts.append("above 1 (always)")
    return " and ".join(parts)


def copy_by_default(subject: Subject) -> Iterator[Caught]:
    """A kind is like one that has no copies, says no number itself, and so has one copy from the start."""
    game = subject.game
    named = {kind for level in game.levels.values() for kind in level.present}
    for name, kind in game.kinds.items():
        base = game.kinds.get(str(kind.like)) if kind.like else None
        if base is None or base.copies != 0 or "copies" in kind.model_fields_set or "room" in kind.model_fields_set:
            continue
        if name in named:
            continue
        what = f"{name} is like {kind.like}, of which there are no copies, and has one copy from the start itself."
        yield Caught(("kinds", name), name, what)


CHECKS = (
    Check(
        "L110",
        "flow-without-end",
        "limits",
        "A stat that runs on without an end",
        "`recover` only gives and `fade` only takes. Without a max or min, and without a 'to', nothing stops the flow. "
        "(Until version 0.2 such a stat went back to its start.)",
        "Give the stat a max (or min), or the flow a 'to: …'; who wants both ways writes both recover and fade.",
        flow_without_end,
        grade="note",
    ),
    Check(
        "L111",
        "flow-never-moves",
        "limits",
        "A flow that can never move its stat",
        "`recover` only gives and `fade` only takes. Toward an end that the stat cannot be past, it does nothing.",
        "Write fade for what should go down, and recover for what should go up.",
        flow_never_moves,
    ),
    Check(
        "C317",
        "chance-out-of-range",
        "conditions",
        "A chance that is more than always, or less than never",
        "A chance lies between 0 and 1. A formula that gives more plays as 1, one that gives less as 0: changing it "
        "changes nothing.",
        "Divide per cents by 100, or hold it with clamp(…, 0, 1).",
        chance_out_of_range,
    ),
    Check(
        "C318",
        "copy-by-default",
        "conditions",
        "A kind that is there although nobody placed it",
        "A kind that is like another takes over all but its copies. Without 'copies' there is one from the start, even "
        "where the kind that it is like has none.",
        "Say 'copies: 1' if it is meant to be there, 'copies: 0' and a 'room' if rules spawn it.",
        copy_by_default,
        grade="note",
    ),
)
