"""Tables of the texts: columns never touch, and a line is no wider than it may be while the names can give way."""

from __future__ import annotations

import re

from hypothesis import given, settings
from hypothesis import strategies as st

from mint_ledger.views.text_table import TextTable, left_column, name_column, right_column
from mint_ledger.views.width import texts_of

AMOUNTS = ["1,116,973.35", "126.01", "3", "−0.25", ""]


def test_a_number_as_wide_as_its_column_does_not_touch_the_one_before() -> None:
    table = TextTable(name_column("cause", 34), right_column("±", 8), right_column("points", 10))
    table.add("mill", "126.01", "1,116,973.35")
    table.add("a name that is much longer than its column may be", "3", "4")
    head, first, second = table.lines()
    assert first.split() == ["mill", "126.01", "1,116,973.35"]
    assert second.split()[-2:] == ["3", "4"]
    assert head.endswith("points") and len(head) == len(first) == len(second)


def test_words_that_are_wider_than_their_column_do_not_touch_the_next() -> None:
    table = TextTable(name_column("from", 15), left_column("there is", 10, before=2), left_column("most by"))
    table.add("0 … 20", "12 · 126 · 1266", "recover +3")
    table.add("20 … 40", "1 · 2 · 3", "toll −2")
    assert table.lines() == [
        "  from             there is         most by",
        "  0 … 20           12 · 126 · 1266  recover +3",
        "  20 … 40          1 · 2 · 3        toll −2",
    ]


def test_names_give_way_where_numbers_grow() -> None:
    table = TextTable(name_column("cause", 40), *(right_column(head, 10) for head in "abcd"))
    table.add("x" * 60, *["123,456,789.01"] * 4)
    with texts_of(100):
        lines = table.lines()
    assert max(map(len, lines)) == 100
    assert lines[1].count("123,456,789.01") == 4 and "…" in lines[1]


@settings(max_examples=60, deadline=None)
@given(
    rows=st.lists(st.tuples(st.text("abc ", min_size=1, max_size=40), *[st.sampled_from(AMOUNTS)] * 3), min_size=1),
    widths=st.lists(st.integers(0, 14), min_size=3, max_size=3),
)
def test_every_number_can_be_read_back(rows: list[tuple[str, ...]], widths: list[int]) -> None:
    table = TextTable(name_column("name", 20), *(right_column(f"h{n}", width) for n, width in enumerate(widths)))
    for name, *cells in rows:
        table.add(f"n{name.strip()}", *cells)
    for (_, *cells), line in zip(rows, table.lines()[1:], strict=True):
        told = [cell for cell in cells if cell]
        assert not told or re.findall(r"(?<= )[\d,.−]+", line)[-len(told) :] == told
