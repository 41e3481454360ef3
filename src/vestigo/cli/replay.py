"""``vestigo replay``: a plan's settings and candidates on a trace."""

import json
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from vestigo.study import Comparison


class By(StrEnum):
    lookup = "lookup"


def replay(
    plan: Annotated[Path, typer.Option(help="The plan file: settings, and candidates for better ones.")],
    trace: Annotated[
        Path | None, typer.Argument(help="CSV, TSV, JSON Lines, Parquet or Arrow; default: the plan's own.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all measures as JSON.")] = False,
    by: Annotated[By | None, typer.Option(help="Also a table for each look-up.")] = None,
) -> None:
    """Replay a trace against a plan: today's settings and every candidate, beside no cache and the ceilings.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup
    """
    comparison = compare_files(trace, plan)
    if as_json:
        print(json.dumps(comparison.to_dict(), indent=2))
        return
    from vestigo.cli.screen import show
    from vestigo.show.tables import comparison_text

    show(comparison_text(comparison, by_lookup=by is By.lookup))


def compare_files(trace_path: Path | None, plan_path: Path) -> "Comparison":
    """Reads both files and compares, with progress on the terminal while it takes long."""
    from vestigo.cli.screen import Progress, note
    from vestigo.errors import PlanError
    from vestigo.rules import read_plan
    from vestigo.study import compare
    from vestigo.trace import read_trace

    plan = read_plan(plan_path)
    trace_path = trace_path or plan.trace_path
    if trace_path is None:
        raise PlanError(f"{plan_path}: names no trace; add path to [trace], or name the trace on the command line")
    with Progress() as progress:
        progress.step(f"reading {trace_path.name}")
        trace = read_trace(trace_path)
        comparison = compare(trace, plan, progress=lambda done, of: progress.step(f"replayed {done} of {of}"))
    if trace.moved:
        note(f"{trace_path}: {trace.moved:,} rows stood after a later one and were sorted into place")
    return comparison
