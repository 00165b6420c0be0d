from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

import pytest

import mint_ledger as mint
from mint_ledger.game import trade_words
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import Part

GOOD = """\
title: Mill
clock: {step: 0.1, limit: 10}
numbers: {pace: 2}
stats:
  sacks: {start: 0, min: 0}
kinds:
  miller:
    side: mill
    stats:
      health: {start: 20, min: 0, max: 20, recover: {rate: 1, after: 2}}
      mood: {start: 0, bands: {sour: -10..-1, plain: 0..5, merry: 6..10}}
  moth: {copies: 2, side: night, stats: {health: 3, nip: 1}}
attacks:
  nips: {from: moth, to: miller, when: {every: 1}, damage: self.nip}
rules:
  - name: grinds
    when: {every: pace}
    do: [sacks += 1]
endings:
  done: {result: win, if: sacks >= 3}
"""


def faults(text: str) -> list[str]:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text, "mill.yaml")
    return [str(fault) for fault in caught.value.faults]


def test_the_good_file_is_good() -> None:
    assert mint.loads(GOOD).run().result == "win"


@pytest.mark.parametrize(
    ("old", "new", "line", "words"),
    [
        ("rate: 1, after", "rate: 1, aftr", 10, "miller.health.recover: unknown key 'aftr', did you mean 'after'?"),
        ("side: mill", "sid: mill", 8, "miller: unknown key 'sid', did you mean 'side'?"),
        ("clock:", "clok:", 2, "unknown key 'clok', did you mean 'clock'?"),
        ("start: 20, min", "start: twenty, min", 10, "a start is a number"),
        ("max: 20", "max: [1]", 10, "wants a number or a formula, not a list"),
        ("max: 20", "max: 10", 10, "starts at 20, above its max of 10"),
        ("min: 0, max: 20", "min: 30, max: 20", 10, "the limits cross: min 30 is above max 20"),
        ("plain: 0..5", "plain: -3..5", 11, "the bands overlap: sour is -10..-1 and plain is -3..5"),
        ("merry: 6..10", "merry: 10..6", 11, "the range 10..6 runs backwards"),
        ("copies: 2", "copies: two", 12, "wants a whole number or a list of overrides, not the text 'two'"),
        ("copies: 2", "copies: 1000000000", 12, "a kind may have 0 to 5,000"),
        ("copies: 2", "copies: 2, room: 1", 12, "room for 1, but 2 copies at the start"),
        ("copies: 2", "like: mooth", 12, "unknown kind 'mooth', did you mean 'moth'?"),
        ("from: moth", "from: mooth", 14, "unknown kind 'mooth', did you mean 'moth'?"),
        ("to: miller", "to: moth, spares: side", 14, "can strike nobody"),
        ("to: miller", "to: ghost", 14, "unknown kind 'ghost'"),
        ("  moth: {copies: 2,", "  moth: {copies: 0,", 14, "nobody strikes with 'nips': there is no moth"),
        ("self.nip", "self.nap", 14, "moth has no stat 'nap', did you mean 'nip'?"),
        ("every: pace", "evry: pace", 17, "unknown trigger 'evry', did you mean 'every'?"),
        ("every: pace", "every: pase", 17, "unknown name 'pase', did you mean 'pace'?"),
        ("sacks += 1", "sacs += 1", 18, "there is no stat 'sacs' to change, did you mean 'sacks'?"),
        ("sacks += 1", "pace += 1", 18, "'pace' is a named number and never changes"),
        ("sacks += 1", "{remuve: self}", 18, "unknown step 'remuve', did you mean 'remove'?"),
        ("sacks += 1", "{spawn: moth, if: 3}", 18, "unknown key 'if'"),
        ("result: win", "result: wins", 20, "'wins' is not one of win, lose or draw, did you mean 'win'?"),
        ("sacks >= 3", "sacks", 20, "yes or no is wanted here; write a comparison like 'x > 0'"),
        ("sacks >= 3", "sacks >= chance(0.5)", 20, "chance (chance) may not stand in an ending"),
        ("title: Mill", "title: [1]", 1, "wants a text, not a list"),
        ("step: 0.1", "step: 0", 2, "the step has to be longer than 0"),
        ("step: 0.1", "step: 0.0000001", 2, "more than 10,000,000 steps"),
        ("step: 0.1", "unit: turns", 2, "'turns' is not one of second or turn, did you mean 'turn'?"),
        ("health: 3", "health: {formula: nip * 2}", 12, ""),
    ],
)
def test_each_fault_is_one_line_with_place_path_and_the_nearest_right_name(
    old: str, new: str, line: int, words: str
) -> None:
    text = GOOD.replace(old, new, 1)
    if not words:
        mint.loads(text)
        return
    found = faults(text)
    assert any(words in fault and fault.startswith(f"mill.yaml:{line}:") for fault in found), found
    assert len(found) == 1, found


