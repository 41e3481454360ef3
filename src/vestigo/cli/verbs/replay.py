"""``vestigo replay``: replays settings and candidates on a trace."""

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
    as_json: JsonOption = False,
) -> None:
    """Replay a trace against settings: today's and every candidate, beside no cache and the ceilings.

    All look-ups are replayed, because they may share room. With --lookup, the tables show only these.

    Example: vestigo replay skerrow-quay.parquet --plan plan.toml --by lookup

    Example: vestigo replay reads.csv --rules max_entries=500 --rules absolute=10m
    """
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read
    from vestigo.cli.screen import Progress, note, save, show, show_json
    from vestigo.engine import key_by_key, write_read_by_read
    from vestigo.outcome.table_file import check_ending
    from vestigo.rules import Plan
    from vestigo.study import compare

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
        return show_json(comparison.to_dict() | worst)
    from vestigo.show import tables

    return show(tables.comparison_text(comparison, None if by in (None, "key") else tables.By(by), lookup, keys))


VERB = Verb(3, "What settings would have given.", replay)
