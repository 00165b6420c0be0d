"""A file while it is typed: where a place stands, what may be typed there, what a name means, and renaming it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mint_ledger as mint
from mint_ledger.editing.analysis import Analysis, analyzed, quick_findings
from mint_ledger.editing.completing import offers
from mint_ledger.editing.cursor import spot_at
from mint_ledger.editing.defining import made_at
from mint_ledger.editing.hovering import told_at
from mint_ledger.editing.names import SINGULAR, Name, names_of_sort
from mint_ledger.editing.renaming import applied, name_to_rename, renamed
from mint_ledger.editing.standing import standing_at
from mint_ledger.formula.syntax import CALL_MEANINGS, CALLS
from mint_ledger.game.key_words import key_words
from mint_ledger.game.table_files import read_beside

ROOT = Path(__file__).parent.parent
DEMO = mint.demo_path().read_text("utf-8")
GAMES = [mint.demo_path(), *sorted((ROOT / "examples").glob("*.yaml"))]
KILN = """\
title: Kiln
clock: {step: 1, limit: 9}
numbers: {draught: 2}
formulas:
  soft: {of: [x], is: x / (x + draught)}
kinds:
  potter:
    copies: 2
    stats: {heat: {start: 3, min: 0, max: 9}, nerve: 4}
  pot: {like: potter, stats: {glaze: {one_of: [raw, fired]}}}
rules:
  - name: stoke
    when: {every: 1}
    let: {gust: draught / 2}
    do: ["potter[1].heat += gust + soft(potter[2].nerve)", {cue: roared, with: {how: 3}}]
  - {name: answer, when: {cue: roared}, do: ["potter[2].nerve += cue.how"]}
