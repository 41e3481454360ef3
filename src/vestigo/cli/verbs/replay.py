"""``vestigo replay``: settings and candidates on a trace."""

from vestigo.cli.options import (
    ByOption,
    FigureOption,
    IntakeOption,
    JsonOption,
    LookupOption,
    PlanOption,
    RulesOption,
    StrictOption,
    TraceArgument,
)
from vestigo.cli.verbs import Verb


def replay(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    lookup: LookupOption = None,
    by: ByOption = None,
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Replay a trace against settings: today's and every candidate, beside no cache and the ceilings.

    All look-ups are replayed, for they may share room; with --lookup the tables are of those alone.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup

    Example: vestigo replay reads.csv --rules max_entries=500 --rules absolute=10m
    """
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read
    from vestigo.cli.screen import Progress, save, show, show_json
    from vestigo.rules import Plan
    from vestigo.study import compare

    stated = plan_for(plan, rules, is_needed=True) or Plan()
    with Progress() as progress:
        read_in = read(trace, stated, intake_options(intake, strict), progress)
        check_lookups(lookup, read_in)
        comparison = compare(read_in, stated, progress=progress.count)
    if figure is not None:
        from vestigo.show.figures import timeline

        save(timeline(comparison[comparison.settings[0]])[0], figure, "today's settings over time")
    if as_json:
        return show_json(comparison.to_dict())
    from vestigo.show import tables

    return show(tables.comparison_text(comparison, None if by is None else tables.By(by), lookup))


VERB = Verb(3, "What settings would have given.", replay)
