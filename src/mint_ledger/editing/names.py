"""The names of a game by their sort: where each is made, what may be said at a place, what a name there means."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mint_ledger.editing.analysis import Analysis
from mint_ledger.editing.cursor import Spot
from mint_ledger.editing.standing import MEASURE, VALUES, Standing, standing_at
from mint_ledger.formula.syntax import CALL_MEANINGS, CALLS, MEASURE_CALLS, MEASURE_MEANINGS
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import ACCOUNT_WORDS
from mint_ledger.game.paths import path_name
from mint_ledger.game.stat import Stat
from mint_ledger.journal.books import account_name, all_accounts
from mint_ledger.lowering.sites import Seen
from mint_ledger.program.handle import Path

ENTITY_WORDS = ("self", "other", "maker")
GAME_WORDS = {
    "time": "seconds since the run began (turns, in a game of turns)",
    "level_time": "how long the level has been open",
    "turn": "the number of the turn",
    "whose": "whose turn it is",
    "level": "the level that is open, a word",
    "visit": "how often this level has begun",
}
BY_NAME = ("kinds", "attacks", "actions", "statuses", "lots", "levels", "endings", "habits", "variants")
SINGULAR = {
    "kinds": "kind",
    "attacks": "attack",
    "actions": "action",
    "statuses": "status",
    "lots": "lot",
    "levels": "level",
    "endings": "ending",
    "habits": "habit",
    "variants": "variant",
    "numbers": "number",
    "tables": "table",
    "formulas": "formula",
    "stats": "stat",
}


@dataclass(frozen=True, slots=True)
class Name:
    """A name of a game.

    Attributes:
        text: as it is written.
        sort: what it is: stat, kind, attack …
        path: where it is made; empty of what no file makes.
        about: what is said of it in a few words.
        owners: of a stat the kinds that have it.
    """

    text: str
    sort: str
    path: Path = ()
    about: str = ""
    owners: tuple[str, ...] = ()


def names_of_sort(analysis: Analysis, sort: str) -> list[Name]:
    """The names of a sort, as keys of the file ask for them."""
    game = analysis.game
    if game is None:
        return []
    if sort in BY_NAME:
        return [*_section(game, sort), *([Name("none", "habit", (), "nobody plays")] if sort == "habits" else [])]
    if sort == "entities":
        return [*_entities(analysis)]
    if sort == "stats":
        return list(_all_stats(game))
    if sort == "cues":
        return list(_cues(analysis))
    if analysis.played is None:
        return []
    program = analysis.played.lowered.program
    if sort == "settings":
        return [*names_of_sort(analysis, "accounts"), *names_of_sort(analysis, "dials")]
    if sort == "accounts":
        known = (account_name(program, key) for key in all_accounts(program))
        return [Name(name, "account") for name in known]
    if sort == "dials":
        dials = program.dials
        return [
            Name(name, "dial", path, str(dials.shown(name)))
            for name, path in zip(dials.names, dials.written, strict=True)
        ]
    return []


def _section(game: GameFile, section: str) -> Iterator[Name]:
    for name, part in getattr(game, section).items():
        about = getattr(part, "about", None) or getattr(part, "label", None) or ""
        yield Name(name, SINGULAR[section], (section, name), about)


def _entities(analysis: Analysis) -> Iterator[Name]:
    game = analysis.game
    assert game is not None
    yield from _section(game, "kinds")
    for word in ENTITY_WORDS:
        yield Name(word, "entity")


def _all_stats(game: GameFile) -> Iterator[Name]:
    owners: dict[str, list[str]] = {}
    first: dict[str, Path] = {}
    for stat in game.stats:
        owners.setdefault(stat, [])
        first[stat] = ("stats", stat)
    for kind, model in game.kinds.items():
        for stat in model.stats:
            owners.setdefault(stat, []).append(kind)
            first.setdefault(stat, ("kinds", kind, "stats", stat))
    for stat, having in owners.items():
        yield Name(stat, "stat", first[stat], f"of {', '.join(having)}" if having else "of the game", tuple(having))


def _cues(analysis: Analysis) -> Iterator[Name]:
    seen: dict[str, Path] = {}
    for site in analysis.sites.steps.values():
        if site.sort == "cue":
            seen.setdefault(site.what, site.path)
    for rule in analysis.sites.rules.values():
        for trigger, what in rule.hears:
            if trigger == "cue":
                seen.setdefault(what, rule.path)
    for name, path in seen.items():
        yield Name(name, "cue", path, f"given in {path_name(path)}")


def stats_of(analysis: Analysis, kinds: Iterable[str]) -> Iterator[Name]:
    """The stats of some kinds, those that they take over among them."""
    game, cast = analysis.game, analysis.cast
    if game is None or cast is None:
        return
    for member in (cast.members[kind] for kind in kinds if kind in cast.members):
        for stat, model in member.kind.stats.items():
            # Where it is written: in the kind itself, or in one that it is like.
            holder = next((one for one in member.family if stat in game.kinds[one].stats), None)
            path = ("kinds", holder, "stats", stat) if holder is not None else ("kinds", member.name)
            yield Name(stat, "stat", path, short(model), (member.name,))


def short(stat: Stat) -> str:
    """A stat in a few words."""
    if stat.formula is not None:
        return f"= {stat.formula.text}"
    start = f"{stat.start.text}" if stat.start is not None else ""
    low, high = (formula.text if formula is not None else "" for formula in (stat.min, stat.max))
    return f"{start}, {low}..{high}" if low or high else start


def names_in_formula(analysis: Analysis, path: Path) -> list[Name]:
    """All that a formula at a place can begin a name with."""
    game, seen = analysis.game, analysis.seen_at(path)
    standing = standing_at(path)
    names: list[Name] = []
    if path[:1] == ("formulas",) and len(path) > 1 and game is not None and path[1] in game.formulas:
        names += [Name(value, "value", (*path[:2], "of"), "handed over") for value in game.formulas[str(path[1])].of]
    names += [Name(name, "value", (), "known here alone") for name in seen.lets if not names]
    names += _once(stats_of(analysis, seen.selves))
    if game is not None:
        names += [Name(n, "stat", ("stats", n), short(model)) for n, model in game.stats.items()]
        names += [Name(n, "number", ("numbers", n), f"{value:g}") for n, value in game.numbers.items()]
        names += _section(game, "kinds")
        names += [Name(n, "table", ("tables", n), ", ".join(t.columns)) for n, t in game.tables.items()]
        names += [
            Name(n, "formula", ("formulas", n), f"({', '.join(f.of)}): {f.is_.text}") for n, f in game.formulas.items()
        ]
    names += [Name(word, "entity", (), ", ".join(kinds)) for word, kinds in _words_for(seen)]
    names += [Name(word, "happening", (), ", ".join(values)) for word, values in _happenings(seen)]
    names += [Name(word, "word", (), about) for word, about in GAME_WORDS.items()]
    calls = {form.split("(")[0]: (form, about) for form, about in CALL_MEANINGS.items()}
    if MEASURE in standing.formats:
        calls |= dict(_measures())
    names += [Name(name, "call", (), f"{form}: {about}") for name, (form, about) in calls.items() if name != "weights"]
    return names


def _measures() -> Iterator[tuple[str, tuple[str, str]]]:
    for forms, about in MEASURE_MEANINGS.items():
        for form in re.findall(r"`([^`]+)`", forms):
            if "(" in form:
                yield form.split("(")[0], (form, " ".join(about.split()))


def _words_for(seen: Seen) -> list[tuple[str, tuple[str, ...]]]:
    known = [("self", seen.selves), ("other", seen.others)]
    return [(word, kinds) for word, kinds in known if kinds]


def _happenings(seen: Seen) -> list[tuple[str, tuple[str, ...]]]:
    return [(word, values) for word, values in (("cue", seen.cue), ("hit", seen.hit)) if values]


def names_behind(analysis: Analysis, path: Path, base: str) -> list[Name]:
    """All that may stand behind `base.` in a formula at a place."""
    game, seen = analysis.game, analysis.seen_at(path)
    if base in ("cue", "hit"):
        return [Name(value, "value") for value in (seen.cue if base == "cue" else seen.hit)]
    if game is not None and base in game.tables:
        return [Name(column, "column", ("tables", base)) for column in game.tables[base].columns[1:]]
    kinds = kinds_meant(analysis, path, base)
    if kinds:
        return [*_once(stats_of(analysis, kinds)), Name("maker", "entity", (), "who spawned it")]
    if is_stat(analysis, path, base):
        return [Name(word, "word of an account") for word in ACCOUNT_WORDS]
    if game is not None and base not in game.numbers:
        return list(_all_stats(game))
    return []


def kinds_meant(analysis: Analysis, path: Path, base: str) -> tuple[str, ...]:
    """The kinds that an entity in a formula may be."""
    seen = analysis.seen_at(path)
    if base in ("self", "other"):
        return seen.selves if base == "self" else seen.others
    name = base.split("[", maxsplit=1)[0]
    if analysis.game is not None and name in analysis.game.kinds and "." not in base:
        return (name,)
    return ()


def is_stat(analysis: Analysis, path: Path, base: str) -> bool:
    """Return whether a text names an account: `health`, `keeper.health`."""
    owner, _, stat = base.rpartition(".")
    if analysis.game is None:
        return False
    if not owner:
        return stat in analysis.game.stats or any(
            n.text == stat for n in stats_of(analysis, analysis.seen_at(path).selves)
        )
    return any(name.text == stat for name in stats_of(analysis, kinds_meant(analysis, path, owner)))


def _once(names: Iterable[Name]) -> list[Name]:
    known: dict[str, Name] = {}
    for name in names:
        first = known.setdefault(name.text, name)
        if first is not name:
            about = first.about if first.about == name.about else f"of {', '.join((*first.owners, *name.owners))}"
            known[name.text] = Name(first.text, first.sort, first.path, about, (*first.owners, *name.owners))
    return list(known.values())


_WORD = re.compile(r"[^\W\d]\w*")
_DOTTED = re.compile(r"[^\W\d]\w*(?:\[[^\]\n]*\])?(?:\.[^\W\d]\w*(?:\[[^\]\n]*\])?)*")


@dataclass(frozen=True, slots=True)
class Token:
    """A name in a line: from column to column, with all of the dotted name up to its end."""

    text: str
    first: int
    last: int
    dotted: str
    called: bool


def token_at(line: str, column: int) -> Token | None:
    """The name at a column of a line."""
    for match in _DOTTED.finditer(line):
        if match.start() <= column <= match.end():
            for word in _WORD.finditer(line, match.start(), match.end()):
                if word.start() <= column <= word.end():
                    called = line[word.end() :].startswith("(")
                    return Token(word[0], word.start(), word.end(), line[match.start() : word.end()], called)
    return None


def name_meant(analysis: Analysis, spot: Spot, token: Token) -> Name | None:
    """Return what a name at a place means; none where nothing is known of it."""
    game = analysis.game
    if game is None:
        return None
    standing = standing_at(spot.path)
    if spot.at != "value":
        key = _key_meant(spot, token, standing)
        if key is not None:
            return key
    sorts = standing.names if spot.at != "key" else standing.name_keys
    for sort in sorts:
        found = _of_sort(analysis, sort, spot.path, token)
        if found is not None:
            return found
    if spot.at == "key" or not (standing.is_formula or standing.formats & {MEASURE, VALUES}):
        return None
    return in_formula(analysis, spot.path, token)


def _key_meant(spot: Spot, token: Token, standing: Standing) -> Name | None:
    """Return what a key means that the file gives a name by: a kind, a stat, a rule's value and more."""
    path = (*spot.path, token.text)
    if any(key == token.text for _, key in standing.keys) or standing.name_keys:
        return None
    if len(path) == 2 and path[0] in SINGULAR:
        return Name(token.text, SINGULAR[str(path[0])], path)
    if len(path) == 4 and path[0] == "kinds" and path[2] == "stats":
        return Name(token.text, "stat", path, "", (str(path[1]),))
    if path[-2:-1] == ("let",):
        return Name(token.text, "value", path)
    return None


