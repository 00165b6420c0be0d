"""What designers write as formulas and as assignments, parsed once; see `syntax` and `posting`."""

from mint_ledger.formula.posting import PostingText, parse_posting
from mint_ledger.formula.syntax import Formula, FormulaError, parse_formula

__all__ = ["Formula", "FormulaError", "PostingText", "parse_formula", "parse_posting"]
