"""What a trace and a replay tell of one look-up, for the functions that look for mistakes."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa

from vestigo.describing.survey import Survey
from vestigo.describing.traits import Traits
from vestigo.engine.changes import changes_of
from vestigo.engine.job import Job
from vestigo.outcome.summary import Summary
from vestigo.prepared.behind import behind
from vestigo.prepared.fill import filler
from vestigo.prepared.neighbours import by_key, gaps_ns, goes_on
from vestigo.prepared.truth import Truths, truths
from vestigo.rules import Plan, PoolRules, Rules
from vestigo.trace import Op, Trace
from vestigo.trace.names import arrow_names
from vestigo.trace.trace import LAST_VALUED


@dataclass(frozen=True)
class Facts:
    """Of all look-ups."""

    trace: Trace
    plan: Plan
    job: Job
    today: Summary
    """What today's settings give."""
    survey: Survey

    def lookups(self) -> Iterator["OfLookup"]:
        for number, name in enumerate(self.trace.lookups):
            if name in self.survey.lookups and name in self.today.lookups:
                yield OfLookup(self, number, name)

    @cached_property
    def truths(self) -> Truths:
        """For each row, the value of its key and whether that is null."""
        return truths(self.trace)

    @cached_property
    def sizes(self) -> np.ndarray:
        """The size of each row's value, in bytes."""
        return filler(self.trace, self.job.assumed).sizes(self.trace, self.truths.null)


@dataclass(frozen=True)
class OfLookup:
    facts: Facts
    number: int
    name: str

    @property
    def rules(self) -> Rules:
        return self.facts.plan.rules_for(self.name)

    @property
    def room(self) -> PoolRules:
        return self.facts.plan.pool_rules(self.name)

    @property
    def counts(self) -> Summary:
        """What today's settings give."""
        return self.facts.today.lookups[self.name]

    @property
    def misses(self) -> Mapping[str, int]:
        return self.counts.misses_by_cause

    @property
    def reads(self) -> int:
        return self.counts.reads

    @property
    def traits(self) -> Traits:
        return self.facts.survey.lookups[self.name]

    @property
    def changes(self) -> str:
        """How the trace shows changes of the look-up."""
        return changes_of(self.facts.trace)[self.number]

    @property
    def behind_ns(self) -> int:
        """The lifetime of the cache behind which the look-up seems to be recorded, or 0."""
        return int(behind(self.facts.trace).lookups.get(self.name, 0))

    @property
    def places(self) -> int:
        """How many caches the look-up has. Each has the full limits."""
        trace = self.facts.trace
        return max(len(trace.nodes), 1) if self.rules.per == "node" else 1

    def key(self, rule: str) -> str:
        """The dotted key of a rule of the look-up in a plan."""
        return f"lookup.{self.name}.{rule}"

    def stated_in(self, rule: str) -> str:
        """The dotted key of the place where a rule is stated, which may be inherited."""
        return self.key(rule) if rule in self.facts.plan.lookups.get(self.name, {}) else f"rules.{rule}"

    def room_key(self, rule: str) -> str:
        pool = self.facts.plan.pool_for(self.name)
        return self.key(rule) if pool is None else f"pool.{pool}.{rule}"

    @cached_property
    def gaps_ns(self) -> np.ndarray:
        """The times between two reads of a key in one cache, ascending."""
        return gaps_ns(self.facts.trace, np.flatnonzero(self.facts.trace.lookup == self.number), self.rules.per)

    @cached_property
    def turns_ns(self) -> np.ndarray:
        """The times between two changes of a key, ascending. For keys that changed once, the time since they were first
        seen.
        """
        turns: np.ndarray = np.sort(np.diff(self._changes[1])[np.diff(self._changes[0]) == 0])
        return turns

    @cached_property
    def change_times_ns(self) -> np.ndarray:
        """When values changed."""
        key, at = self._changes
        times: np.ndarray = at[1:][np.diff(key) == 0]
        return times

    @cached_property
    def _changes(self) -> tuple[np.ndarray, np.ndarray]:
        """The first row of each key, and the rows at which its value changed, by key and time."""
        trace = self.facts.trace
        rows = np.flatnonzero((trace.lookup == self.number) & (trace.op <= LAST_VALUED))
        order = by_key(trace, rows)
        key, value = trace.key[order], self.facts.truths.value[order]
        new = ~goes_on(key, value)
        return key[new], trace.at[order][new]

    @cached_property
    def own_sizes(self) -> np.ndarray:
        """The sizes of the values that are read, in bytes."""
        trace = self.facts.trace
        found = (trace.lookup == self.number) & (trace.op == Op.READ) & ~self.facts.truths.null
        sizes: np.ndarray = self.facts.sizes[found]
        return sizes

    @cached_property
    def key_texts(self) -> pa.Array:
        keys = np.flatnonzero(self.facts.trace.key_lookup == self.number)
        return arrow_names(self.facts.trace.keys).cast(pa.large_string()).take(pa.array(keys))
