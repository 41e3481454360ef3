"""The requests and answers of the receiver, by the OTLP/HTTP specification."""

import hmac

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from vestigo.web.listen.bodies import AGAIN, Bodies
from vestigo.web.listen.otlp import JSON, PROTOBUF, TooMany, accepted, decode, refused
from vestigo.web.listen.recording import Answer, Recording, RecordingEnded

PATH = "/v1/traces"


def receiver(recording: Recording, token: str | None = None) -> Starlette:
    """The application. With a `token`, it answers only requests that carry it (RFC 6750). Every request that it refuses
    is counted.
    """
    bodies = Bodies()

    async def traces(request: Request) -> Response:
        check_token(request)
        encoding = request.headers.get("content-type", "").partition(";")[0].strip().lower()
        if encoding not in (PROTOBUF, JSON):
            raise HTTPException(415, f"send {PROTOBUF} or {JSON}")
        answer = await bodies.read(request, lambda body: put(body, encoding))
        return Response(accepted(encoding, answer.rejected, answer.why), media_type=encoding)

    def put(body: bytes, encoding: str) -> Answer:
        try:
            return recording.put(decode(body, encoding, recording.wanted))
        except TooMany as error:
            raise HTTPException(413, str(error)) from None
        except RecordingEnded:
            raise HTTPException(503, "the recording has ended", AGAIN) from None
        except ValueError as error:
            raise HTTPException(400, str(error)) from None
        except Exception as error:
            recording.accounts.say_once(f"a request could not be read: {type(error).__name__}: {error}")
            raise HTTPException(500, "the request could not be read") from None

    async def failed(request: Request, error: Exception) -> Response:
        assert isinstance(error, HTTPException)
        recording.accounts.turned_away(f"status {error.status_code}: {error.detail}")
        encoding = JSON if request.headers.get("content-type", "").startswith(JSON) else PROTOBUF
        body = refused(encoding, error.detail)
        return Response(body, error.status_code, error.headers, media_type=encoding)

    def check_token(request: Request) -> None:
        given = request.headers.get("authorization", "").encode()
        if token is not None and not hmac.compare_digest(given, f"Bearer {token}".encode()):
            raise HTTPException(401, "this receiver asks for a token", {"WWW-Authenticate": "Bearer"})

    return Starlette(routes=[Route(PATH, traces, methods=["POST"])], exception_handlers={HTTPException: failed})
