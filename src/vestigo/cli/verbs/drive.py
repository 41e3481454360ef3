"""``vestigo drive``: your own cache on a trace, beside the replay of its settings."""

from typing import Annotated

import typer

from vestigo.cli.options import (
    IntakeOption,
    JsonOption,
    PlanOption,
    RulesOption,
    StrictOption,
    TraceArgument,
    WriteOption,
)
from vestigo.cli.verbs import Verb


def drive(
    trace: TraceArgument = None,
    command: Annotated[
        str | None,
        typer.Option(
            "--command",
            metavar="COMMAND",
            help="The command that starts your cache: a program that answers JSON-RPC 2.0 on stdin and stdout.",
        ),
    ] = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    find: Annotated[
        bool,
        typer.Option(
            "--find", help="Look for the settings that explain the cache best, instead of comparing it with given ones."
        ),
    ] = False,
    intake: IntakeOption = None,
    strict: StrictOption = False,
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
    write: WriteOption = None,
    as_json: JsonOption = False,
) -> None:
    """Drive your own cache, in any language, with a trace, and compare its answers with the replay of its settings.

    It says how far they differ, at which read first, and what would explain it. docs/drive.md describes the messages.

    Example: vestigo drive skerrow-quay.parquet --plan plan.toml --command 'node my-cache.mjs'

    Example: vestigo drive week.arrow --command 'java MyCache.java' --find --write as-it-is.toml
    """
    from vestigo.arguments import argument
    from vestigo.cli.asked import intake_options, plan_for, read
    from vestigo.cli.screen import Progress, note, show, show_json
    from vestigo.cli.swept import Asked, write_plan
    from vestigo.errors import InputError
    from vestigo.explaining.drive.run import drive as drive_of
    from vestigo.rules import Plan
    from vestigo.show.driven import driven_text
    from vestigo.units import parse_share

    share = None if tolerate is None else float(argument("--tolerate", parse_share, tolerate))
    if command is None:
        raise InputError("no cache: say how it is started, such as --command 'node my-cache.mjs'")
    stated = plan_for(plan, rules)
    if find and rules:
        raise InputError("--find looks for the rules, and --rules states them; leave one out")
    options = intake_options(intake, strict)
    with Progress() as progress:
        read_in = read(trace, stated, options, progress)
        settings = None if find else stated
        driven = drive_of(read_in, settings=settings, command=command, patience=patience, progress=progress.count)
    if write is not None:
        asked = Asked(trace=trace, plan_path=plan, plan=stated or Plan(), intake=options)
        write_plan(driven.found or driven.settings, asked, write)
        note(f"{write}: the settings that explain the cache best")
    if as_json:
        show_json(driven.to_dict())
    else:
        show(driven_text(driven))
    if driven.stopped:
        note(driven.stopped)
        raise typer.Exit(1)
    if share is not None and driven.differ > share * driven.driven.reads:
        raise typer.Exit(1)


VERB = Verb(
    12,
    "Your own cache on a trace, beside the replay.",
    drive,
    "0 done, 1 the cache could not go on or more reads differ than --tolerate allows, 2 wrong input, 130 interrupted",
)
