"""``Explorer``: an open trace, and the settings that are tried on it. A replay measures each."""

import dataclasses
from collections.abc import Mapping
from pathlib import Path
from threading import Lock

import numpy as np

from vestigo.choosing.best_within import BestWithin
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.compare import references
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.key_sample import SAMPLES, KeySample
from vestigo.choosing.run_sweep import known, sweep
from vestigo.engine.changes import changes_of, together
from vestigo.engine.job import job
from vestigo.engine.ready import prepare
from vestigo.engine.replay import run
from vestigo.engine.size_curve import SizeCurve, size_curve
from vestigo.engine.what_if import EVENT_BYTES, changed_trace, settled_plan
from vestigo.errors import InputError, RulesError
from vestigo.machine import memory_bytes
from vestigo.outcome import Outcome
from vestigo.progress import Progress
from vestigo.rules import Plan, Rules, WhatIf
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL, TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import Changes, is_searched
from vestigo.stopping import Once, check, holding
from vestigo.threads import each_side_by_side
from vestigo.trace import Readable, Trace
from vestigo.units import LONGEST, Duration

LONG = 2_000_000
"""Of a trace of more events, a sample answers first."""
_SAMPLE = "1%"
_MOST_SAMPLED = 0.5
"""Of the events: a sample with more of them, where few keys are read most, is not much quicker than a replay."""
_FEWEST_SAMPLES = 2
"""A single one cannot tell how far off it is."""
_FREEST = (
    Plan(Rules(per="all", survives_restart=True)),
    Plan(Rules(tell_nodes="copy", tell_delay=Duration(LONGEST))),
)
"""What they allow together with today's preloads bounds all that knobs can be turned to: one cache for all, and news
that outlive a clear.
"""
_MOST_SURROUNDINGS = 4
"""So many are kept, and fewer if they are large: each holds a trace."""


