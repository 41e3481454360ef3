"""``vestigo replay``: replays settings and candidates on a trace."""

from typing import TYPE_CHECKING, Annotated

import typer

from vestigo.cli.options import (
    ByOption,
    FigureOption,
    IntakeOption,
    JsonOption,
    LookupOption,
    PlanOption,
    ReadsOption,
    RulesOption,
    StrictOption,
    TraceArgument,
)
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from vestigo.choosing.compare import Comparison
    from vestigo.rules import Aim


def replay(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    lookup: LookupOption = None,
    by: ByOption = None,
    figure: FigureOption = None,
    reads: ReadsOption = None,
    tolerate: Annotated[
        str | None,
        typer.Option(
            "--tolerate",
            metavar="SHARE",
            help="End with status 1 if the plan's own settings are farther than this beyond a limit of its [aim], "
            "such as 0% or 5%.",
            show_default=False,
        ),
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Replay a trace against settings: today's and every candidate, beside no cache and the ceilings.

    All look-ups are replayed, because they may share room. With --lookup, the tables show only these.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup

    Example: vestigo replay reads.csv --rules max_entries=500 --rules absolute=10m
    """
    from vestigo.arguments import argument
    from vestigo.choosing.compare import compare
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read
    from vestigo.cli.screen import Progress, note, save, show, show_json
    from vestigo.engine import key_by_key, write_read_by_read
    from vestigo.outcome.table_file import check_ending
    from vestigo.rules import Plan
    from vestigo.units import parse_share

    share = None if tolerate is None else float(argument("--tolerate", parse_share, tolerate))
    stated = plan_for(plan, rules, is_needed=True) or Plan()
    if reads is not None:
        check_ending(reads)
    with Progress() as progress:
        read_in = read(trace, stated, intake_options(intake, strict), progress)
        check_lookups(lookup, read_in)
        comparison = compare(read_in, stated, progress=progress.count)
        keys = key_by_key(read_in, stated) if by == "key" else None
        if reads is not None:
            progress.step("writing every read")
            note(f"{reads}: {write_read_by_read(read_in, stated, reads):,} reads under {stated.called.words}")
    if figure is not None:
        from vestigo.show.figures import timeline

        save(timeline(comparison[comparison.settings[0]])[0], figure, f"{stated.called.words} over time")
    if as_json:
        worst = {} if keys is None else {"worst_keys": keys.worst_to_dict(lookups=lookup)}
        show_json(comparison.to_dict() | worst)
    else:
        from vestigo.show import tables

        show(tables.comparison_text(comparison, None if by in (None, "key") else tables.By(by), lookup, keys))
    if share is not None and _breaks_limits(stated.aim, comparison, share):
        raise typer.Exit(1)


def _breaks_limits(aim: "Aim", comparison: "Comparison", share: float) -> bool:
    """Whether the plan's own settings are farther beyond a limit of its aim. Says so on stderr."""
    from vestigo.cli.screen import note
    from vestigo.measures import MEASURES, amount_of

    today, broken = comparison[comparison.settings[0]], False
    for limit in aim.each_limit:
        what, amount = MEASURES[limit.name], float(amount_of(today, limit.name))
        if what.of_staleness and not today.stale_known:
            note(f"{limit}: cannot be judged, because the trace shows no changes")
        elif (bounded := limit.beside(amount)).beyond(amount) > share:
            note(f"{bounded}: {comparison.called.words} have {what.amount_text(amount)}")
            broken = True
    return broken


VERB = Verb(
    3,
    "Replay settings on a trace.",
    replay,
    "0 done, 1 a limit of the plan's [aim] is not kept (with --tolerate), 2 wrong input, 130 interrupted",
)
