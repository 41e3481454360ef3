"""What must stand beside the numbers of a replay: whose cache it was, and what was assumed."""

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from vestigo.engine.changes import changes_of
from vestigo.engine.groups import Groups
from vestigo.engine.job import Job
from vestigo.prepared.behind import behind_in_words
from vestigo.prepared.fill import Assumed, largest_given
from vestigo.rules import Rules
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.units import SECOND, Duration, counted, format_bytes, format_seconds

_Missing = tuple[np.ndarray, np.ndarray]
"""By look-up: reads that give none, and whether any read gives one."""


def whose_cache(trace: Trace, groups: Groups) -> str:
    """Whose cache it was, in a few words. It is empty if the trace names no node, because that is one process."""
    per = {trace.lookups[group.lookup]: group.rules.per for group in groups.each}
    sentences = {whose: _words(trace, whose) for whose in ("node", "all", "scope")}
    lookups = {whose: [name for name, one in per.items() if one == whose] for whose in sentences if sentences[whose]}
    lookups = {whose: names for whose, names in lookups.items() if names}
    if len(set(per.values())) == 1:
        return next((sentences[whose] for whose in lookups), "")
    return "; ".join(f"{', '.join(names)}: {sentences[whose]}" for whose, names in lookups.items())


def _words(trace: Trace, whose: str) -> str:
    nodes = len(trace.nodes)
    if whose == "scope":
        return "a cache for each scope"
    if nodes == 0:
        return ""
    if nodes == 1:
        return "one node"
    return f"{nodes:,} nodes, a cache each" if whose == "node" else f"{nodes:,} nodes, one cache for all"


def assumptions(job: Job) -> tuple[str, ...]:
    """What the numbers of a replay assume, in a few words each.

    That is: overheads that nobody stated, sizes and costs that the trace does not give, units that were guessed, and
    nodes that were replayed as one.
    """
    trace = job.trace
    rules = [group.rules for group in job.groups.each[: len(trace.lookups)]]
    sentences: list[str] = []
    overheads = {one.entry_overhead for one in rules if "entry_overhead" not in one.model_fields_set}
    sentences += [f"an overhead of {overhead} bytes an entry" for overhead in sorted(overheads)]
    sentences += trace.once(("filled in", job.assumed), lambda: filled_in(trace, job.assumed))
    sentences += _preloads_assumed(trace, rules)
    sentences += trace.guessed
    sentences += _changes_assumed(trace)
    if len(trace.nodes) > 1 and any(one.per == "all" for one in rules):
        sentences.append(f"{len(trace.nodes):,} nodes share one cache")
    sentences += [missing] if (missing := behind_in_words(trace)) else []
    idle = job.groups.idle_patterns
    sentences += [f"{name}: no key matches {pattern!r}, so its rules hold for none" for name, pattern in idle]
    sentences += ["the trace holds no reads, so every rate is 0"] if trace.reads == 0 else []
    return tuple(sentences)


def filled_in(trace: Trace, assumed: Assumed) -> list[str]:
    """Which sizes and costs stand in for those that the trace does not give, and for how many reads."""
    sizes = _filled_in("size", trace, assumed.size, format_bytes)
    return sizes + _filled_in("cost", trace, assumed.cost, lambda amount: str(Duration(int(amount))))


def _preloads_assumed(trace: Trace, rules: Sequence[Rules]) -> list[str]:
    """What preloads know, and how long they take where nobody stated it."""
    if not any(one.preload for one in rules):
        return []
    sentences = ["a preload knows every key that the trace ever shows"]
    unstated = [number for number, one in enumerate(rules) if one.preload and one.preload_cost is None]
    if not unstated:
        return sentences
    longest = largest_given(trace, "cost")
    takes = {trace.lookups[number]: format_seconds(max(int(longest[number]), 0) / SECOND) for number in unstated}
    costs = ", ".join(f"{name} {cost}" for name, cost in takes.items())
    return [*sentences, f"a preload takes as long as the longest load: {costs} (state preload_cost)"]


def _changes_assumed(trace: Trace) -> list[str]:
    """Says where staleness is known only in part: some changes are seen late, or some look-ups show none."""
    shown = dict(zip(trace.lookups, changes_of(trace), strict=True))
    if all(one == "nowhere" for one in shown.values()):
        return []
    late = [name for name, one in shown.items() if one == "in reads"]
    never = [name for name, one in shown.items() if one == "nowhere"]
    sentences = []
    if late:
        sentences.append(f"{', '.join(late)}: a change is only seen at the next read, so staleness is a lower bound")
    if never:
        sentences.append(f"{', '.join(never)}: the trace shows no changes, so all answers count as fresh")
    return sentences


def _filled_in(name: str, trace: Trace, assumed: Iterable[int], write: Callable[[float], str]) -> list[str]:
    missing, some = missing_in(trace, name)
    sentences = []
    if filled := int(missing[some].sum()):
        sentences.append(f"{counted(filled, 'read')} without a {name}: the look-up's median is used")
    amounts = np.array(list(assumed), np.int64)
    for amount in np.unique(amounts[~some & (missing > 0)]).tolist():
        reads = int(missing[~some & (amounts == amount)].sum())
        sentences.append(f"a {name} of {write(amount)} for {counted(reads, 'read')}")
    return sentences


def missing_in(trace: Trace, name: str) -> _Missing:
    """For each look-up, how many reads that may have found a value give no size or no cost. Where any is missing, also
    whether other reads give it.
    """
    return trace.once(("missing", name), lambda: _missing_in(trace, name))


def _missing_in(trace: Trace, name: str) -> _Missing:
    missing, some = np.zeros(len(trace.lookups), np.int64), np.zeros(len(trace.lookups), bool)
    if getattr(trace, f"{name}_range").least != MISSING:
        return missing, some
    for block in trace.blocks():
        values = (block.op == Op.READ) & ((block.found != 0) | (name == "cost"))
        lacks = getattr(block, name) == MISSING
        missing += np.bincount(block.lookup[values & lacks], minlength=len(trace.lookups))
        some[block.lookup[values & ~lacks]] = True
    return missing, some
