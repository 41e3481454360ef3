"""``compare``: today's settings and every candidate, beside no cache and the ceilings."""

from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from concurrent.futures import as_completed
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from vestigo.choosing import ceilings as bounds
from vestigo.choosing.most_hits import most_hits
from vestigo.data import Data, Told
from vestigo.engine.job import Job, job
from vestigo.engine.known_parts import held
from vestigo.engine.ready import prepare
from vestigo.engine.replay import run, works_of
from vestigo.engine.what_if import applied, settled_plan
from vestigo.errors import raise_for_unknown
from vestigo.outcome import Outcome
from vestigo.prepared.fill import assume
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan, WhatIf
from vestigo.rules.plan import Called, Engine
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL, NO_CACHE, TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.threads import side_by_side
from vestigo.trace import Op, Readable, Trace

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Comparison(Data, Mapping[str, Outcome]):
    """Outcomes of one trace by name: ``no cache``, ``today``, the candidates, the ceilings."""

    outcomes: Mapping[str, Outcome]
    most_hits: Mapping[str, int]
    """For each setting, the most hits that any policy, lifetimes and conditions can have within its limits
    (`most_hits`).
    """
    what_if: WhatIf = WhatIf()
    """The circumstances that differed from the trace."""
    scopes: int = 0
    """How many scopes the counted reads name."""
    called: Called = field(default=Called(), compare=False)
    """What outputs call today's settings."""

    def __getitem__(self, name: str) -> Outcome:
        """An outcome by name. Raises UnknownName."""
        if name not in self.outcomes:
            raise_for_unknown("settings", name, self.outcomes)
        return self.outcomes[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.outcomes)

    def __len__(self) -> int:
        return len(self.outcomes)

    @property
    def baseline(self) -> Outcome:
        """The same reads with no cache."""
        return self[NO_CACHE]

    @property
    def settings(self) -> list[str]:
        """The names of today's settings and of the candidates."""
        others = (NO_CACHE, KEEP_ALL, ALWAYS_FRESH)
        return [name for name in self if name not in others]

    @property
    def ceilings(self) -> list[str]:
        return [KEEP_ALL, ALWAYS_FRESH]

    def to_dict(self) -> Told:
        """The `to_dict` of each outcome, by name. Those of settings have `most_hits` too."""
        most = self.most_hits
        return {
            name: outcome.to_dict() | ({"most_hits": most[name]} if name in most else {})
            for name, outcome in self.items()
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each setting. Nested measures have names like ``read_time.p95``."""
        import pandas as pd

        frame = pd.concat([outcome.to_pandas().loc[["all"]] for outcome in self.values()])
        return frame.set_index(pd.Index(list(self), name="settings"))

    def __repr__(self) -> str:
        return f"<Comparison of {len(self.settings)} settings: {self[self.settings[0]]!r}>"


def compare(
    trace: Readable, settings: Settings, *, engine: Engine = "native", progress: Progress | bool | None = None
) -> Comparison:
    """Replays the plan's own settings, every candidate, the baseline and the ceilings.

    `progress` is as in `sweep`. Raises RulesError if the settings do not fit the trace.

    >>> from vestigo import Rules, read_trace
    >>> trace = read_trace({"at": [0, 10, 20, 30], "key": ["a", "b", "a", "b"]})
    >>> results = compare(trace, Plan(Rules(max_entries=1)))
    >>> {name: outcome.hits for name, outcome in results.items()}
    {'no cache': 0, 'today': 0, 'no limits': 2, 'no limits, fresh': 2}
    """
    stated = plan_of(settings, engine)
    given = trace_of(trace, stated)
    trace, plan = applied(given, stated)
    candidates = {name: settled_plan(given, one.under(stated)) for name, one in stated.candidates.items()}
    plans = {TODAY: plan, **candidates}
    jobs = {name: job(trace, one) for name, one in plans.items()}
    others = references(trace, plan, list(plans.values()))
    if len(jobs) > 1:
        prepare(jobs.values())
    with reporting(progress) as report, side_by_side() as pool, held():
        # What takes longest begins first.
        futures = {ALWAYS_FRESH: pool.submit(others[ALWAYS_FRESH])}
        bounded = {name: pool.submit(most_hits, trace, one) for name, one in plans.items()}
        alike = [others[name].make() for name in (KEEP_ALL, NO_CACHE) if not others[name].is_known]
        works = works_of([*jobs.values(), *alike])
        parts = [pool.submit(work) for work in works]
        for done, part in enumerate(as_completed(parts), 1):
            part.result()
            report("parts", done, len(parts))
        futures[KEEP_ALL] = pool.submit(others[KEEP_ALL])
        futures |= {name: pool.submit(run, one, name) for name, one in jobs.items()}
        futures[NO_CACHE] = pool.submit(others[NO_CACHE])
        for done, _ in enumerate(as_completed(futures.values()), 1):
            report("replays", done, len(futures))
        return Comparison(
            {name: futures[name].result() for name in (NO_CACHE, *plans, KEEP_ALL, ALWAYS_FRESH)},
            {name: future.result() for name, future in bounded.items()},
            stated.what_if,
            _scopes(jobs[TODAY]),
            plan.called,
        )


def _scopes(today: Job) -> int:
    counted = slice(today.first_counted, None)
    named = today.trace.scope[counted][today.trace.op[counted] == Op.READ]
    return len(np.unique(named[named >= 0]))


@dataclass(frozen=True)
class Reference:
    """What settings are compared with. It is replayed when it is called, and once for a trace and these settings."""

    trace: Trace
    name: str
    stated: str
    """All that it depends on, besides the trace."""
    make: Callable[[], Job]
    """How it is replayed."""

    def __call__(self) -> Outcome:
        return self.trace.once(self._kept_as, lambda: run(self.make(), self.name))

    @property
    def is_known(self) -> bool:
        return self._kept_as in self.trace.kept

    @property
    def _kept_as(self) -> Hashable:
        return "reference", self.name, self.stated


def references(trace: Trace, plan: Plan, settings: Sequence[Plan]) -> dict[str, Reference]:
    """What `settings` are compared with: no cache, no limits, and no limits but fresh."""
    ideal = bounds.ceiling(trace, plan, settings)

    def always_fresh() -> Job:
        versions = bounds.with_versions_as_keys(ideal.trace, assume(ideal.trace, plan))
        return ideal.job(versions)

    made: dict[str, Callable[[], Job]] = {
        NO_CACHE: lambda: bounds.no_cache(trace, plan),
        KEEP_ALL: lambda: ideal.job(ideal.trace),
        ALWAYS_FRESH: always_fresh,
    }
    stated = repr([plan.replayed_to_dict(), *ideal.stated])
    return {name: Reference(trace, name, stated, make) for name, make in made.items()}
