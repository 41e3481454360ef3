"""``vestigo sweep``: many candidates, side by side."""

from vestigo.cli.options import (
    ClusterOption,
    FigureOption,
    IntakeOption,
    JsonOption,
    NoResultsOption,
    PlanOption,
    RestOption,
    ResultsOption,
    RulesOption,
    SampleOption,
    StrictOption,
    TraceArgument,
    YesOption,
)
from vestigo.cli.verbs import Verb


def sweep(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    sample: SampleOption = None,
    rest: RestOption = "40%",
    results: ResultsOption = None,
    no_results: NoResultsOption = False,
    yes: YesOption = False,
    cluster: ClusterOption = None,
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Replay every candidate and every combination of what varies, and show those that no other beats.

    Example: vestigo sweep skerrow-quay.parquet --plan plan.toml
    """
    from vestigo.cli.asked import intake_options, plan_for
    from vestigo.cli.screen import save, show, show_json
    from vestigo.cli.swept import Asked, swept
    from vestigo.rules import Plan

    asked = Asked(
        trace=trace,
        plan_path=plan,
        plan=plan_for(plan, rules, is_needed=True) or Plan(),
        intake=intake_options(intake, strict),
        rest=rest,
        results=results,
        no_results=no_results,
        yes=yes,
        sample=sample,
        cluster=cluster,
    )
    found, _ = swept(asked)
    if figure is not None:
        from vestigo.show.figures import front

        save(front(found), figure, "all candidates, and those that no other beats")
    if as_json:
        return show_json(found.to_dict(), found.notes)
    from vestigo.show.study import sweep_text

    return show(sweep_text(found))


VERB = Verb(5, "Replay every combination; show the best trade-offs.", sweep)
