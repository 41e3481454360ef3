"""Prepares a trace once, before several replays of it begin side by side."""

from collections.abc import Iterable

from vestigo.engine.groups import Groups
from vestigo.engine.job import Job
from vestigo.prepared.batches import make_ready
from vestigo.prepared.entries import Entries, entries_of
from vestigo.trace import Trace


def entries_for(trace: Trace, groups: Groups) -> Entries:
    """The entries that can exist under the rules of a plan."""
    of_nodes = tuple(bool(trace.nodes) and per == "node" for per in groups.per_lookup)
    copying = {group.lookup for group in groups.each if group.rules.tell_nodes == "copy"}
    return entries_of(trace, of_nodes, tuple(lookup in copying for lookup in range(len(trace.lookups))))


def prepare(trace: Trace, jobs: Iterable[Job]) -> None:
    """Makes the trace ready for those jobs that the native engine does, so that threads do not all do it at once."""
    if len(trace):
        native = [one for one in jobs if one.engine == "native"]
        for assumed, entries in {(one.assumed, entries_for(trace, one.groups)) for one in native}:
            make_ready(trace, assumed, entries)
