"""Plain values for JSON."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

Owner = TypeVar("Owner")


def plain_json(value: Any) -> Any:
    """Plain values in which what JSON cannot say (infinities, and what is no number) is null."""
    if isinstance(value, dict):
        return {key: plain_json(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain_json(item) for item in value]
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else None
    if not isinstance(value, (str, bytes)) and hasattr(value, "item"):
        return plain_json(value.item())  # a number of NumPy's
    return value


def finite(method: Callable[[Owner], dict[str, Any]]) -> Callable[[Owner], dict[str, Any]]:
    """Let what a method gives hold only what JSON can say."""

    @wraps(method)
    def plain(owner: Owner) -> dict[str, Any]:
        content: dict[str, Any] = plain_json(method(owner))
        return content

    return plain
