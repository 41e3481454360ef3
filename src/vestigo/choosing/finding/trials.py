"""``Trials``: the settings that were tried of each unit, each replayed alone."""

import hashlib
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from itertools import chain, zip_longest
from math import prod
from typing import NamedTuple

import numpy as np

from vestigo.choosing.finding.offers import frozen
from vestigo.choosing.finding.units import fits, shares_of
from vestigo.engine.job import Job, job
from vestigo.engine.parts import Share
from vestigo.engine.replay import replay_alone
from vestigo.errors import RulesError
from vestigo.outcome.alone import Alone
from vestigo.rules import Plan
from vestigo.rules.vary import Changes
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace

Setting = Mapping[str, object]
"""What a unit is set to: a value for each key that can be set."""


class Trial(NamedTuple):
    """A setting of one unit, and what it gives."""

    setting: Setting
    changes: Setting
    """What of it is not as today."""
    alone: Alone


@dataclass
class Trials:
    """The trials on one trace. Each setting is tried once."""

    trace: Trace
    plan: Plan
    """Today's settings."""
    now: Sequence[Setting]
    """What each unit is set to today."""
    split_ns: int
    deadline: float = float("inf")
    """When no more trials are begun, by `time.monotonic`."""
    progress: Callable[[], None] = lambda: None
    """Is called after each trial."""
    done: int = 0
    wanted: int = 0
    """How many trials were made, and how many were wanted up to now."""
    lists: list[list[Trial]] = field(init=False)
    """The trials of each unit that differ in what they give. The first is today's setting."""
    _seen: list[dict[tuple[object, ...], Trial | None]] = field(init=False)
    _given: list[dict[bytes, Alone]] = field(init=False)

    def __post_init__(self) -> None:
        self.lists, self._seen = [[] for _ in self.now], [{} for _ in self.now]
        self._given = [{} for _ in self.now]

    @property
    def tried(self) -> list[int]:
        """How many settings of each unit were tried."""
        return [len(seen) for seen in self._seen]

    @property
    def is_over(self) -> bool:
        """Whether there is no time for more."""
        return time.monotonic() >= self.deadline

    @property
    def combinations(self) -> int:
        """How many combinations of them there are."""
        return prod(self.tried)

    def make(self, wanted: Iterable[Iterable[Setting]]) -> int:
        """Tries settings of each unit, side by side, and returns how many were new. Those that contradict themselves
        are left out.
        """
        fresh = [list(self._fresh(number, settings)) for number, settings in enumerate(wanted)]
        rounds = list(zip_longest(*fresh))
        asked = list(chain.from_iterable(map(self._asked, rounds)))
        self.wanted += len(asked)
        found = each_side_by_side(self._try, asked)
        for one, trial in zip(asked, found, strict=True):
            if trial is not None:
                self._add(one.number, trial)
        return sum(trial is not None for trial in found)

    def find(self, number: int, setting: Setting) -> Trial | None:
        """The trial of a setting. None if it was not tried, or contradicts itself."""
        return self._seen[number].get(frozen(setting))

    def _add(self, number: int, trial: Trial) -> None:
        given, known = _digest(trial.alone), self._given[number]
        if given not in known:
            self.lists[number].append(trial)
        self._seen[number][frozen(trial.setting)] = trial._replace(alone=known.setdefault(given, trial.alone))

    def _fresh(self, number: int, settings: Iterable[Setting]) -> Iterable[Setting]:
        for setting in settings:
            name = frozen(setting)
            if name not in self._seen[number]:
                self._seen[number][name] = None
                if fits(self.plan, setting):
                    yield setting

    def _asked(self, settings: Sequence[Setting | None]) -> "list[_Asked]":
        """One setting of each unit, or of some, as one job, because a job is made for all look-ups."""
        there = [(number, setting) for number, setting in enumerate(settings) if setting is not None]
        try:
            made = self._job(chain.from_iterable(setting.items() for _, setting in there))
        except RulesError:  # of single keys, which have rules of their own
            if len(there) == 1:
                return []
            alone = ([one if number == place else None for number, one in enumerate(settings)] for place, _ in there)
            return list(chain.from_iterable(map(self._asked, alone)))
        shares = shares_of(self.trace, made)
        return [_Asked(number, setting, made, shares[number]) for number, setting in there]

    def _job(self, items: Iterable[tuple[str, object]]) -> Job:
        return job(self.trace, self.plan.changed(dict(items)))

    def _try(self, asked: "_Asked") -> Trial | None:
        check()
        if self.is_over and self.lists[asked.number]:
            return None
        (alone,) = replay_alone(self.trace, [(asked.job, asked.share)], self.split_ns)
        self.done += 1
        self.progress()
        return Trial(asked.setting, _changes(asked.setting, self.now[asked.number]), alone)


def _changes(setting: Setting, now: Setting) -> Setting:
    """What is not as today. Times of day come with their zone."""
    changes = {key: value for key, value in setting.items() if value != now[key]}
    zones = {f"{key.removesuffix('absolute_at')}zone" for key in changes if key.endswith(".absolute_at")}
    return changes | {key: value for key, value in setting.items() if key in zones}


def _digest(alone: Alone) -> bytes:
    """The same for trials that give the same."""
    whole = alone.whole
    counts = [getattr(whole, one.name) for one in fields(whole) if isinstance(getattr(whole, one.name), int)]
    digest = hashlib.blake2b(repr((counts, whole.misses_by_cause)).encode(), digest_size=16)
    for each in (alone.held, alone.most, *(getattr(alone, part).read_times.times for part in alone._fields[:3])):
        digest.update(np.ascontiguousarray(each).tobytes())
    return digest.digest()


class _Asked(NamedTuple):
    """A trial that is to be made."""

    number: int
    """Of the unit."""
    setting: Setting
    job: Job
    share: Share
