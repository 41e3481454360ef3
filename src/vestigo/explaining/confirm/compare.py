"""``confirm``: does a running cache give what the replay of its plan predicts? If not, what explains the difference?"""

import dataclasses
from collections.abc import Sequence

from vestigo.arguments import argument
from vestigo.engine import what_if
from vestigo.engine.context import assumptions
from vestigo.engine.job import job
from vestigo.errors import InputError
from vestigo.explaining.confirm.confirmation import Confirmation, Try
from vestigo.explaining.confirm.counters import Counters, read_counters
from vestigo.explaining.confirm.expected import nodes_of
from vestigo.explaining.confirm.measured import Measured
from vestigo.explaining.confirm.predicted import Time, predict
from vestigo.explaining.confirm.tries import tries
from vestigo.prepared.counting import first_counted
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Readable, Trace
from vestigo.units import SECOND, format_time, parse_share


def confirm(  # noqa: PLR0913  # options by name
    trace: Readable,
    settings: Settings,
    counters: object,
    *,
    tolerate: str = "1%",
    nodes: Sequence[str] | None = None,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Confirmation:
    """Compares the counters of a running cache with what its settings give on a trace of the same time.

    `counters` are scrapes of at least two moments: a file, a folder of them, several files, or records with ``at``,
    maybe ``lookup``, and counters by name. Files are text of Prometheus or OpenMetrics, CSV or JSON. The plan's
    `counters` say which counter means what.

    Fewer reads than tell anything are neither as predicted nor otherwise.

    Rates are compared over the time between the first scrape and the last. What the trace has before is replayed but
    not counted. A rate differs if the difference is more than chance and more than `tolerate`, a share of the reads.
    Chance is what other requests of the same kind would have given, in the service and in the trace: where all is as
    predicted, a rate differs in 5 of 100 cases. If any rate differs, replays look for what would explain it.

    Raises InputError for counters that cannot be compared, and RulesError if the settings do not fit the trace.

    >>> import vestigo as vg
    >>> trace = vg.synth(reads=1000, keys=50, seed=1)
    >>> running = vg.replay(trace, vg.Rules(max_entries=10))
    >>> begin, end = int(trace.at[0]) / 1e9, (int(trace.at[-1]) + 1) / 1e9
    >>> counted = [{"at": begin, "hits": 0, "misses": 0}, {"at": end, "hits": running.hits, "misses": running.misses}]
    >>> vg.confirm(trace, vg.Rules(max_entries=10), counted).is_as_predicted
    True
    >>> vg.confirm(trace, vg.Rules(max_entries=20), counted).tries[0].what
    'it runs with max_entries = 10'
    """
    share = float(argument("tolerate", parse_share, tolerate))
    stated = plan_of(settings, engine)
    known = counters if isinstance(counters, Counters) else read_counters(counters, stated.counters)
    on, plan = what_if.applied(trace_of(trace, stated), stated)
    with reporting(progress) as report:
        return _confirmed(on, plan, known, share, None if nodes is None else nodes_of(on, plan, nodes), report)


def _confirmed(  # noqa: PLR0913, PLR0917  # all that is known by then
    on: Trace, plan: Plan, known: Counters, share: float, nodes: tuple[int, ...] | None, report: Progress
) -> Confirmation:
    time = dataclasses.replace(Time.of(on, known.at_ns, first_counted(on, plan.warm_up)), nodes=nodes)
    report("replaying the settings", 0, 0)
    today = predict(on, plan, time)
    if not today.hits[None].of.sum():
        raise InputError(
            f"the trace has no reads between {format_time(int(known.at_ns[0]))} and "
            f"{format_time(int(known.at_ns[-1]))}, when the counters were read; give one of that time"
        )
    measured = Measured(known, on, time)
    measured.check()
    compared = list(measured.compared(today, share))
    explanations: list[Try] = []
    if any(one.differs for one in compared):
        report("looking for an explanation", 0, 0)
        explanations = tries(on, plan, time, measured, today)
    return Confirmation(
        compared=compared,
        off=measured.off(today),
        tries=explanations,
        reads=(float(measured.hits[None].of.sum()), float(today.hits[None].of.sum())),
        seconds=(int(known.at_ns[-1]) - int(known.at_ns[0])) / SECOND,
        scrapes=len(known.at_ns),
        settings=plan,
        notes=(*measured.notes(today), *assumptions(job(on, plan))),
    )
