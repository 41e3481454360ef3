"""``share_out``: how to divide one memory budget among the look-ups, so that most reads are hits."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from vestigo.arguments import argument
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.run_sweep import sweep
from vestigo.choosing.sweep import Sweep
from vestigo.data import Data, Told
from vestigo.engine.size_curve import SizeCurve, size_curve
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError
from vestigo.progress import Progress
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.stated import Stated
from vestigo.trace import Readable
from vestigo.units import format_bytes, format_share, parse_bytes

if TYPE_CHECKING:
    import pandas as pd

BY_CURVES, EVENLY = "by curves", "evenly"


@dataclass(frozen=True, eq=False, repr=False)
class Sharing(Data):
    """A divided budget, and what replays say of it: `sweep` has today's settings, the even split and this division."""

    total_bytes: int
    shares: Mapping[str, int]
    """Bytes by look-up."""
    sweep: Sweep

    @property
    def by_curves(self) -> Candidate:
        return self.sweep[BY_CURVES]

    @property
    def plan(self) -> Plan:
        """The plan with today's rules and these limits."""
        return self.by_curves.plan

    @property
    def is_best(self) -> bool:
        """Whether the replays confirm the division: it answers at least as many reads as the even split."""
        return self.by_curves.measure("hit_rate") >= self.sweep[EVENLY].measure("hit_rate")

    TOLD = ("total_bytes", "shares", "is_best")

    def to_dict(self) -> Told:
        """The bytes of each look-up, and what the replays gave."""
        return super().to_dict() | self.sweep.to_dict()

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each look-up: its bytes, and its share of all."""
        import pandas as pd

        frame = pd.DataFrame({"bytes": self.shares})
        return frame.assign(share=frame["bytes"] / self.total_bytes).rename_axis("lookup")

    def __repr__(self) -> str:
        rates = ", ".join(f"{name} {format_share(one.measure('hit_rate'))}" for name, one in self.sweep.items())
        shares = ", ".join(f"{name} {format_bytes(size)}" for name, size in self.shares.items())
        return f"<Sharing of {format_bytes(self.total_bytes)}: {shares}; hit rate {rates}>"


def share_out(
    trace: Readable,
    settings: Settings,
    total: int | str,
    *,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Sharing:
    """Divides `total` bytes among the look-ups by their size curves, and replays that beside an even split and today's
    limits. The total (``"64 MiB"``) includes overheads, and is that of each node if each has a cache. All other rules
    stay, but shared pools are given up.

    Each piece of memory goes where it brings most hits a byte, along the convex hull of each curve. This would be the
    best division if curves were convex (B. Fox, "Discrete optimization via marginal analysis", 1966). The curves are
    those of LRU without expiry, so the replays have the last word: see `Sharing.is_best`.

    >>> from vestigo import Rules, read_trace
    >>> keys, lookups = [n % 2 for n in range(40)] + [n % 9 for n in range(40)], ["few"] * 40 + ["many"] * 40
    >>> trace = read_trace({"at": range(80), "key": keys, "lookup": lookups, "size": [36] * 80})
    >>> share_out(trace, Rules(), "1103 B").shares
    {'few': 200, 'many': 903}
    """
    plan = plan_of(settings, engine)
    budget = argument("total", parse_bytes, total)
    trace = trace_of(trace, plan)
    on, used = applied(trace, plan)
    curves = {name: size_curve(on, replace(used, warm_up=0), lookup=name) for name in on.lookups}
    least = {name: used.rules_for(name).entry_overhead for name in on.lookups}
    if not curves or sum(least.values()) > budget:
        raise RulesError(
            f"{format_bytes(budget)} is too little to share among {len(curves)} look-ups: each needs more than the "
            "overhead of one entry"
        )
    shares = _shares(curves, least, budget)
    even = {name: max(budget // len(curves), least[name]) for name in curves}
    candidates = {EVENLY: _limited(plan, even), BY_CURVES: _limited(plan, shares)}
    asked = replace(plan, candidates=candidates, vary={})
    return Sharing(budget, shares, sweep(trace, asked, engine=engine, progress=progress))


def _shares(curves: Mapping[str, SizeCurve], least: Mapping[str, int], budget: int) -> dict[str, int]:
    """Shares bytes greedily along the hulls. What is left goes where it brings most."""
    shares = dict(least)
    steps = sorted(
        (-hits / size, number, name, size)
        for name, curve in curves.items()
        for number, (size, hits) in enumerate(_hull(curve.bytes, curve.byte_hits))
    )
    left, full = budget - sum(shares.values()), set()
    for _, number, name, size in steps:
        more = size if number else max(size - least[name], 0)
        if name in full or more > left:
            full.add(name)  # no later piece of this curve can come before this one
            continue
        shares[name] += more
        left -= more
    best = max(curves, key=lambda name: _gain(curves[name], shares[name], left))
    shares[best] += left
    return shares


def _gain(curve: SizeCurve, size: int, more: int) -> float:
    return (curve.hit_rate(max_bytes=size + more) - curve.hit_rate(max_bytes=size)) * curve.reads


def _hull(sizes: np.ndarray, hits: np.ndarray) -> list[tuple[int, int]]:
    """The upper convex hull from zero on, as pieces of bytes and the hits that they add, steepest first."""
    corners: list[tuple[int, int]] = [(0, 0)]
    for size, hit in zip(sizes.tolist(), hits.tolist(), strict=True):
        while len(corners) > 1 and _is_below(corners[-2], corners[-1], (size, hit)):
            corners.pop()
        corners.append((size, hit))
    return [(b[0] - a[0], b[1] - a[1]) for a, b in pairwise(corners)]


def _is_below(a: Sequence[int], b: Sequence[int], c: Sequence[int]) -> bool:
    """Whether the middle point lies on or below the line between the others."""
    return (b[1] - a[1]) * (c[0] - a[0]) <= (c[1] - a[1]) * (b[0] - a[0])


def _limited(plan: Plan, shares: Mapping[str, int]) -> Plan:
    """The plan with a limit in bytes for each look-up, and no other limits."""
    lookups = {
        name: {**Stated.by(plan.lookups.get(name, {})), "max_entries": "no limit", "max_bytes": size}
        for name, size in shares.items()
    }
    return replace(plan, lookups={**plan.lookups, **lookups}, pools={}, candidates={}, vary={})
