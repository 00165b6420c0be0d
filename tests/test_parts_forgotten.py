"""Who adds a part and forgets another is told in a sentence which."""

from __future__ import annotations

import pytest

from mint_ledger.engines.native import expressions as native_expressions
from mint_ledger.engines.native import statements as native_statements
from mint_ledger.game.key_words import key_words, words_for
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.walking import EXPRESSIONS, STATEMENTS, check_complete


def test_a_statement_without_a_function_is_named() -> None:
    with pytest.raises(TypeError, match=r"the engine has no function for Draw, Post; write one"):
        check_complete("the engine", [kind for kind in STATEMENTS if kind not in (st.Draw, st.Post)], STATEMENTS)
    check_complete("the engine", STATEMENTS, STATEMENTS)


def test_both_engines_have_a_function_for_all() -> None:
    assert set(native_statements._LOWERING) == set(STATEMENTS)
    assert {*native_expressions._LOWERING, *native_expressions.FLAGS} == set(EXPRESSIONS) and ex.Local in EXPRESSIONS


def test_a_key_without_words_is_named_with_the_line_to_write() -> None:
    part, key = next(iter(key_words()))
    assert words_for(part, key) is key_words()[part, key]
    with pytest.raises(LookupError, match=r"no line for the key 'leak' of 'stat'; write below \[stat\]: leak \|"):
        words_for("stat", "leak")
