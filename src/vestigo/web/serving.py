"""Runs one of our servers: where it listens, its start and its end."""

import asyncio
import contextlib
import logging
import os
import signal
import socket
from collections.abc import Callable, Iterator
from ipaddress import ip_address
from typing import NamedTuple

import uvicorn
from starlette.types import ASGIApp

from vestigo.errors import InputError
from vestigo.web.connections import SECONDS_IDLE, Connection, Refused, connections_of

OTLP = "127.0.0.1:4318"
"""The port of OTLP's standard, on this machine alone."""
_LONGEST_HEAD = 1 << 16
_SECONDS_TO_END = 5
_SECONDS_BETWEEN_LOOKS = 0.2


class Address(NamedTuple):
    host: str
    port: int

    @classmethod
    def parse(cls, text: str) -> "Address":
        """Reads ``127.0.0.1:4318``, ``[::1]:4318`` or ``quay.example:4318``. Raises InputError."""
        host, _, port = text.rpartition(":")
        if not host or not port.isdecimal() or int(port) > 65_535:
            raise InputError(f"--address {text}: is not HOST:PORT; write {OTLP}, for example")
        return cls(host.removeprefix("[").removesuffix("]"), int(port))

    @classmethod
    def of(cls, listening: socket.socket) -> "Address":
        """Where a socket listens."""
        return cls(*listening.getsockname()[:2])

    def __str__(self) -> str:
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host}:{self.port}"

    @property
    def is_loopback(self) -> bool:
        """Whether only this machine can reach it."""
        try:
            return ip_address(self.host).is_loopback
        except ValueError:
            return self.host == "localhost"

    def bind(self) -> socket.socket:
        """A socket that listens there. Raises InputError."""
        try:
            family, *_, where = socket.getaddrinfo(self.host, self.port, type=socket.SOCK_STREAM)[0]
            return socket.create_server(where[:2], family=family)
        except OSError as error:
            said = os.strerror(error.errno) if error.errno and error.errno > 0 else error.strerror
            raise InputError(f"--address {self.host}:{self.port}: nothing can listen there: {said}") from None


def serve(  # noqa: PLR0913  # options by name
    app: ASGIApp,
    listening: socket.socket,
    *,
    seconds: float | None = None,
    goes_on: Callable[[], bool] = lambda: True,
    refused: Refused = lambda _: None,
    ending: Callable[[], None] = lambda: None,
) -> None:
    """Serves until it is interrupted or terminated, for some seconds, or until `goes_on`, which is asked again and
    again, says no. `refused` is told of what never reaches the application, and `ending` of the end, before requests
    that are being answered are waited for.
    """
    logging.getLogger("uvicorn").addHandler(logging.NullHandler())  # what goes wrong is told by the application
    config = uvicorn.Config(
        app,
        http=connections_of(refused),
        ws="none",
        lifespan="off",
        log_config=None,
        access_log=False,
        server_header=False,
        timeout_keep_alive=SECONDS_IDLE,
        h11_max_incomplete_event_size=_LONGEST_HEAD,
        timeout_graceful_shutdown=_SECONDS_TO_END,
    )
    asyncio.run(_until_stopped(_Server(config), listening, seconds, goes_on, ending))


class _Server(uvicorn.Server):
    @contextlib.contextmanager
    def capture_signals(self) -> Iterator[None]:
        """Handles signals, because a recording normally ends by being stopped."""
        yield

    def close_slow_connections(self) -> None:
        for connection in list(self.server_state.connections):
            if isinstance(connection, Connection):
                connection.close_if_slow()


async def _until_stopped(
    server: _Server,
    listening: socket.socket,
    seconds: float | None,
    goes_on: Callable[[], bool],
    ending: Callable[[], None],
) -> None:
    loop = asyncio.get_running_loop()
    stopped = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(number, stopped.set)
    if seconds is not None:
        loop.call_later(seconds, stopped.set)
    serving = asyncio.create_task(server.serve(sockets=[listening]))
    while goes_on() and not (stopped.is_set() or serving.done()):
        server.close_slow_connections()
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stopped.wait(), _SECONDS_BETWEEN_LOOKS)
    ending()
    server.should_exit = True
    await serving
