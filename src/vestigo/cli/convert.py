"""``vestigo convert``: a trace from any format into a table or the prepared form."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.intake import PlanOption, SetOption, StrictOption


def convert(
    source: Annotated[str, typer.Argument(metavar="IN", help="A file, a folder, a pattern, or - for standard input.")],
    target: Annotated[
        Path,
        typer.Argument(
            metavar="OUT",
            help="Its ending says what is written: .arrow (prepared, opens at once), .parquet, .csv, .tsv, .jsonl.",
        ),
    ],
    plan: PlanOption = None,
    settings: SetOption = None,
    strict: StrictOption = False,
) -> None:
    """Write a trace in another format; to .arrow, prepared, so that it opens at once.

    Example: vestigo convert 'logs/*.log.gz' desk.arrow --set 'patterns.vessel=/vessels/{call_sign}'
    """
    from vestigo.cli.intake import parsed, read
    from vestigo.cli.screen import Progress, show
    from vestigo.rules import read_plan
    from vestigo.show.safe import printable
    from vestigo.trace import write_trace
    from vestigo.units import counted, format_bytes

    with Progress() as progress:
        trace = read(source, read_plan(plan) if plan else None, parsed(settings, strict), progress)
        progress.step(f"writing {target.name}")
        write_trace(trace, target)
    size = format_bytes(target.stat().st_size)
    amounts = f"{counted(len(trace), 'event')}, {counted(len(trace.keys), 'key')}, {size}"
    show(f"{printable(str(target), most=1000)}: {amounts}")
