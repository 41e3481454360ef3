"""``vestigo convert``: a trace from any format into a table or the prepared form."""

import dataclasses
from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import Call, asks, secret_in
from vestigo.cli.verbs import Verb


@asks(..., "plan_path", "intake", "strict", "lookup", "hash_keys", "as_json")
def convert(
    call: Call,
    sources: Annotated[
        list[str], typer.Argument(metavar="IN", help="Files, a folder, a pattern, or - for standard input.")
    ],
    target: Annotated[
        Path,
        typer.Argument(
            metavar="OUT",
            help="Its ending says what is written: .arrow (prepared, opens at once), .parquet, .csv, .tsv, .jsonl.",
        ),
    ],
    begin: Annotated[
        str | None,
        typer.Option(
            "--from",
            metavar="TIME",
            help="Keep only events from this time on: 2026-03-17T08:00:00Z, or 2h after the first event.",
        ),
    ] = None,
    end: Annotated[str | None, typer.Option("--to", metavar="TIME", help="Keep only events before this time.")] = None,
    node: Annotated[
        list[str] | None, typer.Option(metavar="NAME", help="Keep only this node. Can be repeated.")
    ] = None,
    key: Annotated[
        str | None, typer.Option(metavar="PATTERN", help="Keep only keys that match a pattern, such as '9/{...}'.")
    ] = None,
    sample: Annotated[
        str | None,
        typer.Option(metavar="SHARE", help="Keep only a share of the keys, such as 10%, with all their events."),
    ] = None,
    speed: Annotated[
        float | None, typer.Option(metavar="FACTOR", help="Make everything happen this many times faster.")
    ] = None,
    for_spreadsheets: Annotated[
        bool,
        typer.Option(
            "--for-spreadsheets", help="Put an apostrophe before texts that a spreadsheet would take for a formula."
        ),
    ] = False,
) -> None:
    """Write a trace in another format. A prepared .arrow file opens at once.

    Keys are written as they are. In a spreadsheet, a key that begins with = + - or @ is a formula: if you do not trust
    the trace, add --for-spreadsheets to a .csv file that you open in one.

    Example: vestigo convert 'logs/*.log.gz' desk.arrow --intake 'patterns.vessel=/vessels/{call_sign}'
    """
    from vestigo.cli.screen import Progress, note
    from vestigo.recording.hashing import HASHED
    from vestigo.show.safe import printable
    from vestigo.trace import shape, write_trace
    from vestigo.units import counted, format_bytes

    with Progress() as progress:
        trace = dataclasses.replace(call, trace=sources).read(progress, is_converted=True)
        trace = shape.only(shape.between(trace, begin, end), lookups=call.lookup, keys=key, nodes=node)
        trace = trace if sample is None else shape.sampled(trace, sample)
        trace = trace if speed is None else shape.faster(trace, speed)
        if call.hash_keys is not None:
            trace = shape.anonymised(trace, secret_in(call.hash_keys))
            note(HASHED)
        progress.step(f"writing {target.name}")
        write_trace(trace, target, for_spreadsheets=for_spreadsheets)
    written = {"path": str(target), "events": len(trace), "keys": len(trace.keys), "bytes": target.stat().st_size}
    call.answer(
        written,
        lambda of: (
            f"{printable(of['path'], most=1000)}: {counted(of['events'], 'event')}, {counted(of['keys'], 'key')}, "
            f"{format_bytes(of['bytes'])}"
        ),
    )


VERB = Verb(14, "Write a trace in another format, or a part of it.", convert)
