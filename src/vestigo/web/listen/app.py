"""The requests and answers of the receiver, by the OTLP/HTTP specification."""

import asyncio
import hmac
import zlib

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect, Request
from starlette.responses import Response
from starlette.routing import Route

from vestigo.web.listen.otlp import JSON, PROTOBUF, accepted, decode, refused
from vestigo.web.listen.recording import Recording

PATH = "/v1/traces"
LARGEST_BODY = 16 << 20
"""Of a request, also when it is unpacked."""
_SECONDS_FOR_A_BODY = 30
_AS_GZIP = 31


def receiver(recording: Recording, token: str | None = None) -> Starlette:
    """The application. With a `token`, it answers only requests that carry it (RFC 6750)."""

    async def traces(request: Request) -> Response:
        encoding = request.headers.get("content-type", "").partition(";")[0].strip().lower()
        if encoding not in (PROTOBUF, JSON):
            raise HTTPException(415, f"send {PROTOBUF} or {JSON}")
        body = await _body(request)
        try:
            gathered = decode(body, encoding, recording.wanted)
        except ValueError as error:
            raise HTTPException(400, str(error)) from None
        answer = recording.put(gathered)
        return Response(accepted(encoding, answer.rejected, answer.why), media_type=encoding)

    async def failed(request: Request, error: Exception) -> Response:
        encoding = JSON if request.headers.get("content-type", "").startswith(JSON) else PROTOBUF
        assert isinstance(error, HTTPException)
        body = refused(encoding, error.detail)
        return Response(body, error.status_code, error.headers, media_type=encoding)

    def check_token(request: Request) -> None:
        given = request.headers.get("authorization", "").encode()
        if token is not None and not hmac.compare_digest(given, f"Bearer {token}".encode()):
            raise HTTPException(401, "this receiver asks for a token", {"WWW-Authenticate": "Bearer"})

    async def guarded(request: Request) -> Response:
        check_token(request)
        return await traces(request)

    return Starlette(routes=[Route(PATH, guarded, methods=["POST"])], exception_handlers={HTTPException: failed})


async def _body(request: Request) -> bytes:
    """The unpacked body of a request. Raises HTTPException if it is too large, too slow, or compressed in another
    way.
    """
    packing = request.headers.get("content-encoding", "identity").strip().lower()
    if packing not in ("identity", "gzip"):
        raise HTTPException(415, "send gzip, or the body as it is")
    unpacked = _Gzip() if packing == "gzip" else _AsItIs()
    try:
        async with asyncio.timeout(_SECONDS_FOR_A_BODY):
            async for chunk in request.stream():
                unpacked.add(chunk)
        return unpacked.whole()
    except TimeoutError:
        raise HTTPException(408, f"the body took more than {_SECONDS_FOR_A_BODY} s") from None
    except zlib.error:
        raise HTTPException(400, "the body is not compressed with gzip") from None
    except ClientDisconnect:
        raise HTTPException(400, "the sender went away") from None


class _AsItIs:
    def __init__(self) -> None:
        self._content = bytearray()

    def add(self, chunk: bytes) -> None:
        self._content += chunk
        if len(self._content) > LARGEST_BODY:
            raise HTTPException(413, f"a body may have {LARGEST_BODY >> 20} MiB; send fewer spans at once")

    def whole(self) -> bytes:
        return bytes(self._content)


class _Gzip(_AsItIs):
    """Unpacks what arrives, up to the limit. Several compressed pieces may follow each other (RFC 1952)."""

    def __init__(self) -> None:
        super().__init__()
        self._unpacking = zlib.decompressobj(_AS_GZIP)

    def add(self, chunk: bytes) -> None:
        while chunk:
            if self._unpacking.eof:
                self._unpacking = zlib.decompressobj(_AS_GZIP)
            super().add(self._unpacking.decompress(chunk, LARGEST_BODY + 1 - len(self._content)))
            chunk = self._unpacking.unconsumed_tail or self._unpacking.unused_data

    def whole(self) -> bytes:
        if not self._unpacking.eof:
            raise zlib.error
        return super().whole()
