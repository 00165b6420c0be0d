"""By what the runs of a call are played that makes several studies: by which engine, here or wherever it is taken."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from typing import ParamSpec, TypeVar, cast

from mint_ledger.engines.names import EngineName, check_engine

_ELSEWHERE: ContextVar[Executor | None] = ContextVar("executor", default=None)
_ENGINE: ContextVar[EngineName] = ContextVar("engine", default="auto")
Call = ParamSpec("Call")
Answer = TypeVar("Answer")


@contextmanager
def played_by(engine: EngineName = "auto", executor: Executor | None = None) -> Iterator[None]:
    """All studies within are played by this engine, and on this executor, where they do not say another.

    Raises:
        NotFound: there is no such engine.
    """
    check_engine(engine)
    where = _ELSEWHERE.set(executor or _ELSEWHERE.get())
    which = _ENGINE.set(_ENGINE.get() if engine == "auto" else engine)
    try:
        yield
    finally:
        _ENGINE.reset(which)
        _ELSEWHERE.reset(where)


def takes_means(call: Callable[Call, Answer]) -> Callable[Call, Answer]:
    """A call whose keywords `engine` and `executor` say by what all the runs are played that it makes."""

    @wraps(call)
    def by_means(*given: Call.args, **named: Call.kwargs) -> Answer:
        engine = cast(EngineName, named.get("engine") or "auto")
        with played_by(engine, cast("Executor | None", named.get("executor"))):
            return call(*given, **named)

    return by_means


def elsewhere() -> Executor | None:
    """The executor of the call that is under way; none where it has none."""
    return _ELSEWHERE.get()


def chosen_engine(engine: EngineName) -> EngineName:
    """The engine that a study says, or else that of the call that is under way.

    Raises:
        NotFound: there is no such engine.
    """
    check_engine(engine)
    return _ENGINE.get() if engine == "auto" else engine
