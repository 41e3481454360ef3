"""``Attempts``: the settings that were tried of each unit, each replayed alone."""

import hashlib
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from itertools import chain, zip_longest
from math import prod
from typing import NamedTuple

import numpy as np

from vestigo.choosing.finding.kept import KeptAttempts
from vestigo.choosing.finding.offers import frozen
from vestigo.choosing.finding.units import fits, shares_of
from vestigo.engine.job import Job, job
from vestigo.engine.parts import Share
from vestigo.engine.replay import replay_alone
from vestigo.errors import RulesError
from vestigo.outcome.alone import Alone
from vestigo.rules import Plan
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace

Setting = Mapping[str, object]
"""What a unit is set to: a value for each key that can be set."""


class Attempt(NamedTuple):
    """A setting of one unit, and what it gives."""

    setting: Setting
    changes: Setting
    """What of it is not as today."""
    alone: Alone


@dataclass
class Attempts:
    """The attempts on one trace. Each setting is tried once."""

    trace: Trace
    plan: Plan
    """Today's settings."""
    now: Sequence[Setting]
    """What each unit is set to today."""
    split_ns: int
    deadline: float = float("inf")
    """When no more attempts are begun, by `time.monotonic`."""
    kept: KeptAttempts | None = None
    progress: Callable[[], None] = lambda: None
    """Is called after each attempt."""
    done: int = 0
    wanted: int = 0
    """How many attempts were made, and how many were wanted up to now."""
    lists: list[list[Attempt]] = field(init=False)
    """The attempts of each unit that differ in what they give. The first is today's setting."""
    _seen: list[dict[tuple[object, ...], Attempt | None]] = field(init=False)
    """By the name of a setting, its attempt. None if it contradicts itself."""
    _given: list[dict[bytes, Alone]] = field(init=False)

    def __post_init__(self) -> None:
        self.lists, self._seen = [[] for _ in self.now], [{} for _ in self.now]
        self._given = [{} for _ in self.now]

    @property
    def tried(self) -> list[int]:
        """How many settings of each unit were tried."""
        return [sum(attempt is not None for attempt in seen.values()) for seen in self._seen]

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
        self.wanted += sum(map(len, fresh))
        rounds = [[(number, one) for number, one in enumerate(each) if one is not None] for each in zip_longest(*fresh)]
        known = {id(setting): self._kept(number, setting) for each in rounds for number, setting in each}
        asked = [one for each in rounds for one in self._asked([it for it in each if known[id(it[1])] is None])]
        made = [one for one in each_side_by_side(self._try, asked) if one is not None]
        if self.kept is not None:
            numbers = {id(setting): number for each in rounds for number, setting in each}
            self.kept.put([(numbers[id(attempt.setting)], attempt.setting, attempt.alone) for attempt in made])
        new = {id(attempt.setting): attempt for attempt in made}
        for number, setting in chain.from_iterable(rounds):
            if (attempt := known[id(setting)] or new.get(id(setting))) is not None:
                self._add(number, attempt._replace(changes=_changes(setting, self.now[number])))
            elif self.is_over:
                self._seen[number].pop(frozen(setting))  # it was not tried
        return sum(one is not None for one in (*known.values(), *made))

    def _kept(self, number: int, setting: Setting) -> Attempt | None:
        """A attempt that was made before."""
        alone = self.kept.get(number, setting) if self.kept is not None else None
        if alone is None:
            return None
        self.done += 1
        self.progress()
        return Attempt(setting, {}, alone)

    def find(self, number: int, setting: Setting) -> Attempt | None:
        """The attempt of a setting. None if it was not tried, or contradicts itself."""
        return self._seen[number].get(frozen(setting))

    def _add(self, number: int, attempt: Attempt) -> None:
        given, known = _digest(attempt.alone), self._given[number]
        if given not in known:
            self.lists[number].append(attempt)
        self._seen[number][frozen(attempt.setting)] = attempt._replace(alone=known.setdefault(given, attempt.alone))

    def _fresh(self, number: int, settings: Iterable[Setting]) -> Iterable[Setting]:
        for setting in settings:
            name = frozen(setting)
            if name not in self._seen[number]:
                self._seen[number][name] = None
                if fits(self.plan, setting):
                    yield setting

    def _asked(self, settings: Sequence[tuple[int, Setting]]) -> "list[_Asked]":
        """One setting of each of some units as one job, because a job is made for all look-ups."""
        if not settings:
            return []
        try:
            made = self._job(chain.from_iterable(setting.items() for _, setting in settings))
        except RulesError:  # of single keys, which have rules of their own
            return [] if len(settings) == 1 else [one for each in settings for one in self._asked([each])]
        shares = shares_of(made)
        return [_Asked(setting, made, shares[number]) for number, setting in settings]

    def _job(self, items: Iterable[tuple[str, object]]) -> Job:
        return job(self.trace, self.plan.changed(dict(items)))

    def _try(self, asked: "_Asked") -> Attempt | None:
        check()
        if self.is_over:
            return None
        alone = replay_alone(asked.job, asked.share, self.split_ns)
        self.done += 1
        self.progress()
        return Attempt(asked.setting, {}, alone)


def _changes(setting: Setting, now: Setting) -> Setting:
    """What is not as today. Times of day come with their zone."""
    changes = {key: value for key, value in setting.items() if value != now[key]}
    zones = {f"{key.removesuffix('absolute_at')}zone" for key in changes if key.endswith(".absolute_at")}
    return changes | {key: value for key, value in setting.items() if key in zones}


def _digest(alone: Alone) -> bytes:
    """The same for attempts that give the same."""
    whole = alone.whole
    counts = [getattr(whole, one.name) for one in fields(whole) if isinstance(getattr(whole, one.name), int)]
    digest = hashlib.blake2b(repr((counts, whole.misses_by_cause)).encode(), digest_size=16)
    for each in (alone.held, alone.most, *(getattr(alone, part).read_times.times for part in alone._fields[:3])):
        digest.update(np.ascontiguousarray(each).tobytes())
    return digest.digest()


class _Asked(NamedTuple):
    """A attempt that is to be made."""

    setting: Setting
    job: Job
    share: Share
