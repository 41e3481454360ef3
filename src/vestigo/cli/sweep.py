"""``vestigo sweep`` and ``vestigo choose``: many candidates, and the one to take."""

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from vestigo.cli.intake import SetOption, StrictOption, TraceArgument

if TYPE_CHECKING:
    from vestigo.rules import Plan
    from vestigo.study import Pick, Sweep
    from vestigo.trace import Trace

_ASKS_FROM = 10 * 60.0
"""A sweep that would take so many seconds is not begun unasked."""
_SAMPLE = "10%"
NOT_MET = 1

PlanFile = Annotated[Path, typer.Option("--plan", help="The plan file, with [vary], [candidate.*] and [aim].")]
ResultsOption = Annotated[
    Path | None,
    typer.Option(help="Where results are kept, to go on from. Default: beside the plan.", show_default=False),
]
YesOption = Annotated[bool, typer.Option("--yes", help="Begin, however long it takes.")]
SampleOption = Annotated[
    str | None,
    typer.Option(
        metavar="SHARE",
        help="Estimate all from a share of the keys, such as 10%, and replay only what no other beats.",
        show_default=False,
    ),
]
ClusterOption = Annotated[
    str | None,
    typer.Option(
        metavar="ADDRESS",
        help="Replay on a Dask cluster, whose workers can open the prepared trace: tcp://host:8786.",
        show_default=False,
    ),
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print all measures as JSON.")]


def sweep(
    plan: PlanFile,
    trace: TraceArgument = None,
    results: ResultsOption = None,
    yes: YesOption = False,
    sample: SampleOption = None,
    cluster: ClusterOption = None,
    as_json: JsonOption = False,
    settings: SetOption = None,
    strict: StrictOption = False,
) -> None:
    """Replay every candidate and every combination of what varies, and show those that no other beats.

    Example: vestigo sweep skerrow-quay.parquet --plan plan.toml
    """
    found, _ = swept(trace, plan, results, yes or sample is not None, settings, strict, cluster, sample)
    if as_json:
        _print_json(found.to_dict(), found)
        return
    from vestigo.cli.screen import show
    from vestigo.show.study import sweep_text

    show(sweep_text(found))


def choose(
    plan: PlanFile,
    trace: TraceArgument = None,
    results: ResultsOption = None,
    write: Annotated[
        Path | None, typer.Option(help="Write the picked settings there, as a plan file.", show_default=False)
    ] = None,
    figure: Annotated[
        Path | None, typer.Option(help="Also draw a page of figures; the ending says the format.", show_default=False)
    ] = None,
    yes: YesOption = False,
    sample: SampleOption = None,
    as_json: JsonOption = False,
    settings: SetOption = None,
    strict: StrictOption = False,
) -> None:
    """Sweep, and name the candidate that is best at the plan's [aim] within its limits, with proof.

    Exit status 1 if no candidate keeps the limits, or the pick does not hold on the rest of the trace.

    Example: vestigo choose skerrow-quay.parquet --plan plan.toml --write picked.toml
    """
    found, of = swept(trace, plan, results, yes or sample is not None, settings, strict, sample=sample)
    pick = found.choose()
    if as_json:
        _print_json(pick.to_dict(), found)
    else:
        from vestigo.cli.screen import show
        from vestigo.show.study import pick_text

        show(pick_text(pick))
    if write is not None and pick.is_met:
        write_plan(pick, write)
    if figure is not None:
        draw(of, plan, found, pick, figure)
    if not (pick.is_met and pick.holds):
        raise typer.Exit(NOT_MET)


def _print_json(what: dict[str, Any], found: "Sweep") -> None:
    from vestigo.cli.screen import note

    for said in found.notes:
        note(said)
    print(json.dumps(what, indent=2))


def draw(trace: "Trace", plan_path: Path, found: "Sweep", pick: "Pick", path: Path) -> None:
    """A page of figures: the front, all sizes, today's misses, and the rules that matter most."""
    from vestigo.cli.screen import Progress, note
    from vestigo.engine import replay
    from vestigo.rules import read_plan
    from vestigo.show.figures import choice_page
    from vestigo.show.files import save_figure
    from vestigo.study import size_curve

    plan = read_plan(plan_path)
    with Progress() as progress:
        progress.step("drawing")
        curves = [size_curve(trace, plan, lookup=name) for name in trace.lookups]
        save_figure(choice_page(found, pick, curves, replay(trace, plan, name="today"))[0], path)
    note(f"{path}: a page of figures")


def write_plan(pick: "Pick", path: Path) -> None:
    """The picked settings as a plan file."""
    from vestigo.errors import InputError
    from vestigo.files import replacing
    from vestigo.rules.plan_text import plan_text

    try:
        with replacing(path) as unfinished:
            unfinished.write_text(f"{plan_text(pick.candidate.plan)}\n", encoding="utf-8")
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None


def swept(
    where: str | None,
    plan_path: Path,
    results: Path | None,
    yes: bool,
    settings: list[str] | None = None,
    strict: bool = False,
    cluster: str | None = None,
    sample: str | None = None,
) -> "tuple[Sweep, Trace]":
    """The sweep of a plan file, with time left on the terminal; and the trace, which may have come from a pipe."""
    from vestigo.cli.cluster import workers
    from vestigo.cli.intake import parsed, read
    from vestigo.cli.screen import Progress
    from vestigo.rules import read_plan
    from vestigo.study import sweep as run_sweep

    plan = read_plan(plan_path)
    with Progress() as progress:
        trace = read(where, plan, parsed(settings, strict), progress)
        if not yes:
            _refuse_if_long(trace, plan)
        kept = results or plan_path.with_suffix(".results")
        if cluster is None:
            return run_sweep(trace, plan, results=kept, sample=sample, progress=progress.count), trace
        path = where or str(plan.trace_path)
        with workers(cluster, path) as executor:
            found = run_sweep(path, plan, results=kept, sample=sample, executor=executor, progress=progress.count)
        return found, trace


def _refuse_if_long(trace: "Trace", plan: "Plan") -> None:
    """Raises InputError, which says how many replays there are and how long they would take."""
    from vestigo.errors import InputError, RulesError
    from vestigo.rules.vary import count
    from vestigo.study.run_sweep import estimated_seconds
    from vestigo.units import format_seconds

    candidates = count(plan.vary)
    if candidates < 100:
        return
    seconds = estimated_seconds(trace, plan)
    if seconds <= _ASKS_FROM:
        return
    try:
        estimates = f" ({format_seconds(estimated_seconds(trace, plan, _SAMPLE))} to estimate them)"
    except RulesError:
        estimates = ""
    raise InputError(
        f"[vary] makes {candidates:,} candidates, which take about {format_seconds(seconds)}; vary less, try "
        f"--sample {_SAMPLE}{estimates}, or say --yes"
    )
