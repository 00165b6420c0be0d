"""More than one machine: an executor that plays on a Dask scheduler which is running already."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, Executor, Future
from contextlib import contextmanager
from typing import Any, TypeVar

from mint_ledger.errors import BadRequest

# Seconds until a scheduler that does not answer is given up, and between two questions whether it still does.
PATIENCE = 10
EACH = 0.5
Result = TypeVar("Result")


@contextmanager
def cluster_executor(address: str | None) -> Iterator[Executor | None]:
    """Give an executor on the workers of a Dask scheduler; none without an address.

    Raises:
        BadRequest: the extra is not installed, or no scheduler answers.
    """
    if address is None:
        yield None
        return
    try:
        from distributed import Client
    except ImportError:
        raise BadRequest("--cluster wants the extra: pip install 'mint-ledger[cluster]'") from None
    # What goes wrong is said once, by us; these packages give some of their loggers levels of their own.
    for name in list(logging.root.manager.loggerDict):
        if name.split(".")[0] in ("distributed", "tornado", "asyncio"):
            logging.getLogger(name).setLevel(logging.CRITICAL + 1)
    try:
        client = Client(address, timeout=PATIENCE)
    except (OSError, TimeoutError, ValueError) as error:
        reason = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise BadRequest(f"no scheduler answers at {address}: {reason}") from None
    try:
        if not len(client.scheduler_info()["workers"]):
            raise BadRequest(f"the scheduler at {address} has no workers")
        with _Watched(client, address) as executor:
            yield executor
    finally:
        client.close(timeout=PATIENCE)


class _Watched(Executor):
    """A client's executor whose futures fail once its scheduler is gone; the client's own would never end."""

    def __init__(self, client: Any, address: str) -> None:
        self._client, self._address = client, address
        self._inner = client.get_executor(retries=3)
        self._waiting: set[Future[Any]] = set()
        self._lock = threading.Lock()
        self._over = threading.Event()
        threading.Thread(target=self._watch, name="mint-ledger scheduler", daemon=True).start()

    def submit(self, work: Callable[..., Result], /, *given: Any, **named: Any) -> Future[Result]:
        """Hand a call to the workers.

        Raises:
            BrokenExecutor: the scheduler is gone.
        """
        if self._is_gone():
            raise self._gone()
        outer: Future[Result] = Future()
        with self._lock:
            self._waiting.add(outer)
        inner: Future[Result] = self._inner.submit(work, *given, **named)
        inner.add_done_callback(lambda done: self._pass_on(done, outer))
        outer.add_done_callback(lambda done: inner.cancel() if done.cancelled() else None)
        return outer

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """End the watch; the workers stay."""
        self._over.set()

    def _pass_on(self, done: Future[Result], outer: Future[Result]) -> None:
        with self._lock:
            if outer not in self._waiting:
                return
            self._waiting.discard(outer)
        if not outer.set_running_or_notify_cancel():
            return
        error = None if done.cancelled() else done.exception()
        if done.cancelled():
            outer.set_exception(self._gone())
        elif error is not None:
            # The scheduler reports a worker that died at each attempt.
            died = type(error).__name__ == "KilledWorker"
            outer.set_exception(BrokenExecutor("a worker died each time it played them") if died else error)
        else:
            outer.set_result(done.result())

    def _watch(self) -> None:
        while not self._over.wait(EACH):
            if not self._is_gone():
                continue
            with self._lock:
                waiting, self._waiting = self._waiting, set()
            for future in waiting:
                if future.set_running_or_notify_cancel():
                    future.set_exception(self._gone())

    def _is_gone(self) -> bool:
        return self._client.status not in ("running", "connecting")

    def _gone(self) -> BrokenExecutor:
        return BrokenExecutor(f"the scheduler at {self._address} does not answer any more")
