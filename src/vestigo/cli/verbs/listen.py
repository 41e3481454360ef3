"""``vestigo listen``: a trace from any service that sends OpenTelemetry spans."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import Call, asks, secret_in
from vestigo.cli.verbs import Verb

SHORTEST_TOKEN = 16


@asks(..., "plan_path", "intake", "hash_keys", "as_json")
def listen(
    call: Call,
    folder: Annotated[
        Path, typer.Argument(metavar="FOLDER", help="The folder that the recording is written to.", show_default=False)
    ],
    address: Annotated[
        str,
        typer.Option(
            "--address", metavar="HOST:PORT", help="The address that services send to: http://HOST:PORT/v1/traces."
        ),
    ] = "127.0.0.1:4318",
    token: Annotated[
        Path | None,
        typer.Option(
            "--token",
            metavar="FILE",
            help="Answer only senders that know the token in FILE. Needed for any address but this machine's own.",
        ),
    ] = None,
    span: Annotated[
        list[str] | None,
        typer.Option(
            "--span",
            metavar="NAME=PATTERN",
            help="Record only spans like this, by their name, the library that made them, or an attribute: "
            "name='load {...}', library=desk, db.system.name=postgresql. Can be repeated.",
        ),
    ] = None,
    span_writes: Annotated[
        list[str] | None,
        typer.Option("--span-writes", metavar="NAME=PATTERN", help="Spans like this change a value. Can be repeated."),
    ] = None,
    span_removes: Annotated[
        list[str] | None,
        typer.Option("--span-removes", metavar="NAME=PATTERN", help="Spans like this remove one. Can be repeated."),
    ] = None,
    span_hit: Annotated[
        list[str] | None,
        typer.Option(
            "--span-hit",
            metavar="NAME=VALUE",
            help="Spans with this are around hits, and last as long as the hit: desk.cache.hit=true. Can be repeated.",
        ),
    ] = None,
    for_: Annotated[
        str | None, typer.Option("--for", metavar="DURATION", help="Stop after this time, such as 30m.")
    ] = None,
    rotate_at: Annotated[
        str,
        typer.Option("--rotate-at", metavar="SIZE", help="Start a new file when the current one reaches this size."),
    ] = "256 MiB",
) -> None:
    """Write the OpenTelemetry spans that services send (OTLP/HTTP) as a trace, until it is stopped.

    Database spans and those of HTTP clients need no options. For other spans, say which attribute is the key.

    Example: vestigo listen recording --intake 'columns.key={vessel.call_sign}'

    Example: vestigo listen recording --span 'name=vessel.{...}' --span-writes name=vessel.save --intake
    'columns.key={vessel.call_sign}' --intake 'columns.lookup=vessel' --for 30m
    """
    from vestigo.arguments import argument
    from vestigo.cli.screen import Progress, note
    from vestigo.errors import InputError
    from vestigo.recording.hashing import HASHED
    from vestigo.trace import Intake
    from vestigo.units import Duration, parse_bytes

    try:
        from vestigo.web.listen.receiver import PATH, receiver
        from vestigo.web.listen.recording import Recording
        from vestigo.web.listen.selection import Conditions, Selection, hits_of
        from vestigo.web.serving import Address, serve
    except ModuleNotFoundError as error:
        raise InputError(
            f"listen needs the package {error.name}; install it: pip install 'vestigo-replay[listen]'"
        ) from None
    from vestigo.show.heard import heard_line, heard_text

    where = Address.parse(address)
    if token is None and not where.is_loopback:
        raise InputError(
            f"--address {address}: other machines can reach this address; add --token FILE, a token for senders"
        )
    seconds = None if for_ is None else int(argument("--for", Duration.parse, for_)) / 1e9
    selection = Selection(
        Conditions.parse("--span", span or ()),
        Conditions.parse("--span-writes", span_writes or ()),
        Conditions.parse("--span-removes", span_removes or ()),
    )
    intake = (call.plan.intake if call.plan else Intake()).with_options(call.intake_options)
    intake = intake.with_options({"hit_where": hits_of("--span-hit", span_hit or ())} if span_hit else {})
    bearer = None if token is None else _token_in(token)
    listening = where.bind()
    recording = Recording(
        folder,
        intake,
        selection,
        secret=None if call.hash_keys is None else secret_in(call.hash_keys),
        rotate_at=argument("--rotate-at", parse_bytes, rotate_at),
        say=note,
    )
    note(f"listening at http://{Address.of(listening)}{PATH}; Ctrl-C ends the recording")
    if call.hash_keys is not None:
        note(HASHED)
    with Progress() as progress:

        def goes_on() -> bool:
            progress.step(heard_line(recording.heard))
            return recording.failure is None

        try:
            app, refused = receiver(recording, bearer), recording.accounts.turned_away
            serve(app, listening, seconds=seconds, goes_on=goes_on, refused=refused)
        finally:
            recording.close()
    heard = recording.heard
    call.answer({"folder": str(folder), **heard.to_dict()}, lambda _: heard_text(heard, folder))
    if recording.failure is not None:
        note(f"{recording.failure}; spans that came later are lost, so record again")
        raise typer.Exit(1)


def _token_in(path: Path) -> str:
    from vestigo.errors import InputError

    token = secret_in(path).decode(errors="replace")
    if len(token) < SHORTEST_TOKEN or not (token.isascii() and token.isprintable()):
        raise InputError(f"{path}: holds no token; write one line of text, {SHORTEST_TOKEN} letters or more")
    return token


VERB = Verb(
    1,
    "Record a trace from services that send OpenTelemetry spans.",
    listen,
    "0 done, also when Ctrl-C ends it, 1 the recording ended by itself, 2 wrong input",
)
