"""Where the runs of a call are played that makes several studies: here, or wherever its `executor` takes them."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from contextvars import ContextVar
from functools import wraps
from typing import ParamSpec, TypeVar, cast

_ELSEWHERE: ContextVar[Executor | None] = ContextVar("executor", default=None)
Call = ParamSpec("Call")
Answer = TypeVar("Answer")


def takes_executor(call: Callable[Call, Answer]) -> Callable[Call, Answer]:
    """A call whose keyword `executor` says where all the runs are played that it makes."""

    @wraps(call)
    def on_executor(*given: Call.args, **named: Call.kwargs) -> Answer:
        before = _ELSEWHERE.set(cast("Executor | None", named.get("executor")) or _ELSEWHERE.get())
        try:
            return call(*given, **named)
        finally:
            _ELSEWHERE.reset(before)

    return on_executor


def elsewhere() -> Executor | None:
    """The executor of the call that is under way; none where it has none."""
    return _ELSEWHERE.get()
