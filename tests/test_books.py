from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import HealthCheck, given, settings
from random_games import games

import mint_ledger as mint
from mint_ledger.engines.reference import ReferenceEngine


@pytest.mark.slow
@given(games())
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
def test_the_books_of_random_games_reconcile_and_repeat(data: dict) -> None:
    game = mint.Game(**data)
    try:
        run = game.run(seed=5, habit="eager")
    except mint.RunStopped as stop:
        assert "Nest" in str(stop) or "game" in str(stop)
        return
    run.reconcile()
    closing = run.at(run.time)
    for account in run.accounts():
        statement = run.statement(account)
        assert statement.reconciles()
        assert statement.closing == closing[account]
    assert game.run(seed=5, habit="eager").journal_csv() == run.journal_csv()


@given(games())
@settings(max_examples=6, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_snapshot_gone_back_to_gives_the_same_journal(data: dict) -> None:
    engine = ReferenceEngine(mint.Game(**data).lowered.program, seed=2)
    try:
        engine.play(until=2)
        snapshot = engine.snapshot()
        engine.play()
        first = (list(engine.rows), tuple(engine.state))
        engine.restore(snapshot)
        engine.play()
    except mint.RunStopped:
        return
    assert (list(engine.rows), tuple(engine.state)) == first


@pytest.mark.slow
def test_parts_of_a_statement_add_up_to_the_whole(demo: mint.Game) -> None:
    run = demo.run(seed=7)
    for account in ("keeper.health", "keeper.oil", "keeper.shutters"):
        cuts = [0, 17.3, 60, 61.05, run.time]
        whole = run.statement(account)
        parts = [
            run.statement(account, a, b)
            for a, b in zip(cuts[:-1], [c - 0.025 for c in cuts[1:-1]] + [run.time], strict=True)
        ]
        assert all(part.reconciles() for part in parts)
        assert parts[0].opening == whole.opening
        assert parts[-1].closing == whole.closing
        moved = sum((line.exact for part in parts for line in part.lines), Fraction(0))
        assert Fraction(whole.opening) + moved == Fraction(whole.closing)


def test_a_shown_statement_adds_up_to_the_last_digit(demo: mint.Game) -> None:
    import re

    for seed in range(1, 4):
        text = str(demo.run(seed=seed).statement("keeper.health")).replace("−", "-").replace(",", "")
        rows = [re.search(r"(-?\d+\.?\d*)(?:\s+\(.*)?$", line) for line in text.splitlines()[1:]]
        values = [Fraction(row[1]) for row in rows if row]
        assert values[0] + sum(values[1:-1]) == values[-1]


def test_the_same_seed_gives_the_same_journal_to_the_byte(demo: mint.Game) -> None:
    assert demo.run(seed=3).journal_csv() == demo.run(seed=3).journal_csv()
    assert demo.run(seed=3).journal_csv() != demo.run(seed=4).journal_csv()


def test_adding_a_rule_that_never_fires_changes_nothing_in_the_journal(demo: mint.Game) -> None:
    text = demo.to_yaml()
    more = text.replace(
        "rules:\n  - name: footing",
        'rules:\n  - {name: never, when: {every: 500}, do: ["ships += whole(1, 6)"]}\n  - name: footing',
    )
    assert more != text
    assert mint.loads(more).run(seed=7).journal_csv() == demo.run(seed=7).journal_csv()


def test_broken_books_are_found(demo: mint.Game) -> None:
    run = demo.run(seed=7)
    index = next(i for i, row in enumerate(run.rows) if row.what == 0.0)
    run.rows[index] = run.rows[index]._replace(before=run.rows[index].before + 1)
    with pytest.raises(mint.BooksError):
        run.reconcile()


def test_the_journal_reads_back_from_csv_and_json_lines(demo: mint.Game) -> None:
    import io
    import json

    import pandas as pd

    run = demo.run(seed=7)
    table = pd.read_csv(io.StringIO(run.journal_csv()), keep_default_na=False, na_values={"before": "", "after": ""})
    assert list(table.columns) == list(run.journal.columns)
    assert table["after"].dropna().tolist() == run.journal["after"].dropna().tolist()
    lines = [json.loads(line) for line in run.journal_jsonl().splitlines()]
    assert [line["after"] for line in lines] == [None if pd.isna(v) else v for v in run.journal["after"]]


def test_values_at_a_time_are_those_of_the_last_step_up_to_it(demo: mint.Game) -> None:
    run = demo.run(seed=7)
    assert run.at(0)["keeper.oil"] == 70
    assert run.at(1.99)["keeper.oil"] == 70 - 0.5 * 1.95
    assert run.at(1e9) == run.at(run.time)
