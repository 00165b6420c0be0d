"""What the package has to know of a section of the file is said once, and no section is forgotten."""

from __future__ import annotations

import typing
from pathlib import Path
from types import UnionType

import pytest

import mint_ledger as mint
from mint_ledger.game import do
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import Part
from mint_ledger.game.schema import game_schema
from mint_ledger.game.sections import SECTIONS, Section
from mint_ledger.tables.sheets import make_sheets

ROOT = Path(__file__).parent.parent
GAMES = [mint.load(path) for path in (mint.demo_path(), *sorted((ROOT / "examples").glob("*.yaml")))]


def test_every_key_of_the_file_is_a_section_in_the_same_order() -> None:
    assert [section.name for section in SECTIONS] == list(GameFile.model_fields)


@pytest.mark.parametrize("section", SECTIONS, ids=lambda s: s.name)
def test_its_shape_is_that_of_its_model(section: Section) -> None:
    kind = GameFile.model_fields[section.name].annotation
    options = typing.get_args(kind) if isinstance(kind, UnionType) else (kind,)
    if any(isinstance(option, type) and issubclass(option, Part) for option in options):
        assert section.shape == "part"
    else:
        assert section.shape == {dict: "by name", list: "list"}.get(typing.get_origin(kind), "value")


@pytest.mark.parametrize("section", [s for s in SECTIONS if s.shape in ("by name", "list")], ids=lambda s: s.name)
def test_an_empty_section_is_none_at_all(section: Section) -> None:
    assert not getattr(mint.loads(f"title: Bare\n{section.name}:\n"), section.name)


def test_numbers_are_dials_in_those_sections_that_say_so_and_in_no_others() -> None:
    seen = {str(path[0]) for game in GAMES for path in game.dials.paths}
    assert seen <= {section.name for section in SECTIONS if section.has_dials}
    text = """
    title: All
    clock: {limit: 9}
    numbers: {a: 1}
    tables: {t: {columns: [key, cell], rows: [[1, 2]]}}
    stats: {b: {start: 1}}
    kinds: {c: {stats: {d: {start: 2}}}, k: {stats: {health: {start: 5}}}}
    attacks: {e: {from: c, to: k, damage: 1}}
    actions: {f: {by: c, cooldown: 1, do: ["b += 1"]}}
    statuses: {g: {lasts: 1}}
    rules: [{name: h, when: {every: 1}, do: ["b += 1"]}]
    levels: {i: {until: "level_time > 5"}}
    lots: {l: {of: {m: {weight: 1}}}}
    habits: {j: {by: c, reaction: 0.5, acts: [{do: f}]}}
    """
    found = {str(path[0]) for path in mint.loads(text).dials.paths}
    assert found | {"levels"} == {section.name for section in SECTIONS if section.has_dials}


def test_names_that_are_identifiers_are_checked_as_such() -> None:
    for section in SECTIONS:
        if not section.names:
            continue
        text = f"title: Odd\n{section.name}: {{'two words': {'1' if section.name == 'numbers' else '{}'}}}\n"
        with pytest.raises(mint.GameError) as caught:
            mint.loads(text)
        assert any("two words" in str(fault) for fault in caught.value.faults), section.name


def test_every_dial_has_its_cell_in_a_sheet() -> None:
    for game in GAMES:
        cells = {dial for sheet in make_sheets(game) if sheet.name != "variants" for dial in sheet.dials.values()}
        assert cells == set(game.dials.names)


def test_the_schema_and_the_reference_have_every_section() -> None:
    keys = game_schema()["properties"]
    reference = (ROOT / "docs" / "game-file-keys.md").read_text("utf-8")
    for section in SECTIONS:
        assert section.name in keys
        assert f"`{section.name}`" in reference


def test_every_sort_of_step_is_lowered_and_looked_at_for_what_it_makes_known() -> None:
    """Both name each sort, or mypy and a play of it fail; here that both end in assert_never."""
    sorts = {name for name in vars(do) if name.endswith("Do") and name != "Do"}
    for file in ("do.py", "lower.py"):
        text = (Path(mint.__file__).parent / "lowering" / file).read_text("utf-8")
        assert all(f"{name}()" in text for name in sorts), (file, sorts)
        assert "assert_never(item)" in text