def test_all_faults_come_in_one_go_in_the_order_of_the_file() -> None:
    text = (
        GOOD.replace("aftr", "after")
        .replace("rate: 1, after", "rate: 1, aftr")
        .replace("result: win", "result: wins")
        .replace("self.nip", "self.nap")
        .replace("every: pace", "every: pase")
    )
    found = faults(text)
    assert [fault.split(":")[1] for fault in found] == ["10", "14", "17", "20"]


def test_a_fault_does_not_drag_others_after_it() -> None:
    found = faults(GOOD.replace("sacks: {start: 0, min: 0}", "sacks: {start: 0, min: {}}"))
    assert len(found) == 1 and "sacks.min" in found[0]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("kinds: {a: {like: b}, b: {like: c}, c: {like: a}}", "goes round in a circle"),
        ("kinds: {a: {like: a}}", "a like a goes round in a circle"),
        ("stats: {x: {formula: y + 1}, y: {formula: x}}", "goes round in a circle"),
        ("stats: {x: {start: 1, max: y}, y: {start: 1, max: x}}", "go round in a circle"),
        ("stats: {x: {start: 1, max: x.max + 1}}", "round in a circle"),
        ("stats: {time: 3}", "'time' has a meaning of its own"),
        ("stats: {'two words': 3}", "is no name that a formula can use"),
        ("stats: {a: 1}\nkinds: {a: {}}", "'a' is the name of one of the stats already"),
        ("stats: {a: 1, a: 2}", "this key stands here twice"),
        ("mint_ledger: 7", "reads game files of format 1"),
        ("kinds: {a: {stats: {x: 1}}}\nrules: [{when: {enters: a.x high}, do: [a.x = 1]}]", "'x' has no bands"),
        ("rules: [{when: {meet: [a, b]}, do: [{tell: x}]}]", "unknown kind 'a'"),
        ("stats: {a: 1}\nrules: [{when: [], do: [a = 1]}]", "it wants 1 at least"),
        ("stats: {a: 1}\nrules: [{when: {start: true, every: 2}, do: [a = 1]}]", "wants one trigger, not 2"),
        ("title: {", "this is not YAML"),
        ("- a\n- b", "a game file is a mapping"),
        ("a: !!python/object:os.system x", "has no meaning in a game file"),
        ("title: a\n---\ntitle: b", "one document"),
        ("title: T\n\tclock: {}", "a tab cannot indent YAML"),
        (
            "kinds: {a: {where: [0, 0]}}\nspace: {}\nplaytests: {p: {script: [{at: 1, move: a, to: [1]}], expect: [{at: 1, that: a.x == 1}]}}",
            "write 'to: [x, y]'",
        ),
    ],
)
def test_what_cannot_be_a_game_is_named(text: str, words: str) -> None:
    assert any(words in fault for fault in faults(text)), faults(text)


