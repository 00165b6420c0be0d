"""What `check` found, and the firing order of a game, as text."""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.audit.audit import Audit
from mint_ledger.game.document import GameFile
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.playing.playtests import PlaytestResult
from mint_ledger.program.program import Program
from mint_ledger.views.page import MarkedLine, Page, Parts, Sentence


def check_text(game: GameFile, lowered: Lowered, results: Sequence[PlaytestResult], audit: Audit) -> Page:
    """The verdict on a game file that can be used, with what was found by looking at the file alone."""
    program = lowered.program
    entities = program.cast.size - 1
    accounts = sum(count for account in program.accounts for _, count, _ in account.specs)
    lines: Parts = [
        f"{game.source.file}: {game.title} can be played",
        f"  {_count(len(game.kinds), 'kind')}, {_count(entities, 'entity', 'entities')}, "
        f"{_count(accounts, 'account')}, {_count(len(program.dials.names), 'dial')}",
    ]
    if not results:
        return Page(*lines, "  no playtests", *_findings(audit), *_advice(game, lowered))
    passed = sum(result.passed for result in results)
    lines.append(f"  playtests: {passed} of {len(results)} passed")
    for result in results:
        lines.extend(_playtest(result))
    return Page(*lines, *_findings(audit), *_advice(game, lowered))


def _advice(game: GameFile, lowered: Lowered) -> Parts:
    """Return what would be better to have, though nothing is wrong."""
    return [*_own_names(game), *_unnamed(game, lowered)]


def _own_names(game: GameFile) -> Parts:
    """Names of the file that formulas would otherwise know as something else."""
    lines: Parts = []
    for word, what in (("level", "the level that is played"), ("visit", "how often it has begun")):
        owners: list[tuple[str, ...]] = [("stats", word), ("numbers", word), ("kinds", word)]
        owners += [("kinds", kind, "stats", word) for kind, model in game.kinds.items() if word in model.stats]
        places = [game.source.place(path) for path in owners if path in game.source.places]
        if game.levels and places:
            text = f"{places[0].told(game.source.file)}: '{word}' is your own name in formulas; {what} has none there"
            lines.append(Sentence(text, hanging=8, lead="  note  "))
    return lines


def _unnamed(game: GameFile, lowered: Lowered) -> Parts:
    if not lowered.unnamed_luck:
        return []
    places = sorted({game.source.place(path) for path in lowered.unnamed_luck}, key=lambda place: place.line)
    inside = [place.line for place in places if place.file == game.source.file]
    told = [f"line {inside[0]}" if len(inside) == 1 else f"lines {', '.join(map(str, dict.fromkeys(inside)))}"]
    told = [*(told if inside else []), *(p.told(game.source.file) for p in places if p.file != game.source.file)]
    where = ", ".join(dict.fromkeys(told))
    text = (
        f"{where}: a rule that draws and has no name keeps its luck as its numbers change, but not as its words do; "
        "with a name it does, and comparisons see smaller differences"
    )
    return [Sentence(text, hanging=10, lead="  advice  ")]


def _findings(audit: Audit) -> Parts:
    """Return what looks wrong, a line each; `audit` says more, and plays as well."""
    if not audit.open:
        return ["  no usual mistake found in the file (mint-ledger audit plays it to find more)"]
    lines: Parts = [f"  likely mistakes ({_count(len(audit.open), 'finding')}; mint-ledger audit explains them):"]
    for finding in audit.open:
        text = f"{finding.place.told(audit.file)}  {finding.check.name}: {finding.caught.what}"
        lines.append(Sentence(text, 4))
    return lines


def _count(number: int, word: str, plural: str = "") -> str:
    return f"{number:,} {word if number == 1 else plural or word + 's'}"


def playtest_text(result: PlaytestResult) -> Page:
    """Return whether a playtest passed, and what was not found."""
    return Page(*_playtest(result))


def _playtest(result: PlaytestResult) -> Parts:
    verdict = MarkedLine("    ", ("passed", "good") if result.passed else ("FAILED", "bad"), f"  {result.name}")
    lines: Parts = [verdict]
    for item in result.found:
        if not item.held:
            text = f"{item.at}: expected {item.expected}"
            line = f"found: {item.values}" if item.values else "found that it does not hold"
            lines += [Sentence(text, 12), Sentence(line, 12)]
    if result.stopped:
        lines.append(Sentence(result.stopped, 12))
    return lines


def order_text(game: GameFile, program: Program) -> Page:
    """Everything that can happen, in the order in which it does, with the lines of the file."""
    lines: Parts = [f"{game.title}: what happens in which order", ""]
    part = ""
    headings = {
        "0 start": "At the start, and as a level opens",
        "1 time": "Each step, first: statuses tick and end, actions and wind-ups are done",
        "3 players": "Each step, after the script: simulated players choose",
        "4 contact": "Each step, as two begin to touch",
        "5 attacks and rules": "Each step, then: each kind's rules, then the game's attacks and rules",
        "6 flows": "Each step, then: what recovers and fades",
        "7 endings": "Each step, at its end: the first ending that holds ends the run",
        "reactions: hits": "At once after what set it off, first: hits, misses, actions, who appears",
        "reactions: conditions": "At once after what set it off, second: what has become true",
        "reactions: gone": "At once after what set it off, third: who is gone",
        "reactions: cues": "At once after what set it off, last: cues",
    }
    for line in program.order:
        if line.part != part:
            part = line.part
            lines += [] if lines[-1] == "" else [""]
            lines.append(headings[part])
        where = game.source.place(line.path).told(game.source.file) if game.source.text else ""
        lead = f"  {where:<10}"
        lines.append(Sentence(line.what, hanging=14, lead=lead if len(where) < 10 else f"{lead}  "))
    return Page(*lines)
