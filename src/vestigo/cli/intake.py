"""Reading a trace for a verb: where it is, what its columns mean, and what is said about it on stderr."""

import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

if TYPE_CHECKING:
    from vestigo.cli.screen import Progress
    from vestigo.rules import Plan
    from vestigo.trace import Trace

_SLOW_SECONDS = 2.0
_MOST_NOTES = 20

TraceArgument = Annotated[
    str | None,
    typer.Argument(
        metavar="TRACE",
        help="A file, a folder, a pattern such as 'logs/*.gz', or - for standard input: CSV, TSV, JSON Lines, Parquet, "
        "Arrow, an access log, or OTLP JSON. Default: the plan's own.",
        show_default=False,
    ),
]
PlanOption = Annotated[
    Path | None, typer.Option(help="A plan file, whose [trace] says what the columns mean.", show_default=False)
]
SetOption = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="KEY=VALUE",
        help="A key of the plan's [trace]: columns.key='{route}:{user}', zone=Europe/Lisbon, at_unit=ms, "
        "patterns.vessel='/vessels/{id}', null_where.rows=0, format=csv. Can be repeated.",
        show_default=False,
    ),
]
StrictOption = Annotated[bool, typer.Option("--strict", help="Refuse a file of which lines would have to be left out.")]


def read(where: str | None, plan: "Plan | None", options: dict[str, Any], progress: "Progress") -> "Trace":
    """The trace, with notes on what was assumed. Raises InputError."""
    from vestigo.cli.screen import note
    from vestigo.compiled import texts
    from vestigo.errors import InputError
    from vestigo.trace import Intake, read_trace

    source = where or (str(plan.trace_path) if plan and plan.trace_path else None)
    if source is None:
        raise InputError("no trace: name one on the command line, or as path in the [trace] of a plan")
    progress.step("reading standard input" if source == "-" else f"reading {Path(source).name}")
    texts.end_with(2)  # as for any wrong input
    begun = time.monotonic()
    trace = read_trace(source, plan.intake if plan else Intake(), **options)
    seconds = time.monotonic() - begun
    for said in trace.notes[:_MOST_NOTES]:
        note(said)
    if len(trace.notes) > _MOST_NOTES:
        note(f"and {len(trace.notes) - _MOST_NOTES:,} more notes of this kind, on other files")
    if trace.moved:
        note(f"{source}: {trace.moved:,} rows stood after a later one and were sorted into place")
    if seconds > _SLOW_SECONDS and not str(source).endswith(".arrow"):
        note(
            f"reading took {seconds:.0f} s; prepare it once, and it opens at once: vestigo convert {source} NAME.arrow"
        )
    return trace


def parsed(settings: list[str] | None, strict: bool = False) -> dict[str, Any]:
    """The options of ``--set``, as Intake takes them. A table's key that comes twice has both values."""
    from vestigo.errors import InputError

    options: dict[str, Any] = {"strict": True} if strict else {}
    for setting in settings or []:
        path, equals, value = setting.partition("=")
        name, dot, key = path.partition(".")
        if not equals or (dot and not key):
            raise InputError(f"--set {setting}: is not KEY=VALUE; write columns.key='{{route}}:{{user}}', for example")
        if not dot:
            if isinstance(options.get(name), dict):
                raise InputError(f"--set {setting}: {name} is a table; write {name}.NAME=VALUE")
            options[name] = {"true": True, "false": False}.get(value, value)
            continue
        table = options.setdefault(name, {})
        if not isinstance(table, dict):
            raise InputError(
                f"--set {setting}: {name} was set to {table!r} before, which is not a table; leave one out"
            )
        table[key] = (
            [*table[key], value] if isinstance(table.get(key), list) else [table[key], value] if key in table else value
        )
    return options