variants: {windy: {draught: 4, potter.heat: 5}}
readout: ["Heat {potter[1].heat} of a potter"]
measures: {hot: "highest(potter[1].heat)"}
"""


def nobody(name: str) -> str:
    raise AssertionError(f"{name} was asked for")


def looked_at(text: str, before: Analysis | None = None) -> Analysis:
    return analyzed(text, "kiln.yaml", nobody, before)


def typed(text: str, behind: str, more: str = "") -> tuple[str, int, int]:
    """A text with something typed behind a part of it, and where the place is then, from 0."""
    at = text.index(behind) + len(behind)
    more, _, after = more.partition("|")
    before = text[:at] + more
    return before + after + text[at:], before.count("\n"), len(before) - before.rfind("\n") - 1


def offered(text: str, behind: str, more: str = "") -> list[str]:
    known = looked_at(text)
    return [offer.text for offer in offers(known, *typed(text, behind, more))]


@pytest.mark.parametrize("path", GAMES, ids=lambda path: path.stem)
def test_a_place_is_known_by_the_keys_and_items_around_it(path: Path) -> None:
    text = path.read_text("utf-8")
    source = mint.load(path).source
    looked = 0
    for where, place in source.places.items():
        node = source.data
        if where[-1] == "file":
            continue
        for step in where:
            node = node[step]
        if place.file != str(path) or (isinstance(where[-1], int) and isinstance(node, (dict, list))):
            continue
        line = text.split("\n")[place.line - 1]
        spot = spot_at(text, place.line - 1, place.column - 1 + (line[place.column - 1] in "\"'"))
        assert spot is not None
        assert (*spot.path, where[-1]) == where if isinstance(where[-1], str) else spot.path == where
        looked += 1
    assert looked > 15


@settings(max_examples=60, deadline=None)
@given(st.integers(0, len(DEMO)), st.text("{}[]:,\"' -#|\nab", max_size=4))
def test_a_text_that_is_being_typed_never_breaks_anything(at: int, more: str) -> None:
    text = DEMO[:at] + more + DEMO[at + 3 :]
    line, column = (DEMO[:at] + more).count("\n"), 0
    column = len((DEMO[:at] + more).rpartition("\n")[2])
    known = _DEMO
    offers(known, text, line, column)
    told_at(known, text, line, column)
    made_at(known, text, line, column)


_DEMO = looked_at(DEMO)


def test_names_in_all_games_are_of_the_sort_that_their_key_asks_for() -> None:
    """What keys.txt says of the names at a key is held against every game of ours."""
    asked: set[tuple[str, str]] = set()
    for path in GAMES:
        text = path.read_text("utf-8")
        known = analyzed(text, str(path), lambda name, folder=path.parent: read_beside(folder, name))
        assert known.source is not None and known.is_right
        for where in known.source.places:
            node = known.source.data
            if where[-1] == "file":
                continue
            for step in where:
                node = node[step]
            standing = standing_at(where)
            values = [node] if isinstance(node, str) else node if isinstance(node, list) else []
            for sort, said in [*((s, values) for s in standing.names), *((s, node) for s in standing.name_keys)]:
                names = {name.text for name in names_of_sort(known, sort)}
                for value in said if isinstance(said, (list, dict)) else ():
                    if isinstance(value, str) and not re.search(r"[\[+ *]|^any$", value):
                        asked.add((sort, str(where[-1])))
                        assert value in names, (path.name, where, value)
    assert len(asked) > 25
    sorts = {words.names for words in key_words().values() if words.names}
    assert sorts <= {*SINGULAR, "entities", "accounts", "dials", "settings", "cues", "endings"}


def test_every_call_is_explained() -> None:
    assert {form.split("(")[0] for form in CALL_MEANINGS} == set(CALLS)


@pytest.mark.parametrize(
    ("behind", "more", "has", "has_not"),
    [
        ("let: {gust: ", "", {"draught", "soft", "potter", "min", "time"}, {"gust", "heat", "self"}),
        ("potter[1].", "", {"heat", "nerve", "maker"}, {"draught", "glaze"}),
        ("heat += ", "", {"gust", "draught", "soft"}, {"heat", "start"}),
        ("nerve += cue.", "", {"how"}, {"heat"}),
        ("when: {cue: ", "", {"roared"}, {"draught", "stoke"}),
        ("windy: {draught: 4, ", "", {"potter.nerve", "pot.heat"}, {"soft"}),
        ("like: ", "", {"potter", "pot"}, {"draught"}),
        ("clock: {", "", {"unit"}, {"step", "limit", "title"}),
        ("- {name: answer, ", "", {"if", "cooldown", "at_most"}, {"when", "name", "do", "kinds"}),
        ("{cue: roared, ", "", {"with"} - {"with"}, {"cue", "hit", "spawn"}),
        ("min: 0, ", "at_limit: ", {"hold", "wrap"}, {"draught"}),
        ("readout: [", '"{potter[2].', {"heat"}, {"draught"}),
        ("readout: [", '"He', set(), {"heat", "draught"}),
        ("measures: {hot: ", '"hi', {"highest", "closing", "rate"} - {"rate"}, set()),
        ("x / (x + ", "", {"x", "draught"}, {"heat", "self"}),
        ("title: Kiln\n", "s", {"stats", "space", "statuses"}, {"title", "step"}),
        ("stats: {heat: {start: 3, min: 0, max: 9}, nerve: 4}\n", "    |\n", {"side", "moves"}, {"copies", "stats"}),
    ],
)
def test_what_fits_is_offered_and_nothing_else(behind: str, more: str, has: set[str], has_not: set[str]) -> None:
    found = set(offered(KILN, behind, more))
    assert has <= found, has - found
    assert not has_not & found, has_not & found


def test_a_key_says_what_it_does_and_replaces_what_was_begun() -> None:
    text, line, column = typed(KILN, "- {name: answer, ", "coo")
    offer = next(o for o in offers(looked_at(KILN), text, line, column) if o.text == "cooldown")
    assert offer.begun == 3 and offer.sort == "key"
    assert offer.detail == "How long after it did something it does nothing. (seconds (or turns))"
    assert offer.about == "Like `3`."


def test_a_rule_that_is_new_knows_its_names_at_once() -> None:
    more = "  - {name: new, when: {every: 2}, if: soft(2) > 1, do: [potter[2].nerve -= draught]}\n"
    text = KILN.replace("variants:", f"{more}variants:")
    broken = text.replace("do: [potter[2]", "do: [potter[2].")
    known = looked_at(broken, looked_at(KILN))
    assert not known.is_right and known.played is not None
    found = {offer.text for offer in offers(known, *typed(broken, "every: 2}, if: "))}
    assert {"draught", "soft", "potter"} <= found


def test_hovering_tells_what_a_stat_is_made_of_who_changes_and_who_reads_it() -> None:
    known = looked_at(KILN)
    told = told_at(known, *typed(KILN, "potter[1].he"))
    assert told is not None
    assert "stat **potter.heat**" in told.text
    assert "heat: {start: 3, min: 0, max: 9}" in told.text
    assert "Changed by: ± stoke (line 12)" in told.text
    assert "Read by: readout[1] (line 18), measures.hot (line 19)" in told.text


@pytest.mark.parametrize(
    ("behind", "told"),
    [
        ("gust: draug", "number **draught**: 2"),
        ("gust: draug", "Read by: stoke.let.gust (line 14), formulas.soft.is (line 5)"),
        ("gust + so", "formula **soft**"),
        ("gust + so", "soft: {of: [x], is: x / (x + draught)}"),
        ("soft(pott", "kind **potter**"),
        ("when: {ev", "`every`: After each period; a formula may make it random. In seconds (or turns)."),
        ('{hot: "high', "`highest(crab.health)`: the highest of those that are there"),
        ("windy: {draug", "number **draught**"),
        ("{cue: roar", "cue **roared**"),
    ],
)
def test_hovering_tells_of_names_and_keys(behind: str, told: str) -> None:
    found = told_at(looked_at(KILN), *typed(KILN, behind))
    assert found is not None and told in found.text, found


@pytest.mark.parametrize(
    ("behind", "line"),
    [
        ("gust: draug", 3),
        ("gust + so", 5),
        ("soft(pott", 7),
        ("potter[1].he", 9),
        ("heat += gu", 14),
        ("like: po", 7),
        ("when: {cue: ro", 15),
        ("(x + dra", 3),
        ("windy: {dra", 3),
    ],
)
def test_a_definition_is_where_it_is_made(behind: str, line: int) -> None:
    assert [place.line for place in made_at(looked_at(KILN), *typed(KILN, behind))] == [line]


def test_a_stat_that_a_kind_takes_over_is_defined_where_it_is_written() -> None:
    known = looked_at(DEMO)
    places = made_at(known, *typed(DEMO, "gone_if: heal"))
    lines = [DEMO.split("\n")[place.line - 1] for place in places]
    assert len(lines) == 2 and all("health: {start:" in line for line in lines)


def changed(text: str, behind: str, new: str) -> str:
    known = looked_at(text)
    return applied(text, renamed(known, name_to_rename(known, *typed(text, behind)), new))


@pytest.mark.parametrize(
    ("behind", "old", "new"),
    [
        ("numbers: {dra", "draught", "wind"),
        ("gust: dra", "draught", "wind"),
        ("potter[1].he", "heat", "glow"),
        ("gust + so", "soft", "mild"),
        ("heat += gu", "gust", "puff"),
        ("when: {cue: ro", "roared", "howled"),
        ("is: ", "x", "much"),
        ("variants: {win", "windy", "stormy"),
    ],
)
def test_a_name_is_changed_wherever_it_is_said(behind: str, old: str, new: str) -> None:
    # None of these words stands in a text for people or in a comment.
    assert changed(KILN, behind, new) == re.sub(rf"\b{old}\b", new, KILN)


def test_texts_for_people_stay_as_they_are() -> None:
    after = changed(KILN, "soft(pott", "maker_of_pots")
    assert 'readout: ["Heat {maker_of_pots[1].heat} of a potter"]' in after
    assert after.count("maker_of_pots") == KILN.count("potter") - 1


@pytest.mark.parametrize(
    ("behind", "new", "told"),
    [
        ("gust: dra", "heat", "'heat' is a stat already"),
        ("gust: dra", "two words", "'two words' is no name"),
        ("gust: dra", "self", "'draught' cannot become 'self': 'self' has a meaning of its own in formulas"),
        ('{hot: "high', "top", "'highest' is no name that can be changed"),
        ("when: {ev", "each", "'every' is no name that can be changed"),
    ],
)
def test_what_cannot_be_renamed_says_why(behind: str, new: str, told: str) -> None:
    with pytest.raises(mint.BadRequest, match=re.escape(told)):
        changed(KILN, behind, new)


def test_a_name_of_two_things_is_not_renamed() -> None:
    text = KILN.replace("variants: {windy", "variants: {heat")
    with pytest.raises(mint.BadRequest, match="'heat' is a variant and a stat; rename one of them by hand first"):
        changed(text, "potter[1].he", "glow")


def test_health_is_what_damage_goes_through_and_keeps_its_name() -> None:
    with pytest.raises(mint.BadRequest, match="damage to crab has nowhere to go"):
        changed(DEMO, "gone_if: hea", "vigour")


@pytest.mark.slow
def test_all_names_of_the_demo_are_renamed_there_and_back() -> None:
    known = looked_at(DEMO)
    names = [name for sort in ("kinds", "stats", "statuses", "habits", "cues") for name in names_of_sort(known, sort)]
    names += [Name(name, "action", ("actions", name)) for name in mint.load(mint.demo_path()).actions]
    again = 0
    for name in names:
        if not name.path or name.text == "health":
            continue
        text = applied(DEMO, renamed(known, name, "zz_other"))
        back = looked_at(text)
        assert applied(text, renamed(back, Name("zz_other", name.sort, name.path), name.text)) == DEMO
        again += 1
    assert again > 20


def test_faults_and_findings_are_those_of_check() -> None:
    known = looked_at(KILN.replace("gust + soft", "gst + soft"))
    assert [(fault.place.line, fault.message) for fault in known.faults] == [
        (15, "unknown name 'gst', did you mean 'gust'?")
    ]
    found = quick_findings(looked_at(KILN))
    assert found == tuple(f for f in mint.loads(KILN, "kiln.yaml").audit(runs=0).findings if not f.accepted)
    assert quick_findings(known) == ()


@pytest.mark.smoke
def test_a_server_can_be_made() -> None:
    pytest.importorskip("pygls")
    from mint_ledger.cli.editor_server import make_server

    server, _ = make_server()
    assert server.name == "mint-ledger"
