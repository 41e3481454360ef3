"""``vestigo replay``: a plan's settings and candidates on a trace."""

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from vestigo.cli.intake import SetOption, StrictOption, TraceArgument

By = Literal["lookup", "time", "scope"]

if TYPE_CHECKING:
    from vestigo.study import Comparison


def replay(
    plan: Annotated[Path, typer.Option(help="The plan file: settings, and candidates for better ones.")],
    trace: TraceArgument = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all measures as JSON.")] = False,
    by: Annotated[By | None, typer.Option(help="Also tables for each look-up, over time, or a scope.")] = None,
    settings: SetOption = None,
    strict: StrictOption = False,
) -> None:
    """Replay a trace against a plan: today's settings and every candidate, beside no cache and the ceilings.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup
    """
    from vestigo.cli.intake import parsed

    comparison = compare_files(trace, plan, parsed(settings, strict))
    if as_json:
        print(json.dumps(comparison.to_dict(), indent=2))
        return
    from vestigo.cli.screen import show
    from vestigo.show import tables
    from vestigo.show.tables import comparison_text

    show(comparison_text(comparison, None if by is None else tables.By(by)))


def compare_files(trace: str | None, plan_path: Path, options: dict[str, Any]) -> "Comparison":
    """Reads both files and compares, with progress on the terminal while it takes long."""
    from vestigo.cli.intake import read
    from vestigo.cli.screen import Progress
    from vestigo.rules import read_plan
    from vestigo.study import compare

    plan = read_plan(plan_path)
    with Progress() as progress:
        read_in = read(trace, plan, options, progress)
        return compare(read_in, plan, progress=progress.count)
