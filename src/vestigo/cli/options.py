"""The options that verbs share, each once: the same words for the same things."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer


@dataclass(frozen=True, kw_only=True)
class Options:
    """What the shared options of a call say."""

    trace: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="TRACE",
            help="Files, a folder, a pattern such as 'logs/*.gz', or - for standard input: CSV, TSV, JSON Lines, "
            "Parquet, Arrow, access logs, or OTLP JSON. Default: the plan's own.",
            show_default=False,
        ),
    ] = None
    plan_path: Annotated[
        Path | None,
        typer.Option(
            "--plan",
            metavar="FILE",
            help="The plan file. Default: plan.toml in this folder, if there is one.",
            show_default=False,
        ),
    ] = None
    rules: Annotated[
        list[str] | None,
        typer.Option(
            "--rules",
            metavar="RULE=VALUE",
            help="A rule over the plan's, or without a plan: max_entries=500, absolute=10m, "
            "lookup.chart.max_bytes='8 MiB'. Can be repeated.",
            show_default=False,
        ),
    ] = None
    intake: Annotated[
        list[str] | None,
        typer.Option(
            "--intake",
            metavar="KEY=VALUE",
            help="How the trace is read, as the plan's [trace] says it: columns.key='{route}:{user}', "
            "zone=Europe/Lisbon, at_unit=ms, patterns.vessel='/vessels/{id}', null_where.rows=0, format=csv. "
            "Can be repeated.",
            show_default=False,
        ),
    ] = None
    strict: Annotated[bool, typer.Option("--strict", help="Refuse a file if any of its lines cannot be read.")] = False
    lookup: Annotated[
        list[str] | None, typer.Option("--lookup", metavar="NAME", help="Only this look-up. Can be repeated.")
    ] = None
    sample: Annotated[
        str | None,
        typer.Option(
            "--sample",
            metavar="SHARE",
            help="First estimate all candidates from a share of the keys, such as 10%; replay only the best "
            "trade-offs.",
            show_default=False,
        ),
    ] = None
    rest: Annotated[
        str,
        typer.Option(
            "--rest",
            metavar="SHARE",
            help="The share of the time, at the end, that is held back to check the way of choosing.",
        ),
    ] = "40%"
    seed: Annotated[
        int, typer.Option("--seed", metavar="NUMBER", help="The seed of everything that is drawn at random.")
    ] = 0
    results: Annotated[
        Path | None,
        typer.Option(
            "--results",
            metavar="FILE",
            help="The file that keeps results, so that a later call can go on. Default: beside the plan.",
            show_default=False,
        ),
    ] = None
    no_results: Annotated[bool, typer.Option("--no-results", help="Do not keep results.")] = False
    yes: Annotated[bool, typer.Option("--yes", help="Start even if the replays would take more than 10 minutes.")] = (
        False
    )
    cluster: Annotated[
        str | None,
        typer.Option(
            "--cluster",
            metavar="ADDRESS",
            help="Replay on a Dask cluster, whose workers can open the prepared trace: tcp://host:8786.",
            show_default=False,
        ),
    ] = None
    hash_keys: Annotated[
        Path | None,
        typer.Option(
            "--hash-keys",
            metavar="FILE",
            help="Hash keys, versions, scopes and nodes with the secret in FILE before they are written.",
            show_default=False,
        ),
    ] = None
    write: Annotated[
        Path | None,
        typer.Option(
            "--write", metavar="FILE", help="Write the resulting settings to this plan file.", show_default=False
        ),
    ] = None
    costs_to: Annotated[
        Path | None,
        typer.Option(
            "--write-costs",
            metavar="FILE",
            help="Put what was measured into this plan file: entry_overhead, hit_cost, hit_cost_per_kib.",
            show_default=False,
        ),
    ] = None
    before: Annotated[
        Path | None,
        typer.Option(
            "--before",
            metavar="FILE",
            help="An earlier recording: what is different, what that does, and whether the settings are still good.",
            show_default=False,
        ),
    ] = None
    template: Annotated[
        Path | None,
        typer.Option(
            "--template",
            metavar="FILE",
            help="Fill in this Jinja template with the settings, and write that to --write instead of a plan.",
            show_default=False,
        ),
    ] = None
    figure: Annotated[
        Path | None,
        typer.Option(
            "--figure",
            metavar="FILE",
            help="Also draw a figure into this file. Its ending says the format: .png, .svg, .pdf.",
            show_default=False,
        ),
    ] = None
    as_json: Annotated[bool, typer.Option("--json", help="Print it as JSON.")] = False
