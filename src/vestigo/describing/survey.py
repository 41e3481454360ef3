"""``survey``: what is in a trace before any cache."""

from collections.abc import Mapping
from copy import deepcopy
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from vestigo.data import ByName, Data, Told
from vestigo.describing.curves import Curves, curves
from vestigo.describing.findings import NARROW, Finding, findings
from vestigo.describing.hit_times import HitTimes, hit_times
from vestigo.describing.measure import measure, traits_of
from vestigo.describing.traits import Traits
from vestigo.describing.verdict import Verdict, saved_share, verdict
from vestigo.engine.context import filled_in
from vestigo.prepared.behind import behind
from vestigo.prepared.fill import assume
from vestigo.rules import Plan
from vestigo.threads import side_by_side
from vestigo.trace import Op, Readable, Trace, read_trace
from vestigo.trace.columns import MISSING
from vestigo.units import SECOND, counted

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Survey(Data):
    """The numbers of a trace in total and by look-up, a verdict on each look-up, and what is likely wrong with keys."""

    source: str
    total: Traits
    lookups: Mapping[str, Traits]
    """The look-ups, with those that could save most origin time first."""
    verdicts: Mapping[str, Verdict]
    findings: tuple[Finding, ...]
    assumptions: tuple[str, ...]
    """What the numbers assume that the trace does not state."""
    curves: Mapping[str, Curves]
    """What figures draw."""
    behind: Mapping[str, float] = field(default_factory=dict)
    """Look-ups that seem to be recorded behind a cache, so that reads are missing, with its lifetime in seconds."""
    is_behind_stated: bool = False
    hits: HitTimes | None = None
    """How long hits took, where the recording tells them from loads."""

    def __post_init__(self) -> None:
        for name in ("lookups", "verdicts"):
            object.__setattr__(self, name, ByName("look-up", getattr(self, name)))

    def to_dict(self) -> Told:
        """All numbers by name: times in seconds, sizes in bytes."""
        return {
            "source": self.source,
            "total": self.total.to_dict(),
            "lookups": {
                name: traits.to_dict()
                | {"verdict": self.verdicts[name].kind, "verdict_sentence": self.verdicts[name].sentence}
                for name, traits in self.lookups.items()
            },
            "findings": [finding.to_dict() for finding in self.findings],
            "assumptions": list(self.assumptions),
            "behind": dict(self.behind),
            "hits": None if self.hits is None else self.hits.to_dict(),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for all, then one for each look-up."""
        import pandas as pd

        rows = {"all": self.total.to_dict()} | {name: one.to_dict() for name, one in self.lookups.items()}
        return pd.DataFrame(list(rows.values()), index=pd.Index(list(rows), name="lookup"))

    def __repr__(self) -> str:
        return (
            f"<Survey of {self.source}: {self.total.reads:,} reads of {self.total.keys:,} keys, "
            f"{counted(len(self.findings), 'finding')}>"
        )


def survey(trace: Readable) -> Survey:
    """Counts what is in a trace: how often look-ups repeat, what they cost, how often they change or find nothing.
    Judges each look-up.

    Restarts and clears do not matter here, because they concern the cache. `compare` takes them into account, and
    whose caches they are, so its ceilings are lower.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"], "cost": [5, 5, 5]})
    >>> survey(trace).total.repeat_share
    0.3333333333333333
    """
    given = read_trace(trace)
    return deepcopy(given.once("survey", lambda: _surveyed(given)))  # each asker may change theirs


def _surveyed(trace: Trace) -> Survey:
    measured = measure(trace)
    with side_by_side() as threads:
        drawn, known = threads.submit(curves, trace, measured), threads.submit(behind, trace)
        assumed = threads.submit(lambda: filled_in(trace, assume(trace, Plan())))
        total, each = traits_of(trace, measured)
        doubts = findings(trace, measured.reads)
    narrow = {one.lookup: one.sentence for one in doubts if one.kind == NARROW}
    ranked = dict(sorted(each.items(), key=lambda item: -saved_share(item[1], total)))
    return Survey(
        trace.source,
        total,
        ranked,
        {name: verdict(one, total, narrow.get(name)) for name, one in ranked.items()},
        doubts,
        (*assumed.result(), *trace.guessed),
        drawn.result(),
        {name: span / SECOND for name, span in known.result().lookups.items()},
        known.result().is_stated,
        _hits(trace),
    )


def _hits(trace: Trace) -> HitTimes | None:
    rows = np.flatnonzero((trace.hit_cost != MISSING) & (trace.op == Op.READ))
    sizes = trace.size[rows]
    return hit_times(trace.hit_cost[rows], None if (sizes == MISSING).any() else sizes)
