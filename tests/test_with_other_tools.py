"""What other tools are given: mappings, Arrow tables, tables that say what they are of, stores read with SQL."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import pyarrow
import pytest

import mint_ledger as mint

pytestmark = pytest.mark.smoke

WELL = """
title: Well
clock: {limit: 6, step: 1}
stats: {water: {start: 3, min: 0, max: 9}}
kinds: {bucket: {copies: 2, stats: {size: 2}}}
rules: [{name: seep, when: {every: 1}, do: [{if: chance(0.5), do: [water += 2]}]}]
endings: {full: {if: water >= 9, result: win}}
"""


def test_dials_are_a_mapping_of_names_to_values() -> None:
    dials = mint.loads(WELL).dials
    assert isinstance(dials, Mapping)
    assert len(dials) == len(list(dials)) == len(dials.names) == len(dials.numbers)
    assert dials["water.start" if "water.start" in dials else "water"] == 3
    assert dict(dials) == {name: dials[name] for name in dials.names}
    assert dials.get("nothing.of.it") is None and "nothing.of.it" not in dials
    with pytest.raises(KeyError, match=r"did you mean 'bucket\.size'"):
        dials["bucket.sise"]
    with pytest.raises(mint.MintError):
        dials["bucket.sise"]


def test_dials_of_one_game_can_be_set_in_another() -> None:
    deep = mint.loads(WELL).with_dials({"bucket.size": 3})
    again = mint.loads(WELL).with_dials({name: deep.dials[name] for name in ("bucket.size",)})
    assert dict(again.dials) == dict(deep.dials) != dict(mint.loads(WELL).dials)


def test_tables_say_what_they_are_of() -> None:
    game = mint.loads(WELL)
    study = game.study(40, seed=5)
    assert study.measures.attrs == {"title": study.title, "seed": 5, "runs": 40, "unit": "s"}
    assert game.run(7).journal.attrs["title"].startswith("Well")
    assert game.run(7).statement("water").table().attrs != {}
    assert game.sweep({"bucket.size": [1, 2]}, 20).table().attrs["title"].startswith("Well")


def test_an_arrow_table_holds_the_measures_and_says_what_it_is_of() -> None:
    study = mint.loads(WELL).study(40, seed=5, measures=["closing(water)"])
    table = study.to_arrow()
    assert isinstance(table, pyarrow.Table)
    assert table.column_names[0] == "run" and table.num_rows == 40
    assert np.array_equal(table["closing(water)"].to_numpy(), study.measures["closing(water)"].to_numpy())
    assert table.schema.metadata[b"seed"] == b"5" and table.schema.metadata[b"unit"] == b"s"
    assert table.to_pandas()["result"].tolist() == study.measures["result"].tolist()


def rows(path: Path) -> dict[str, tuple[int, float, float, float]]:
    with sqlite3.connect(path) as connection:
        found = connection.execute(
            "select r.estimate, r.runs, r.value, r.low, r.high from results r join studies s on s.id = r.study"
        ).fetchall()
    connection.close()
    return {name: tuple(rest) for name, *rest in found}


def test_a_store_is_read_with_sql_and_tells_what_the_study_tells(tmp_path: Path) -> None:
    game, path = mint.loads(WELL), tmp_path / "s.sqlite"
    study = game.study(60, seed=5, measures=["closing(water)"], store=path)
    known = rows(path)
    for text in ("rate(win)", "rate(full)", "quantile(time, 0.5)", "mean(closing(water))"):
        estimate = study.estimate(text)
        assert known[text] == (60, estimate.value, estimate.low, estimate.high)
    assert known["rate(win)"][1] == np.mean(study.measures["result"] == "win")
    more = game.study(160, seed=5, measures=["closing(water)"], store=path)
    assert rows(path)["rate(win)"][:2] == (160, more.estimate("rate(win)").value)


def test_nobody_believes_a_forged_result(tmp_path: Path) -> None:
    game, path = mint.loads(WELL), tmp_path / "s.sqlite"
    true = game.study(60, seed=5, store=path).estimate("rate(win)").value
    with sqlite3.connect(path) as connection:
        connection.execute("update results set value = 0.99")
    connection.close()
    assert game.study(60, seed=5, store=path).estimate("rate(win)").value == true
    assert rows(path)["rate(win)"][1] == true
