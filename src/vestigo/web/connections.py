"""The connections of one of our servers: how many there may be, and how long each may take.

Whoever can connect can also stay silent, send half a header, or send a body letter by letter. So a connection that
waits for its sender has a time limit, and when places are short, the one that has waited longest is closed first.
"""

import socket
import time
from collections.abc import Callable
from typing import Any

from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Receive, Scope, Send
from uvicorn.protocols.http.h11_impl import H11Protocol

MOST_CONNECTIONS = 200
SECONDS_FOR_A_HEAD = 5
SECONDS_FOR_A_BODY = 30
SECONDS_IDLE = 75
"""Between two requests. Senders often keep a connection, and send every few seconds."""
NO_PLACE = "no place is free; send it again soon"
_SLOW = f"connections closed: no header came in {SECONDS_FOR_A_HEAD} s, or no body in {SECONDS_FOR_A_BODY} s"
_FOR_ROOM = "connections closed to make room: they waited longest for the rest of a request"

Refused = Callable[[str], None]
"""Told of each request or connection that is refused, and why."""


class Connection(H11Protocol):
    """A connection that knows since when it has been waiting for its sender."""

    refused: Refused

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        # asyncio does this only for sockets that name their protocol. Without it, a body waits 40 ms for its head.
        transport.get_extra_info("socket").setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._since, self._has_begun = time.monotonic(), True  # a sender connects to send something
        if len(self.connections) > MOST_CONNECTIONS and not _make_room(self):
            self.app = _without_place(self.refused)

    def data_received(self, data: bytes) -> None:
        if not self._has_begun:
            self._since, self._has_begun = time.monotonic(), True
        super().data_received(data)

    def on_response_complete(self) -> None:
        super().on_response_complete()
        self._since, self._has_begun = time.monotonic(), self.cycle.more_body  # the rest of a refused body

    def send_400_response(self, msg: str) -> None:
        self.refused("no HTTP")
        super().send_400_response(msg)

    @property
    def waits_for_its_sender(self) -> bool:
        return self.cycle is None or self.cycle.response_complete or self.cycle.more_body

    def waited(self) -> float:
        return time.monotonic() - self._since

    @property
    def is_idle(self) -> bool:
        """Whether it is between two requests."""
        return not self._has_begun

    def close_if_slow(self) -> None:
        """Closes the connection if its sender has taken too long."""
        if not self.waits_for_its_sender or self.is_idle:  # uvicorn closes idle ones
            return
        has_head = self.cycle is not None and not self.cycle.response_complete
        if self.waited() > SECONDS_FOR_A_HEAD + has_head * SECONDS_FOR_A_BODY:
            self.refused(_SLOW)
            self.transport.abort()


def connections_of(refused: Refused) -> type[Connection]:
    """The class of connections that a server makes."""
    return type("Connection", (Connection,), {"refused": staticmethod(refused)})


def _make_room(newest: Connection) -> bool:
    """Closes the connection that has waited longest for its sender: an idle one, if there is one."""
    waiting = [one for one in newest.connections if isinstance(one, Connection) and one is not newest]
    waiting = [one for one in waiting if one.waits_for_its_sender]
    if not waiting:
        return False
    longest = max(waiting, key=lambda one: (one.is_idle, one.waited()))
    newest.connections.discard(longest)
    if not longest.is_idle:
        newest.refused(_FOR_ROOM)
    longest.transport.abort()
    return True


def _without_place(refused: Refused) -> ASGIApp:
    """The application of a connection for which there is no place."""

    async def answer(scope: Scope, receive: Receive, send: Send) -> None:
        refused(NO_PLACE)
        headers = {"Retry-After": "1", "Connection": "close"}
        await PlainTextResponse(NO_PLACE, 503, headers)(scope, receive, send)

    return answer
