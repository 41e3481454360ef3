"""``vestigo survey``: what is in a trace, and which look-ups are worth a cache."""

from vestigo.cli.options import (
    FigureOption,
    IntakeOption,
    JsonOption,
    LookupOption,
    PlanOption,
    StrictOption,
    TraceArgument,
)
from vestigo.cli.verbs import Verb


def survey(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    lookup: LookupOption = None,
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Show what repeats, costs, changes and finds nothing, look-up by look-up, with a verdict on each.

    Example: vestigo survey vestigo-demo/skerrow-quay.parquet
    """
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read
    from vestigo.cli.screen import Progress, save, show, show_json
    from vestigo.describing.survey import survey as survey_of
    from vestigo.trace import shape

    with Progress() as progress:
        read_in = read(trace, plan_for(plan), intake_options(intake, strict), progress)
        check_lookups(lookup, read_in)
        chosen = shape.only(read_in, lookups=lookup) if lookup else read_in
        progress.step(f"counting {len(chosen):,} events")
        found = survey_of(chosen)
    if figure is not None:
        from vestigo.show.figures import survey

        save(survey(found)[0], figure, "a page of figures")
    if as_json:
        return show_json(found.to_dict())
    from vestigo.show.survey import survey_text

    return show(survey_text(found))


VERB = Verb(2, "What is in a trace, and what is worth a cache.", survey)
