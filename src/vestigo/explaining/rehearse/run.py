"""``rehearse``: how bad moments go with today's settings and with others."""

from collections.abc import Iterable, Iterator, Mapping, Sequence

from vestigo.arguments import argument
from vestigo.choosing.rehearsing.moments import BadMoment, bad_moments
from vestigo.choosing.rehearsing.rehearsed import Rehearsed
from vestigo.choosing.rehearsing.stage import CALM, Stage
from vestigo.engine.context import assumptions
from vestigo.engine.job import job
from vestigo.engine.what_if import applied, settled_plan
from vestigo.errors import RulesError
from vestigo.explaining.rehearse.helps import RunAll, helps
from vestigo.explaining.rehearse.rehearsal import Rehearsal
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.plan_parts import TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.threads import side_by_side
from vestigo.trace import Readable
from vestigo.trace.shape import Moment
from vestigo.units import Duration


def rehearse(  # noqa: PLR0913  # all but two by name
    trace: Readable,
    settings: Settings,
    *,
    moments: Iterable[str] | None = None,
    at: Moment | None = None,
    slow: Duration | str | None = None,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Rehearsal:
    """Replays bad moments at the worst time of the recording, with today's settings and with every candidate.

    Each moment (a ``node`` restarts, ``restart`` of all, ``clear``, ``outage``, ``slow`` origin, twice the
    ``readers``) happens at the beginning of the busiest minute, or `at` another time. `slow` is how long a read takes
    at most that is not slow, in place of what the plan's ``[origin]`` says. If nothing says how many calls the origin
    serves at a time, it is taken to serve as many as the recording shows, and `Rehearsal.assumptions` say so.
    `progress` is as in `sweep`.

    Raises RulesError if the settings do not fit the trace, and UnknownName for a moment that the trace cannot have.

    >>> from vestigo import Origin, Plan, Rules, synth
    >>> found = rehearse(synth(2_000, keys=50, seed=1), Plan(Rules(), origin=Origin(at_once=2)), moments=["restart"])
    >>> found.row("restart").waiting > found.row("").waiting
    True
    """
    stated = plan_of(settings, engine)
    given = trace_of(trace, stated)
    on, plan = applied(given, stated)
    if on.reads == 0:
        raise RulesError(f"{on.source} has no reads, so there is nothing to rehearse; give a trace with reads")
    candidates = {name: settled_plan(given, one.under(stated)) for name, one in stated.candidates.items()}
    limit = None if slow is None else argument("slow", Duration.parse, slow)
    stage = Stage.of(on, plan, at, limit)
    chosen = bad_moments(stage.trace, stage.at_ns, moments)
    with reporting(progress) as report, side_by_side() as threads:
        rows = list(_rows(stage, {TODAY: plan, **candidates}, chosen, threads.map, report))
        worst = max((row for row in rows if row.settings == TODAY and row.moment), key=lambda row: row.suffering)
        moment = next(one for one in chosen if one.name == worst.moment)
        report("what helps", 0, 0)
        helping = helps(stage, plan, moment, worst, threads.map) if worst.suffering > (0, 0.0) else []
    set_plan = stage.set(plan)
    origins = (set_plan.origin, *set_plan.origins.values())
    return Rehearsal(
        at_ns=stage.at_ns,
        why_then=stage.why_then,
        ends_ns=stage.ends_ns,
        slow_ns=int(set_plan.origin.slow),
        places=sum(one.at_once or 0 for one in origins),
        rows=rows,
        helps=helping,
        assumptions=(*stage.assumptions, *assumptions(job(stage.trace, set_plan))),
    )


def _rows(
    stage: Stage,
    plans: Mapping[str, Plan],
    moments: Sequence[BadMoment],
    run_all: RunAll,
    report: Progress,
) -> Iterator[Rehearsed]:
    """Each of the settings in calm times, and in each moment."""
    asked = [(name, moment) for moment in (CALM, *moments) for name in plans]
    found = {}
    for done, (key, outcome) in enumerate(
        zip(asked, run_all(lambda one: stage.replayed(plans[one[0]], one[1]), asked), strict=True), 1
    ):
        found[key] = outcome
        report("moments", done, len(asked))
    for name in plans:
        for moment in (CALM, *moments):
            yield stage.told(name, moment, found[name, moment], found[name, CALM])