def load_error(path: Path) -> str:
    with pytest.raises(mint.GameError) as caught:
        mint.load(path)
    return str(caught.value)


def test_files_that_are_no_game_are_refused(tmp_path: Path) -> None:
    empty, binary, huge, bomb = (tmp_path / name for name in ("empty.yaml", "binary.yaml", "huge.yaml", "bomb.yaml"))
    empty.write_text("")
    binary.write_bytes(bytes(range(256)) * 10)
    with huge.open("wb") as out:
        out.truncate(100_000_000)
    levels = "\n".join(f"l{i}: &l{i} [{', '.join([f'*l{i - 1}'] * 9)}]" for i in range(1, 12))
    bomb.write_text(f"l0: &l0 [x, x, x, x, x, x, x, x, x]\n{levels}\n")
    assert "the file is empty" in load_error(empty)
    assert "not text in UTF-8" in load_error(binary)
    assert "100,000,000 bytes" in load_error(huge)
    assert "aliases multiply" in load_error(bomb)
    assert "this is a folder" in load_error(tmp_path)
    assert "no such file" in load_error(tmp_path / "nowhere.yaml")


def test_a_deeply_nested_file_is_refused(tmp_path: Path) -> None:
    deep = tmp_path / "deep.yaml"
    deep.write_text("a: " + "[" * 5000 + "]" * 5000)
    assert "nested too deep" in load_error(deep)


def test_json_is_read_too() -> None:
    text = '{\n\t"title": "J",\n\t"stats": {"a": 1},\n\t"rules": [{"when": "start", "do": ["a = 5"]}]\n}'
    assert mint.loads(text).run().at(0)["a"] == 5
    found = faults('{\n  "title": "J",\n  "stast": {"a": 1}\n}')
    assert found == ["mill.yaml:3:3: unknown key 'stast', did you mean 'stats'?"]


def test_a_coordinate_of_who_is_nowhere_says_so() -> None:
    text = """
    space: {}
    kinds: {mara: {where: [0, 0]}, wolf: {stats: {g: 1}, rules: [{name: r, when: start, if: x < 3, do: [g = 2]}]}}
    rules: [{name: q, when: start, if: wolf.x < mara.x, do: [wolf.g = 1]}]
    """
    with pytest.raises(mint.GameError) as error:
        mint.loads(text)
    assert [fault.message for fault in error.value.faults] == [
        "wolf is nowhere, so it has no 'x'; give it a 'where: [x, y]'"
    ] * 2


@pytest.mark.parametrize(
    ("do", "word"),
    [
        ("{each: drift, do: [self.depth -= 1]}", "other"),
        ("{each: drift, if: self.depth > 2, do: [w -= 1]}", "other"),
        ("{each: drift, as: heap, do: [heap.depth -= warden.depth]}", "other"),
        ("{each: drift, do: [other.w -= 1]}", "self"),
    ],
)
def test_a_stat_asked_of_the_wrong_one_names_who_has_it_here(do: str, word: str) -> None:
    with pytest.raises(mint.GameError) as found:
        mint.loads(
            "mint_ledger: 1\ntitle: Hut\nkinds:\n  warden: {stats: {w: 1}}\n"
            "  drift: {copies: 2, stats: {depth: 5}}\n"
            f"actions:\n  shovel: {{by: warden, do: [{do}]}}\n"
        )
    stat = "w" if word == "self" else "depth"
    assert f"has no stat '{stat}'; '{word}' has one here: '{word}.{stat}'" in str(found.value)
    assert ":7:" in str(found.value)


