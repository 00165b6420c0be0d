"""The handles of procedures and events of one concept that others call or hear of."""

from __future__ import annotations

from mint_ledger.program.handle import Handle

GONE, REMOVE, ENTER_LEVEL = Handle("gone"), Handle("remove"), Handle("enter level")
APPEARED = Handle("appeared")


def appear(kind: str) -> Handle:
    """Opens the accounts of one of a kind."""
    return Handle("appear", ("kinds", kind))


def begin(kind: str) -> Handle:
    """Begins the flows, timers and waits of one of a kind."""
    return Handle("begin", ("kinds", kind))


def spawn(kind: str) -> Handle:
    """Lets one more of a kind appear."""
    return Handle("spawn", ("kinds", kind))


def motion(kind: str) -> Handle:
    """Sets the courses of all of a kind."""
    return Handle("motion", ("kinds", kind))


def defend(kind: str) -> Handle:
    """Return what a hit meets in one of a kind."""
    return Handle("defend", ("kinds", kind))


def try_attack(name: str) -> Handle:
    """An attack that aims for itself."""
    return Handle("try", ("attacks", name))


def strike(name: str) -> Handle:
    """An attack at one target."""
    return Handle("strike", ("attacks", name))


def hit_event(attack: str) -> Handle:
    """That an attack has landed."""
    return Handle("hit", ("attacks", attack))


def missed_event(attack: str) -> Handle:
    """That an attack has not landed."""
    return Handle("missed", ("attacks", attack))


def begin_action(name: str) -> Handle:
    """Begins an action, or refuses it."""
    return Handle("act", ("actions", name))


def acted_event(action: str) -> Handle:
    """That an action was carried out."""
    return Handle("acted", ("actions", action))


def give_status(name: str) -> Handle:
    """Gives a status."""
    return Handle("give", ("statuses", name))


def end_status(name: str) -> Handle:
    """Ends a status."""
    return Handle("end", ("statuses", name))


def cue_event(name: str) -> Handle:
    """That a cue was given."""
    return Handle("cue", (name,))


def level_event(name: str) -> Handle:
    """That a level opens."""
    return Handle("level opens", ("levels", name))
