"""``vestigo replay``: replays settings and candidates on a trace."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from vestigo.cli.call import SETTINGS, Call, asks, share
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from vestigo.choosing.compare import Comparison
    from vestigo.rules import Aim


@asks(*SETTINGS, "lookup", ..., "figure", "as_json")
def replay(
    call: Call,
    by: Annotated[
        Literal["lookup", "key", "scope", "time"] | None,
        typer.Option(
            "--by",
            help="Add tables: for each look-up, for the keys that lose most, for scopes, or over time.",
            show_default=False,
        ),
    ] = None,
    reads: Annotated[
        Path | None,
        typer.Option(
            "--reads",
            metavar="FILE",
            help="Also write a file with what happened at each read under the plan's own settings: .parquet, .csv or "
            ".arrow.",
            show_default=False,
        ),
    ] = None,
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
) -> None:
    """Replay a trace against settings: today's and every candidate, beside no cache and the ceilings.

    All look-ups are replayed, because they may share room. With --lookup, the tables show only these.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup

    Example: vestigo replay reads.csv --rules max_entries=500 --rules absolute=10m
    """
    from vestigo.choosing.compare import compare
    from vestigo.cli.screen import Progress, note, save
    from vestigo.engine import key_by_key, write_read_by_read
    from vestigo.outcome.table_file import check_ending
    from vestigo.show import tables

    most = share("--tolerate", tolerate)
    plan = call.settings
    if reads is not None:
        check_ending(reads)
    with Progress() as progress:
        trace = call.read(progress)
        comparison = compare(trace, plan, progress=progress.count)
        keys = key_by_key(trace, plan) if by == "key" else None
        if reads is not None:
            progress.step("writing every read")
            note(f"{reads}: {write_read_by_read(trace, plan, reads):,} reads under {plan.called.words}")
    if call.figure is not None:
        from vestigo.show.figures import timeline

        save(timeline(comparison[comparison.settings[0]])[0], call.figure, f"{plan.called.words} over time")
    worst = {"worst_keys": keys.worst_to_dict(lookups=call.lookup)} if keys is not None and call.as_json else {}
    call.answer(
        comparison.to_dict() | worst if call.as_json else comparison,
        lambda found: tables.comparison_text(found, None if by == "key" else by, call.lookup, keys),
    )
    if most is not None and _breaks_limits(plan.aim, comparison, most):
        raise typer.Exit(1)


def _breaks_limits(aim: "Aim", comparison: "Comparison", share: float) -> bool:
    """Whether the plan's own settings are farther beyond a limit of its aim. Says so on stderr."""
    from vestigo.cli.screen import note
    from vestigo.measures import MEASURES, amount_of, is_told

    today, broken = comparison[comparison.settings[0]], False
    for limit in aim.each_limit:
        what, amount = MEASURES[limit.name], float(amount_of(today, limit.name))
        if not is_told(limit.name, today):
            why = "the trace shows no changes" if what.of_staleness else "the plan states no [origin]"
            note(f"{limit}: cannot be judged, because {why}")
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
