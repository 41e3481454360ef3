"""Takes in the bodies of requests, and has them read in a thread, so that the receiver goes on answering.

A sender decides how large a body becomes, so everything about it has a bound: its bytes, packed and unpacked, the bytes
of all bodies together, and how long one waits. The smallest is read first. What a body says of its own size may be
wrong; then it is taken for one of the largest.
"""

import asyncio
import heapq
import itertools
import zlib
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import TypeVar

from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect, Request

from vestigo.web.connections import SECONDS_FOR_A_BODY

LARGEST_BODY = 16 << 20
"""Of a request, also when it is unpacked."""
MOST_HELD_BYTES = 256 << 20
"""Of all bodies that are being received or wait to be read."""
SECONDS_TO_WAIT = 5
AGAIN = {"Retry-After": "1"}
_AS_GZIP = 31
_MOST_PIECES = 16

T = TypeVar("T")


class Bodies:
    """The bodies that a receiver holds."""

    def __init__(self) -> None:
        self._held_bytes = 0
        self._turns = _Turns()
        self._thread = ThreadPoolExecutor(1, "vestigo-bodies")

    async def read(self, request: Request, read: Callable[[bytes], T]) -> T:
        """What `read` makes of the unpacked body, in a thread. Raises HTTPException for a body that is too large, too
        slow, or packed in another way, and whatever `read` raises.
        """
        packing = request.headers.get("content-encoding", "identity").strip().lower()
        if packing not in ("identity", "gzip"):
            raise HTTPException(415, "send gzip, or the body as it is")
        async with self._received(request) as body:
            if packing == "identity":
                return await self._in_turn(len(body), lambda: read(body))
            said = int.from_bytes(body[-4:], "little")  # the size of what was packed, at the end of gzip (RFC 1952)
            for most in dict.fromkeys([min(said, LARGEST_BODY), LARGEST_BODY]):
                try:
                    return await self._in_turn(most, lambda most=most: read(unpacked(body, most)))  # type: ignore[misc]
                except Larger:
                    continue
        raise _too_large()

    @asynccontextmanager
    async def _received(self, request: Request) -> AsyncIterator[bytes]:
        """The body as it was sent. Until the end of the block it counts as held."""
        body = bytearray()
        try:
            async with asyncio.timeout(SECONDS_FOR_A_BODY):
                async for chunk in request.stream():
                    body += chunk
                    self._held_bytes += len(chunk)
                    if len(body) > LARGEST_BODY:
                        raise _too_large()
                    if self._held_bytes > MOST_HELD_BYTES:
                        raise HTTPException(503, "too many bodies wait to be read; send it again soon", AGAIN)
            yield bytes(body)
        except TimeoutError:
            raise HTTPException(408, f"the body took more than {SECONDS_FOR_A_BODY} s") from None
        except ClientDisconnect:
            raise HTTPException(400, "the sender went away") from None
        finally:
            self._held_bytes -= len(body)

    async def _in_turn(self, size: int, read: Callable[[], T]) -> T:
        async with self._turns.of(size):
            try:
                return await asyncio.get_running_loop().run_in_executor(self._thread, read)
            except zlib.error:
                raise HTTPException(400, "the body is not compressed with gzip") from None


class Larger(Exception):
    """A body unpacks to more than it may."""


def unpacked(packed: bytes, most: int) -> bytes:
    """Unpacks gzip. Several packed pieces may follow each other (RFC 1952). Raises `Larger` and zlib.error.

    >>> import gzip
    >>> unpacked(gzip.compress(b"two ") + gzip.compress(b"pieces"), 10)
    b'two pieces'
    """
    whole = bytearray()
    for _ in range(_MOST_PIECES):
        unpacking = zlib.decompressobj(_AS_GZIP)
        whole += unpacking.decompress(packed, most + 1 - len(whole))
        if len(whole) > most:
            raise Larger
        if not unpacking.eof:
            raise zlib.error
        if not (packed := unpacking.unused_data):
            return bytes(whole)
    raise zlib.error


class _Turns:
    """One at a time has its turn. The smallest is next."""

    def __init__(self) -> None:
        self._is_taken = False
        self._waiting: list[tuple[int, int, asyncio.Future[None]]] = []
        self._numbers = itertools.count()

    @asynccontextmanager
    async def of(self, size: int) -> AsyncIterator[None]:
        """Waits for the turn. Raises HTTPException if that takes too long."""
        if self._is_taken:
            await self._wait(size)
        self._is_taken = True
        try:
            yield
        finally:
            self._pass_on()

    async def _wait(self, size: int) -> None:
        turn = asyncio.get_running_loop().create_future()
        heapq.heappush(self._waiting, (size, next(self._numbers), turn))
        try:
            async with asyncio.timeout(SECONDS_TO_WAIT):
                await turn
        except BaseException as error:
            if turn.done() and not turn.cancelled():  # it came just when nobody waited any more
                self._pass_on()
            if isinstance(error, TimeoutError):
                raise HTTPException(503, "too many bodies wait to be read; send it again soon", AGAIN) from None
            raise

    def _pass_on(self) -> None:
        while self._waiting:
            _, _, turn = heapq.heappop(self._waiting)
            if not turn.done():
                turn.set_result(None)
                return
        self._is_taken = False


def _too_large() -> HTTPException:
    return HTTPException(413, f"a body may have {LARGEST_BODY >> 20} MiB; send fewer spans at once")