@pytest.mark.parametrize(
    ("rule", "told"),
    [
        ("{name: a, every: 1, do: [x += 1]}", "unknown key 'every'; it belongs into 'when': when: {every: …}"),
        ("{name: a, when: start, do: [x += 1], becomes: x > 1}", "it belongs into 'when': when: {becomes: …}"),
        ("{name: a, wen: {every: 1}, do: [x += 1]}", "unknown key 'wen', did you mean 'when'?"),
    ],
)
def test_a_key_that_belongs_one_part_deeper_is_told_with_that_part(rule: str, told: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(f"title: T\nstats: {{x: 1}}\nrules:\n  - {rule}\n")
    assert told in str(caught.value)
    assert all(fault.place.line == 4 for fault in caught.value.faults)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("stats: {hp: {start: 9, regen: 1}}", "unknown key 'regen'; here that is 'recover': recover: {rate: 2}"),
        ("stats: {hp: {initial: 9}}", "unknown key 'initial'; here that is 'start': start: 10"),
        ("kinds: {hen: {count: 2}}", "unknown key 'count'; here that is 'copies': copies: 3"),
        ("kinds: {hen: {parent: cock}}", "here that is 'like': like: crab"),
        ("kinds: {hen: {on_death: x}}", "here that is 'gone_if': gone_if: health <= 0"),
        ("enemies: {hen: {}}", "unknown key 'enemies'; here that is 'kinds'"),
        ("statuses: {dazed: {duration: 2}}", "unknown key 'duration'; here that is 'lasts': lasts: 3"),
        ("actions: {rest: {cost: 2}}", "unknown key 'cost'; here that is 'costs'"),
    ],
)
def test_a_word_of_the_trade_is_told_with_the_key_that_means_it(text: str, told: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(f"title: T\n{text}\n")
    assert told in str(caught.value)


def test_each_key_that_a_word_of_the_trade_means_is_a_key_and_its_line_can_be_read() -> None:
    keys = {key for model in parts_of_the_file() for key in known_keys(model)}
    top = set(known_keys(GameFile))
    for word, meanings in trade_words._WORDS.items():
        for key, line in meanings:
            assert key in keys and line.startswith(f"{key}: "), word
            if key in top:
                # Names of the demo's world may be unknown; the keys may not.
                try:
                    mint.loads(f"title: T\n{line}\n")
                except mint.GameError as error:
                    assert "unknown key" not in str(error) and "wants" not in str(error), (word, str(error))


def parts_of_the_file() -> set[type[Part]]:
    """All models that are made of a file."""
    found: set[type[Part]] = set()
    waiting: list[type[Part]] = [GameFile]
    while waiting:
        model = waiting.pop()
        if model not in found:
            found.add(model)
            waiting += [inner for field in model.model_fields.values() for inner in every_model(field.annotation)]
    return found


def every_model(annotation: Any) -> list[type[Part]]:
    if isinstance(annotation, type) and issubclass(annotation, Part):
        return [annotation]
    return [model for kind in get_args(annotation) for model in every_model(kind)]


def known_keys(model: type[Part]) -> list[str]:
    return [field.alias or name for name, field in model.model_fields.items()]


@pytest.mark.parametrize(
    ("measure", "want", "told"),
    [
        ("rate(win)", "50..65", "not 50..65; 0.5..0.65?"),
        ("rate(win)", "60.0", "not 60.0; 0.6?"),
        ("rate(win)", "-0.1..0.5", "from 0 (none) to 1 (all), not -0.1..0.5"),
        ("rate(win)", "..55", "not ..55; ..0.55?"),
    ],
)
def test_a_target_of_a_share_lies_within_a_share(measure: str, want: str, told: str) -> None:
    text = (
        f"title: T\nclock: {{limit: 2}}\nstats: {{x: 1}}\ntargets: [{{name: fair, measure: {measure}, want: {want}}}]\n"
    )
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    assert told in str(caught.value)
    game = mint.loads(text.replace(f"want: {want}", "want: 0..1"))
    with pytest.raises(mint.BadRequest) as refused:
        game.tune("x", "1..3", measure, float(want) if ".." not in want else want)
    assert told in str(refused.value)
    assert mint.loads(text.replace(measure, "mean(time)")).targets
