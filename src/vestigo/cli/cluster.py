"""Replaying on a Dask cluster."""

from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager

from vestigo.errors import InputError

_PATIENCE_SECONDS = 10


@contextmanager
def workers(address: str, trace_path: str) -> Iterator[Executor]:
    """The cluster's workers as an executor. Raises InputError where there is none, or the trace is not prepared."""
    if not trace_path.endswith(".arrow"):
        raise InputError(
            f"{trace_path}: the workers of a cluster open a prepared trace by its path; prepare it first: "
            f"vestigo convert {trace_path} NAME.arrow"
        )
    try:
        from distributed import Client
    except ImportError:
        raise InputError("--cluster needs the extra: pip install 'vestigo-replay[cluster]'") from None
    try:
        client = Client(address, timeout=_PATIENCE_SECONDS)  # type: ignore[no-untyped-call]
    except (OSError, ValueError, TimeoutError) as error:
        raise InputError(
            f"--cluster {address}: cannot be reached: {error or 'no answer'}; is a scheduler there?"
        ) from None
    with client:
        yield client.get_executor()  # type: ignore[no-untyped-call]
