"""The options that verbs share: the same words for the same things."""

from pathlib import Path
from typing import Annotated, Literal

import typer

TraceArgument = Annotated[
    list[str] | None,
    typer.Argument(
        metavar="TRACE",
        help="Files, a folder, a pattern such as 'logs/*.gz', or - for standard input: CSV, TSV, JSON Lines, Parquet, "
        "Arrow, access logs, or OTLP JSON. Default: the plan's own.",
        show_default=False,
    ),
]
PlanOption = Annotated[
    Path | None,
    typer.Option(
        "--plan",
        metavar="FILE",
        help="The plan file. Default: plan.toml in this folder, if there is one.",
        show_default=False,
    ),
]
RulesOption = Annotated[
    list[str] | None,
    typer.Option(
        "--rules",
        metavar="RULE=VALUE",
        help="A rule over the plan's, or without a plan: max_entries=500, absolute=10m, "
        "lookup.chart.max_bytes='8 MiB'. Can be repeated.",
        show_default=False,
    ),
]
IntakeOption = Annotated[
    list[str] | None,
    typer.Option(
        "--intake",
        metavar="KEY=VALUE",
        help="How the trace is read, as the plan's [trace] says it: columns.key='{route}:{user}', zone=Europe/Lisbon, "
        "at_unit=ms, patterns.vessel='/vessels/{id}', null_where.rows=0, format=csv. Can be repeated.",
        show_default=False,
    ),
]
StrictOption = Annotated[bool, typer.Option("--strict", help="Refuse a file if any of its lines cannot be read.")]
LookupOption = Annotated[
    list[str] | None, typer.Option("--lookup", metavar="NAME", help="Only this look-up. Can be repeated.")
]
By = Literal["lookup", "key", "scope", "time"]
ByOption = Annotated[
    By | None,
    typer.Option(
        "--by",
        help="Add tables: for each look-up, for the keys that lose most, for scopes, or over time.",
        show_default=False,
    ),
]
ReadsOption = Annotated[
    Path | None,
    typer.Option(
        "--reads",
        metavar="FILE",
        help="Also write a file with what happened at each read under the plan's own settings: .parquet, .csv or "
        ".arrow.",
        show_default=False,
    ),
]
SampleOption = Annotated[
    str | None,
    typer.Option(
        "--sample",
        metavar="SHARE",
        help="First estimate all candidates from a share of the keys, such as 10%; replay only the best trade-offs.",
        show_default=False,
    ),
]
ResultsOption = Annotated[
    Path | None,
    typer.Option(
        "--results",
        metavar="FILE",
        help="The file that keeps results, so that a later call can go on. Default: beside the plan.",
        show_default=False,
    ),
]
NoResultsOption = Annotated[bool, typer.Option("--no-results", help="Do not keep results.")]
RestOption = Annotated[
    str,
    typer.Option(
        "--rest",
        metavar="SHARE",
        help="The share of the time, at the end, that is held back to check the way of choosing.",
    ),
]
SeedOption = Annotated[
    int, typer.Option("--seed", metavar="NUMBER", help="The seed of everything that is drawn at random.")
]
WriteOption = Annotated[
    Path | None,
    typer.Option("--write", metavar="FILE", help="Write the resulting settings to this plan file.", show_default=False),
]
FigureOption = Annotated[
    Path | None,
    typer.Option(
        "--figure",
        metavar="FILE",
        help="Also draw a figure into this file. Its ending says the format: .png, .svg, .pdf.",
        show_default=False,
    ),
]
YesOption = Annotated[bool, typer.Option("--yes", help="Start even if the replays would take more than 10 minutes.")]
ClusterOption = Annotated[
    str | None,
    typer.Option(
        "--cluster",
        metavar="ADDRESS",
        help="Replay on a Dask cluster, whose workers can open the prepared trace: tcp://host:8786.",
        show_default=False,
    ),
]
HashKeysOption = Annotated[
    Path | None,
    typer.Option(
        "--hash-keys",
        metavar="FILE",
        help="Hash keys, versions, scopes and nodes with the secret in FILE before they are written.",
        show_default=False,
    ),
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print it as JSON.")]