def _of_sort(analysis: Analysis, sort: str, path: Path, token: Token) -> Name | None:
    if sort in ("accounts", "dials", "entities", "settings"):
        return in_formula(analysis, (), token) or _of_sort(analysis, "kinds", path, token)
    if sort == "stats":
        owners = [n for n in stats_of(analysis, analysis.seen_at(path).selves) if n.text == token.text]
        if owners:
            return _once(owners)[0]
    return next((name for name in names_of_sort(analysis, sort) if name.text == token.text), None)


def in_formula(analysis: Analysis, path: Path, token: Token) -> Name | None:
    """Return what a name in a formula means: as it was lowered there, or else by where it stands."""
    game = analysis.game
    assert game is not None
    base = token.dotted[: -len(token.text)].rstrip(".")
    if token.called and not base:
        if token.text in game.formulas:
            return Name(token.text, "formula", ("formulas", token.text))
        return Name(token.text, "call") if token.text in (*CALLS, *MEASURE_CALLS) else None
    meant = analysis.sites.meant.get((path, token.dotted))
    if meant is None and analysis.played is not None:
        meant = analysis.played.lowered.sites.meant.get((path, token.dotted))
    if meant is not None and meant.sort == "stat":
        if not meant.owners:
            return Name(meant.name, "stat", ("stats", meant.name))
        return _once(n for n in stats_of(analysis, meant.owners) if n.text == meant.name)[0]
    known = names_behind(analysis, path, base) if base else names_in_formula(analysis, path)
    found = next((name for name in known if name.text == token.text), None)
    if found is not None and found.sort == "value" and not found.path:
        rule = next((path[:end] for end in range(len(path), 0, -1) if path[:end] in analysis.sites.rules), None)
        return Name(found.text, "value", (*rule, "let", found.text) if rule is not None else ())
    if found is None and not base:
        # As the argument of a call: an action, an attack, a status.
        for section in ("statuses", "actions", "attacks", "lots", "levels"):
            if token.text in getattr(game, section):
                return Name(token.text, SINGULAR[section], (section, token.text))
    return found
