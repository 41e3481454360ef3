"""``vestigo survey``: what is in a trace, and which look-ups are worth a cache."""

from vestigo.cli.call import Call, asks
from vestigo.cli.verbs import Verb


@asks("trace", "plan_path", "intake", "strict", "lookup", "figure", "costs_to", "as_json")
def survey(call: Call) -> None:
    """Show what repeats, costs, changes and finds nothing, look-up by look-up, with a verdict on each.

    Example: vestigo survey vestigo-demo/skerrow-quay.parquet
    """
    from vestigo.cli.screen import Progress, save, show
    from vestigo.describing.survey import survey as survey_of
    from vestigo.show.grid import WIDTH
    from vestigo.show.safe import command_text
    from vestigo.show.survey import survey_text
    from vestigo.trace import shape

    with Progress() as progress:
        trace = call.read(progress)
        chosen = shape.only(trace, lookups=call.lookup) if call.lookup else trace
        progress.step(f"counting {len(chosen):,} events")
        surveyed = survey_of(chosen)
    if call.figure is not None:
        from vestigo.show.figures import survey as survey_figure

        save(survey_figure(surveyed)[0], call.figure, "a page of figures")
    call.write_costs({} if surveyed.hits is None else surveyed.hits.rules)
    call.answer(surveyed, survey_text)
    if not call.as_json and surveyed.total.reads:
        words = command_text(["vestigo", "choose", *call.words], 2, WIDTH)
        show(f"\nNext, the settings to take, and how good they are:\n{words}")


VERB = Verb(2, "What is in a trace, and what is worth a cache.", survey)