def most_bytes() -> int:
    """What one trace under other circumstances may take, and what those that are kept may take together."""
    return max(memory_bytes() // 4, 1 << 30)


class Surroundings:
    """A trace under some circumstances (`WhatIf`), and what settings are compared with there.

    All of it is made when it is first asked for. Work on it can be stopped (`vestigo.stopping`).
    """

    def __init__(self, given: Trace, plan: Plan) -> None:
        self.plan = plan
        """Today's settings, with the circumstances."""
        self._given = given
        self._trace = Once(lambda: changed_trace(given, plan.what_if, most_bytes()))
        self._today = Once(lambda: run(job(self.trace, self.settled(plan)), TODAY))
        self._ceilings, self._curves, self._sample = Once(self._ideals), Once(self._all_curves), Once(self._few_keys)
        self._lock = Lock()

    @property
    def trace(self) -> Trace:
        """The trace that is replayed."""
        return self._trace.get()

    @property
    def is_made(self) -> bool:
        return self._trace.is_made

    def settled(self, plan: Plan) -> Plan:
        """The settings in the form in which they are replayed on `trace`. Raises RulesError."""
        return settled_plan(self._given, plan)

    @property
    def today(self) -> Outcome:
        """What today's settings give."""
        return self._today.get()

    @property
    def ceilings(self) -> Mapping[str, Outcome]:
        """The ceilings by measure: the hit rate without limits, and the fresh hits."""
        return self._ceilings.get()

    @property
    def curves(self) -> Mapping[str, SizeCurve]:
        """The hit rate at every size for each look-up."""
        return self._curves.get()

    def _ideals(self) -> Mapping[str, Outcome]:
        today = self.settled(self.plan)
        ideals = references(self.trace, today, (*_FREEST, today))
        return {"hit_rate": ideals[KEEP_ALL](), "fresh_hit_rate": ideals[ALWAYS_FRESH]()}

    def _all_curves(self) -> Mapping[str, SizeCurve]:
        plan = self.settled(self.plan)

        def curve(name: str) -> SizeCurve:
            check()
            return size_curve(self.trace, plan, lookup=name)

        return dict(zip(self.trace.lookups, each_side_by_side(curve, self.trace.lookups), strict=True))

    def _few_keys(self) -> KeySample | None:
        share = KeySample(self.trace, _SAMPLE).share_of_events
        if share > _MOST_SAMPLED:
            return None
        samples = int(np.clip(1 / share, _FEWEST_SAMPLES, SAMPLES))  # together at most about as long as a replay
        return KeySample(self.trace, _SAMPLE, samples=samples)

    @property
    def is_long(self) -> bool:
        """Whether a sample answers first."""
        return len(self.trace) > LONG

    @property
    def is_ready(self) -> bool:
        return self._today.is_made and self._ceilings.is_made and self._curves.is_made

    def ready(self) -> None:
        """Works out the sample, and what is shown beside every replay."""
        self.estimate(self.plan)
        _ = self.today, self.curves, self.ceilings

    def estimate(self, plan: Plan) -> Estimate | None:
        """What a sample says before a long replay is done. None for a short trace, for one that has no small sample,
        and for settings that a sample cannot estimate.
        """
        if not self.is_long or (sample := self._sample.get()) is None:
            return None
        try:
            return sample.estimate(self.settled(plan))
        except RulesError:
            return None

    def replay(self, plan: Plan) -> Outcome:
        """Raises RulesError if the settings do not fit the trace."""
        asked = job(self.trace, self.settled(plan))
        with holding(self._lock):
            prepare([asked])
        return run(asked, "now")


class Explorer:
    """An open trace, with today's settings and what is known of others.

    `results` names the file of an earlier sweep. Its candidates can be compared with.

    >>> from vestigo import Rules, synth
    >>> explorer = Explorer(synth(2_000, keys=100, seed=1), Rules(max_entries=10))
    >>> plan = explorer.asked({"rules.max_entries": 20})
    >>> explorer.around(plan.what_if).replay(plan).hit_rate > explorer.today.hit_rate
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
        searched = dataclasses.replace(plan, candidates={}, vary=plan.vary if is_searched(plan.vary) else {})
        self.best = BestWithin(self.trace, searched, results)
        """What is best within limits, as far as a search finds it."""
        self.known: list[Candidate] = []
        """The plan's candidates, and those of the earlier sweep."""
        if only or plan.candidates:
            asked = plan if only else dataclasses.replace(plan, vary={})
            kept = results if only else None
            found = sweep(self.trace, asked, only=only or None, results=kept, progress=progress or False)
            self.known = [one for name, one in found.items() if name != TODAY]
        self._kept: dict[str, Surroundings] = {}
        self._lock = Lock()
        if not self.here.is_long:
            self.here.ready()
        else:
            job(self.here.trace, self.here.settled(plan))  # raises what a replay would raise

    @property
    def here(self) -> Surroundings:
        """The trace under the plan's own circumstances. For a long trace, what is shown beside replays there is not
        worked out yet: whoever shows it calls `ready`.
        """
        return self.around(self.plan.what_if)

    @property
    def today(self) -> Outcome:
        return self.here.today

    @property
    def origin_stated(self) -> bool:
        """Whether anything is stated of the origin."""
        return any(self.plan.origin_for(name) for name in self.trace.lookups)

    @property
    def stale_known(self) -> bool:
        """Whether the trace shows changes."""
        return together(changes_of(self.trace)) != "nowhere"

    def asked(self, changes: Changes, circumstances: Changes | None = None) -> Plan:
        """Today's settings with changes by dotted key, under circumstances by name. A value of None means as recorded.
        Raises RulesError.
        """
        plan = self.plan.changed(changes)
        if not circumstances:
            return plan
        stated = {name: getattr(self.plan.what_if, name) for name in self.plan.what_if.model_fields_set}
        changed_ones = {name: one for name, one in {**stated, **circumstances}.items() if one is not None}
        return dataclasses.replace(plan, what_if=WhatIf(**changed_ones))

    def around(self, what_if: WhatIf) -> Surroundings:
        """The trace under these circumstances. The last few are kept."""
        name = repr(what_if)
        with self._lock:
            surroundings = self._kept.pop(name, None) or Surroundings(
                self.trace, dataclasses.replace(self.plan, what_if=what_if)
            )
            self._kept[name] = surroundings  # the newest stands last
            while len(self._kept) > 1 and self._are_many():
                del self._kept[next(iter(self._kept))]
        return surroundings

    def _are_many(self) -> bool:
        """Whether more are kept than may be. The trace as it was given belongs to the page and is not counted."""
        events = sum(len(one.trace) for one in self._kept.values() if one.is_made and one.trace is not self.trace)
        return len(self._kept) > _MOST_SURROUNDINGS or events * EVENT_BYTES > most_bytes()
