"""Keeps what attempts gave in a file of results, so that a later search need not try the same again."""

import base64
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import fields

import numpy as np

from vestigo.choosing.finding.units import Unit
from vestigo.choosing.store import Store, digest_of, our_version
from vestigo.data import Told
from vestigo.outcome import Measures, Spans
from vestigo.outcome.alone import Alone
from vestigo.rules import Plan
from vestigo.threads import each_side_by_side
from vestigo.trace.trace import Longs

_FORMAT = 3
_SPANS = tuple(one.name for one in fields(Measures) if one.type is Spans or one.type == "Spans")
_PLAIN = tuple(one.name for one in fields(Measures) if one.name not in _SPANS)


class KeptAttempts:
    """The attempts of a trace in a file of results. `about` says for each unit all that its attempts depend on, besides
    their setting.
    """

    def __init__(self, store: Store, about: Sequence[str]) -> None:
        self._store, self._about = store, about

    def get(self, unit: int, setting: Mapping[str, object]) -> Alone | None:
        """What a setting of a unit gave, if it was tried before."""
        return self._store.get(self._name(unit, setting), _alone)

    def put(self, attempts: Sequence[tuple[int, Mapping[str, object], Alone]]) -> None:
        """Keeps what settings gave."""
        told = each_side_by_side(_told, [alone for _, _, alone in attempts])
        names = [self._name(unit, setting) for unit, setting, _ in attempts]
        self._store.put_all(dict(zip(names, told, strict=True)))

    def _name(self, unit: int, setting: Mapping[str, object]) -> str:
        return digest_of(repr([self._about[unit], *sorted(setting.items())]))


def about(trace: str, plan: Plan, unit: Unit, *more: object) -> str:
    """All that the attempts of a unit depend on, besides their setting."""
    own = [
        (name, plan.rules_for(name).to_dict(), {text: one.to_dict() for text, one in plan.rules_for_keys(name).items()})
        for name in unit.lookups
    ]
    pools = [plan.pools[name].to_dict() for name in unit.pools]
    return repr([our_version(), _FORMAT, trace, own, pools, plan.warm_up, plan.what_if, *more])


def _told(alone: Alone) -> Told:
    measures = alone.whole, alone.first, alone.rest
    spans = [getattr(one, name) for one in measures for name in _SPANS]
    return {
        "measures": [{name: getattr(one, name) for name in _PLAIN} for one in measures],
        **_packed([alone.held, alone.most, *(column for one in spans for column in (one.ns, one.times))]),
    }


def _alone(told: Told) -> Alone:
    held, most, *columns = _unpacked(told)
    spans = map(Spans, columns[::2], columns[1::2])

    def measures(plain: Told) -> Measures:
        own: Told = dict(zip(_SPANS, spans, strict=False))
        return Measures(**plain, **own)

    whole, first, rest = map(measures, told["measures"])
    return Alone(whole, first, rest, held, most)


def _packed(columns: Sequence[Longs]) -> Told:
    """Few letters for numbers that differ little from one to the next."""
    steps = np.diff(np.concatenate(columns), prepend=0).astype("<i8")
    return {
        "rows": [len(one) for one in columns],
        "columns": base64.b64encode(zlib.compress(steps.tobytes(), 1)).decode(),
    }


def _unpacked(told: Told) -> list[Longs]:
    steps = np.frombuffer(zlib.decompress(base64.b64decode(told["columns"])), "<i8")
    return np.split(np.cumsum(steps, dtype=np.int64), np.cumsum(told["rows"])[:-1])
