"""Where bad moments are rehearsed: the trace up to a while after them, and the circumstances of all settings."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from vestigo.choosing.rehearsing.moments import BadMoment
from vestigo.choosing.rehearsing.recovery import recovery_ns
from vestigo.choosing.rehearsing.rehearsed import Course, Rehearsed
from vestigo.choosing.rehearsing.worst import AFTER, most_at_once, worst_minute
from vestigo.engine.few_traces import FewTraces
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.errors import RulesError
from vestigo.outcome import Outcome
from vestigo.prepared.counting import first_counted
from vestigo.rules import Plan
from vestigo.trace import Trace
from vestigo.trace.shape import Moment, moment_in
from vestigo.units import SECOND, Duration, counted, format_time

CALM = BadMoment("", "nothing bad", lambda on: on, lambda plan: plan)
"""The same time without a bad moment."""
_MOST_MOMENTS = 8


@dataclass(frozen=True, eq=False)
class Stage:
    """The trace up to a while after a bad moment. What a moment makes of it is made once for all settings, unless the
    trace is so long that only the last is kept.
    """

    trace: Trace
    at_ns: int
    why_then: str
    slow: Duration | None
    """Reads that take longer are slow, whatever the plan says."""
    places_assumed: int
    """How many calls the origin serves at a time, where nothing says it. 0 if something does."""
    _made: FewTraces[Trace] = field(init=False, repr=False, default_factory=lambda: FewTraces(_MOST_MOMENTS))

    @classmethod
    def of(cls, trace: Trace, plan: Plan, at: Moment | None, slow: Duration | None) -> "Stage":
        """Raises RulesError for a time that is not within the trace."""
        at_ns, why_then = _moment(trace, plan, at)
        until = int(np.searchsorted(trace.at, at_ns + AFTER, side="right"))
        is_stated = any(one.at_once is not None for one in (plan.origin, *plan.origins.values()))
        on = trace if until == len(trace) else trace.block(0, until)  # what is known of the whole serves it, too
        return cls(on, at_ns, why_then, slow, 0 if is_stated else most_at_once(trace))

    @property
    def ends_ns(self) -> int:
        return int(self.trace.at[-1])

    def set(self, plan: Plan) -> Plan:
        """The settings of a plan in the circumstances of the stage. Counting begins at the moment."""
        assumes = self.places_assumed and plan.origin.at_once is None
        more: Mapping[str, object] = {"at_once": self.places_assumed} if assumes else {}
        more = {**more, **({} if self.slow is None else {"slow": self.slow})}
        origins = {
            name: one.model_copy(update={} if self.slow is None else {"slow": self.slow})
            for name, one in plan.origins.items()
        }
        warm_up = Duration(self.at_ns - int(self.trace.at[0]))
        return replace(
            plan, origin=plan.origin.model_copy(update=more), origins=origins, warm_up=warm_up, candidates={}, vary={}
        )

    def replayed(self, plan: Plan, moment: BadMoment) -> Outcome:
        on = self._made.get(moment.name, lambda: moment.on(self.trace))
        return run(job(on, moment.under(self.set(plan))), moment.words)

    def told(self, settings: str, moment: BadMoment, found: Outcome, calm: Outcome) -> Rehearsed:
        """How a moment went, beside the same time without it."""
        slices, width_ns = found.slices, _width_ns(calm)
        return Rehearsed(
            moment=moment.name,
            words=moment.words,
            settings=settings,
            reads=found.reads,
            busiest_second=found.surge_second,
            waiting=found.waiting_peak,
            failed=found.failed,
            slow=found.slow_reads,
            recovery_ns=recovery_ns(slices, calm.slices, self.at_ns, self.ends_ns, width_ns),
            course=Course(
                slices.column("begins_ns"),
                [one.read_time(95) for one in slices],
                slices.column("waiting_peak"),
                slices.column("loads"),
                slices.column("failed"),
            ),
        )

    @property
    def assumptions(self) -> tuple[str, ...]:
        if not self.places_assumed:
            return ()
        return (
            f"an origin that serves {counted(self.places_assumed, 'call')} at a time, the most that the recording "
            "shows at once: state at_once in [origin]",
        )


def _width_ns(found: Outcome) -> int:
    """How wide its slices are. Only the first and the last may be narrower."""
    widths = [one.ends_ns - one.begins_ns for one in found.slices]
    return max([SECOND, *widths])


def _moment(trace: Trace, plan: Plan, at: Moment | None) -> tuple[int, str]:
    begin, end = int(trace.at[0]), int(trace.at[-1])
    if at is None:
        warm = int(trace.at[min(first_counted(trace, plan.warm_up), len(trace) - 1)])
        return worst_minute(trace, warm), "the busiest minute"
    at_ns = moment_in(trace, "at", at) // 10**6 * 10**6
    if not begin <= at_ns < end:
        raise RulesError(
            f"at: {format_time(at_ns)} is not within the trace, which goes from {format_time(begin)} to "
            f"{format_time(end)}; choose a time in it"
        )
    return at_ns, "as asked"
