"""``across``: the settings that are best for several recordings."""

import dataclasses
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from pathlib import Path

from vestigo.choosing.across.across import Across, Broken, cost_across
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.choose import settled
from vestigo.choosing.finding.search import search
from vestigo.choosing.pick import excesses
from vestigo.choosing.results import replayed
from vestigo.choosing.run_sweep import SHARE_FOR_REST, sweep
from vestigo.choosing.sweep import Sweep
from vestigo.engine.job import job
from vestigo.engine.what_if import changed_trace, settled_plan
from vestigo.errors import InputError, RulesError
from vestigo.progress import Progress, reporting
from vestigo.rules import Aim, Plan
from vestigo.rules.only import check_known, only
from vestigo.rules.plan import Called
from vestigo.rules.plan_parts import TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import Changes, is_searched, place_of
from vestigo.trace import Readable, Trace

_ROUNDS = 3
_SETTINGS = "settings on all recordings"


def across(
    traces: Mapping[str, Readable] | Sequence[Readable],
    settings: Settings | None = None,
    *,
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    progress: Progress | bool | None = None,
) -> Across:
    """The settings that are best for several recordings. They keep each limit of the plan's aim on each recording. What
    is best is what all have together, or with ``Aim(of="worst")``, what the worst has.

    With lists of values to try, every combination is replayed on each recording. Otherwise settings are searched for on
    each, and what is found is replayed on all: whole, and mixed look-up by look-up until that brings no more. So the
    best of these is found, and there may be better ones. `traces` may have names; `results`, `rest` and `progress`
    are as in `sweep`.

    Raises InputError for fewer than two recordings, or one without reads, and RulesError if the settings do not fit
    them.

    >>> from vestigo import Aim, Plan, Rules, synth
    >>> aim = Aim(most="hit_rate", limits={"memory_peak": "<= 60 KiB"})
    >>> found = across([synth(3_000, keys=keys, seed=keys) for keys in (100, 300)], Plan(Rules(), aim=aim))
    >>> found.is_met, all(one.memory_peak <= 60 * 1024 for one in found.pick)
    (True, True)
    """
    plan = plan_of(settings if settings is not None else Plan(called=Called(is_nothing=True)))
    named = traces if isinstance(traces, Mapping) else dict(_named(traces, plan))
    given = {name: trace_of(one, plan) for name, one in named.items()}
    if len(given) < 2:
        raise InputError("traces: there is only one recording; give two or more, or use search")
    for name, one in given.items():
        if one.reads == 0:
            raise InputError(f"{name}: holds no reads, so there is nothing to choose by")
    check_known(dataclasses.replace(plan, candidates={}), [one.lookups for one in given.values()])
    find = search if not plan.vary or is_searched(plan.vary) else sweep
    with reporting(progress) as report:
        found = {
            name: find(one, only(plan, one.lookups), results=results, rest=rest, progress=report)
            for name, one in given.items()
        }
        return _Across(given, plan, found, report).chosen()


def _named(traces: Sequence[Readable], plan: Plan) -> Iterator[tuple[str, Trace]]:
    """Recordings by the names of their files; those without are numbered."""
    for number, one in enumerate(traces, 1):
        trace = trace_of(one, plan)
        name = Path(trace.source).name
        yield (name if Path(trace.source).suffix else f"recording {number}"), trace


class _Across:
    """Settings on several recordings."""

    def __init__(self, given: Mapping[str, Trace], plan: Plan, found: Mapping[str, Sweep], report: Progress) -> None:
        self._given, self._found, self._report = given, found, report
        self._stated = dataclasses.replace(plan, vary={}, candidates={})
        self._on = {name: changed_trace(one, plan.what_if) for name, one in given.items()}
        sweeps = list(found.values())
        self._aim: Aim = dataclasses.replace(settled(plan.aim, sweeps[0]), of=plan.aim.of)
        self._lengths = [one.length_ns() for one in sweeps]
        self._known: dict[str, tuple[Candidate, ...]] = {}
        self._today = self._replayed({})

    def chosen(self) -> Across:
        for found in self._found.values():
            for one in found.values():
                self._replayed(one.changes, one.plan if not one.changes else None)
        self._mix()
        best = min(self._known.values(), key=self._rank)
        return Across(
            aim=self._aim,
            recordings=tuple(self._given),
            lengths_ns=tuple(self._lengths),
            today=self._today,
            pick=best,
            alone=tuple(found.choose().candidate for found in self._found.values()),
            plan=best[0].plan,
            broken=tuple(self._broken(best)),
            tried=len(self._known),
            notes=tuple(dict.fromkeys(note for one in self._found.values() for note in one.notes)),
        )

    def _mix(self) -> None:
        """Takes the settings of single look-ups from other candidates, as long as that makes it better."""
        units = self._settings_of_units()
        here = min(self._known.values(), key=self._rank)
        for _ in range(_ROUNDS):
            before = here
            for unit, ways in units.items():
                rest = {key: value for key, value in here[0].changes.items() if place_of(key)[:2] != unit}
                here = min([here, *self._possible({**rest, **way} for way in ways)], key=self._rank)
            if here is before:
                return

    def _possible(self, mixed: Iterable[Changes]) -> Iterator[tuple[Candidate, ...]]:
        """Mixed settings on each recording, without those that contradict each other."""
        for changes in mixed:
            with suppress(RulesError):
                yield self._replayed(changes)

    def _settings_of_units(self) -> dict[tuple[str, str], list[Changes]]:
        """For each look-up and pool, what candidates change of it."""
        units: dict[tuple[str, str], dict[str, Changes]] = {}
        for one in (one for found in self._found.values() for one in found.values()):
            changes = one.changes
            of_units: dict[tuple[str, str], dict[str, object]] = {}
            for key, value in changes.items():
                of_units.setdefault(place_of(key)[:2], {})[key] = value
            for unit, each in of_units.items():
                units.setdefault(unit, {"": {}})[repr(each)] = each
        return {unit: list(ways.values()) for unit, ways in units.items() if unit[0] != "rules"}

    def _replayed(self, changes: Changes, stated: Plan | None = None) -> tuple[Candidate, ...]:
        """Settings on each recording: what they change, or a plan of their own."""
        plan = self._stated.changed(changes) if stated is None else dataclasses.replace(stated, vary={}, candidates={})
        known = repr(plan.replayed_to_dict())
        if known not in self._known:
            name = f"settings {len(self._known)}" if self._known else TODAY
            self._known[known] = tuple(self._on_each(changes, plan, name))
            self._report(_SETTINGS, len(self._known), 0)
        return self._known[known]

    def _on_each(self, changes: Changes, plan: Plan, name: str) -> Iterator[Candidate]:
        for recording, trace in self._on.items():
            used = settled_plan(self._given[recording], only(plan, trace.lookups))
            kept = replayed(job(trace, used), name, self._found[recording].bounds_ns[1])
            yield Candidate.made(name, changes, plan, kept)

    def _rank(self, which: Sequence[Candidate]) -> tuple[float, float, float]:
        """The limits first, then the aim, then the memory."""
        beyond = sum(one.excess.share for one in self._broken(which))
        return beyond, cost_across(self._aim, which, self._lengths), max(one.memory_peak for one in which)

    def _broken(self, which: Sequence[Candidate]) -> Iterator[Broken]:
        for (recording, found), one in zip(self._found.items(), which, strict=True):
            for excess in excesses(found, one, self._aim.each_limit):
                yield Broken(recording, excess)
