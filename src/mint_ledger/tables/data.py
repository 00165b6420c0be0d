"""Tables of data as files that other tools read: CSV, JSON Lines, Parquet."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from mint_ledger.errors import BadRequest
from mint_ledger.plain import cell_text

if TYPE_CHECKING:
    import pandas as pd

TEXTS = ("object", "str", "string", "category")
FORMS = (".csv", ".jsonl", ".parquet")


def table_bytes(form: str, table: pd.DataFrame, *, index: bool = False) -> bytes:
    """The content of a file of a form, `.csv`, `.jsonl` or `.parquet`; with `index` the index is its first column.

    Raises:
        BadRequest: there is no such form, or pyarrow is not installed.
    """
    if index:
        table = table.reset_index()
    if form == ".csv":
        texts = [name for name in table.columns if str(table[name].dtype) in TEXTS]
        table = table.assign(**{name: table[name].map(_guarded) for name in texts}).rename(columns=_guarded)
        return table.to_csv(index=False, lineterminator="\n").encode("utf-8")
    if form == ".jsonl":
        lines = table.to_json(orient="records", lines=True, force_ascii=False, double_precision=15)
        if not lines.replace("\n", "").isprintable():  # what would steer a terminal is written as escapes
            lines = table.to_json(orient="records", lines=True, force_ascii=True, double_precision=15)
        return (lines.rstrip("\n") + "\n" if lines.strip() else "").encode("utf-8")
    if form != ".parquet":
        raise BadRequest(f"data is written as {', '.join(FORMS)}, not as '{form}'")
    try:
        import pyarrow  # noqa: F401
    except ImportError:
        raise BadRequest(
            "Parquet wants the package pyarrow: pip install 'mint-ledger[parquet]'; or write .csv"
        ) from None
    out = io.BytesIO()
    table.to_parquet(out, engine="pyarrow", index=False)
    return out.getvalue()


def _guarded(value: Any) -> Any:
    return cell_text(value) if isinstance(value, str) else value
