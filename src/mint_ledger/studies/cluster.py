"""More than one machine: an executor that plays on a Dask scheduler which is running already."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager

from mint_ledger.errors import BadRequest

PATIENCE = 10


@contextmanager
def cluster_executor(address: str | None) -> Iterator[Executor | None]:
    """An executor on the workers of a Dask scheduler; none without an address.

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
    try:
        client = Client(address, timeout=PATIENCE)
    except (OSError, TimeoutError, ValueError) as error:
        reason = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise BadRequest(f"no scheduler answers at {address}: {reason}") from None
    try:
        workers = len(client.scheduler_info()["workers"])
        if not workers:
            raise BadRequest(f"the scheduler at {address} has no workers")
        yield client.get_executor(retries=3)
    finally:
        client.close()
