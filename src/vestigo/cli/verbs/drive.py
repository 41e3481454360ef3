"""``vestigo drive``: your own cache on a trace, beside the replay of its settings."""

from typing import Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks, share
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, ..., "write", "template", "costs_to", "as_json")
def drive(
    call: Call,
    command: Annotated[
        str | None,
        typer.Option(
            "--command",
            metavar="COMMAND",
            help="The command that starts your cache: a program that answers JSON-RPC 2.0 on stdin and stdout.",
        ),
    ] = None,
    find: Annotated[
        bool,
        typer.Option(
            "--find", help="Look for the settings that explain the cache best, instead of comparing it with given ones."
        ),
    ] = False,
    patience: Annotated[
        str, typer.Option("--patience", metavar="DURATION", help="How long to wait for an answer.")
    ] = "60s",
    tolerate: Annotated[
        str | None,
        typer.Option(
            "--tolerate",
            metavar="SHARE",
            help="End with status 1 if more of the reads are answered differently, such as 0.1%.",
            show_default=False,
        ),
    ] = None,
) -> None:
    """Drive your own cache, in any language, with a trace, and compare its answers with the replay of its settings.

    It says how far they differ, at which read first, and what would explain it. docs/drive.md describes the messages.

    Example: vestigo drive skerrow-quay.parquet --plan plan.toml --command 'node my-cache.mjs'

    Example: vestigo drive week.arrow --command 'java MyCache.java' --find --write as-it-is.toml --write-costs plan.toml
    """
    from vestigo.cli.screen import Progress, note
    from vestigo.errors import InputError
    from vestigo.explaining.drive.run import drive as drive_of
    from vestigo.show.driven import driven_text

    most = share("--tolerate", tolerate)
    if command is None:
        raise InputError("no cache: say how it is started, such as --command 'node my-cache.mjs'")
    settings = None if find else call.plan
    if find and call.rules:
        raise InputError("--find looks for the rules, and --rules states them; leave one out")
    with Progress() as progress:
        trace = call.read(progress)
        driven = drive_of(trace, settings=settings, command=command, patience=patience, progress=progress.count)
    call.write_plan(driven.found or driven.settings, trace.lookups, "the settings that explain the cache best")
    call.write_costs(driven.costs.rules)
    call.answer(driven, driven_text)
    if driven.stopped:
        note(driven.stopped)
        raise typer.Exit(1)
    if most is not None and driven.differ > most * driven.driven.reads:
        raise typer.Exit(1)


VERB = Verb(
    12,
    "Your own cache on a trace, beside the replay.",
    drive,
    "0 done, 1 the cache could not go on or more reads differ than --tolerate allows, 2 wrong input, 130 interrupted",
)
