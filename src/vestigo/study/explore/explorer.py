"""``Explorer``: an open trace, and the settings that are tried on it. A replay measures each."""

import dataclasses
from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from threading import Lock
from typing import Any

from vestigo.engine.job import job
from vestigo.engine.ready import prepare
from vestigo.engine.replay import run, run_until
from vestigo.engine.stop import Stop
from vestigo.engine.what_if import changed_trace, settled_plan
from vestigo.errors import InputError, RulesError
from vestigo.outcome import Outcome
from vestigo.rules import Plan, Rules, WhatIf
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import changed
from vestigo.study.candidates import TODAY, Candidate, Progress
from vestigo.study.compare import references
from vestigo.study.curve import SizeCurve, size_curve
from vestigo.study.estimate import Estimate
from vestigo.study.key_sample import KeySample
from vestigo.study.run_sweep import known, sweep
from vestigo.trace import Readable, Trace
from vestigo.units import LONGEST, Duration

LONG = 2_000_000
"""Of a trace of more events, a sample answers first."""
_SAMPLE = "1%"
_FREEST = (
    Plan(Rules(per="all", survives_restart=True)),
    Plan(Rules(tell_nodes="copy", tell_delay=Duration(LONGEST))),
)
"""What they allow together bounds all that knobs can be turned to: one cache for all, and news that outlive a clear."""
_MOST_SURROUNDINGS = 4
"""So many are kept: each holds a trace."""

Changes = Mapping[str, Any]


class Surroundings:
    """A trace under some circumstances (`WhatIf`), and what settings are compared with there."""

    def __init__(self, given: Trace, plan: Plan) -> None:
        self.plan = plan
        """Today's settings, with the circumstances."""
        self._given = given
        self._lock = Lock()

    @cached_property
    def trace(self) -> Trace:
        """The trace that is replayed. It is made when it is asked for, so nobody waits for someone else's
        circumstances.
        """
        return changed_trace(self._given, self.plan.what_if)

    def settled(self, plan: Plan) -> Plan:
        """The settings in the form in which they are replayed on `trace`. Raises RulesError."""
        return settled_plan(self._given, plan)

    @cached_property
    def today(self) -> Outcome:
        """What today's settings give."""
        return run(self.trace, job(self.trace, self.settled(self.plan)), "native", TODAY)

    @cached_property
    def ceilings(self) -> Mapping[str, Outcome]:
        """The ceilings by measure: the hit rate without limits, and the fresh hits."""
        _, *ideals = references(self.trace, self.settled(self.plan), _FREEST)
        made = zip(("hit_rate", "fresh_hit_rate"), (ideal() for ideal in ideals), strict=True)
        return {name: run(*asked, "native", name) for name, asked in made}

    @cached_property
    def curves(self) -> Mapping[str, SizeCurve]:
        """The hit rate at every size for each look-up."""
        plan = self.settled(self.plan)
        return {name: size_curve(self.trace, plan, lookup=name) for name in self.trace.lookups}

    def ready(self) -> None:
        """Works out what is shown beside every replay, and the sample."""
        _ = self.today, self.ceilings, self.curves
        self.estimate(self.plan)

    @cached_property
    def _sample(self) -> KeySample:
        return KeySample(self.trace, _SAMPLE)

    def estimate(self, plan: Plan) -> Estimate | None:
        """What a sample says before a long replay is done. None for a short trace, and for settings that a sample
        cannot estimate.
        """
        if len(self.trace) <= LONG:
            return None
        with self._lock:
            sample = self._sample
        try:
            return sample.estimate(self.settled(plan))
        except RulesError:
            return None

    def replay(self, plan: Plan, stop: Stop) -> Outcome:
        """Raises Interrupted if it is told to stop, and RulesError if the settings do not fit the trace."""
        asked = job(self.trace, self.settled(plan))
        with self._lock:
            prepare(self.trace, [asked])
        return run_until(self.trace, asked, "now", stop)


class Explorer:
    """An open trace, with today's settings and what is known of others.

    `results` names the file of an earlier sweep. Its candidates can be compared with.

    >>> from vestigo import Rules, synth
    >>> explorer = Explorer(synth(2_000, keys=100, seed=1), Rules(max_entries=10))
    >>> plan = explorer.asked({"rules.max_entries": 20})
    >>> explorer.around(plan.what_if).replay(plan, Stop()).hit_rate > explorer.today.hit_rate
    True
    """

    def __init__(
        self,
        trace: Readable,
        settings: Settings,
        *,
        results: str | Path | None = None,
        progress: Progress | None = None,
    ) -> None:
        """Raises InputError for a trace without reads, and RulesError if the settings do not fit it."""
        plan = plan_of(settings)
        self.trace = trace_of(trace, plan)
        if self.trace.reads == 0:
            raise InputError(f"{self.trace.source}: holds no reads, so there is nothing to explore")
        self.plan = dataclasses.replace(plan, candidates={}, vary={})
        only = known(self.trace, plan, results) if results is not None and Path(results).exists() else []
        self.known: list[Candidate] = []
        """The plan's candidates, and those of the earlier sweep."""
        if only or plan.candidates:
            found = sweep(self.trace, plan, only=only, results=results if only else None, progress=progress)
            self.known = [one for name, one in found.items() if name != TODAY]
        self._kept: dict[str, Surroundings] = {}
        self._lock = Lock()
        self.around(plan.what_if).ready()

    @property
    def today(self) -> Outcome:
        return self.around(self.plan.what_if).today

    def asked(self, changes: Changes, circumstances: Changes | None = None) -> Plan:
        """Today's settings with changes by dotted key, under circumstances by name. A value of None means as recorded.
        Raises RulesError.
        """
        plan = changed(self.plan, changes)
        if not circumstances:
            return plan
        stated = {name: getattr(self.plan.what_if, name) for name in self.plan.what_if.model_fields_set}
        changed_ones = {name: one for name, one in {**stated, **circumstances}.items() if one is not None}
        return dataclasses.replace(plan, what_if=WhatIf(**changed_ones))

    def around(self, what_if: WhatIf) -> Surroundings:
        """The trace under these circumstances. The last few are kept."""
        name = repr(what_if)
        with self._lock:
            found = self._kept.pop(name, None) or Surroundings(
                self.trace, dataclasses.replace(self.plan, what_if=what_if)
            )
            self._kept[name] = found  # the newest stands last
            while len(self._kept) > _MOST_SURROUNDINGS:
                del self._kept[next(iter(self._kept))]
        return found
