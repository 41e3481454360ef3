"""``search``: finds the settings of each look-up, and proves how good they are."""

import dataclasses
import itertools
import time
from collections.abc import Sequence
from pathlib import Path

from vestigo.arguments import positive
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.choose import settled
from vestigo.choosing.finding.answers import FOUND, Answers, Recommended
from vestigo.choosing.finding.asked import offers_for
from vestigo.choosing.finding.attempts import Attempts
from vestigo.choosing.finding.facts import facts_of
from vestigo.choosing.finding.found import Search
from vestigo.choosing.finding.kept import KeptAttempts, about
from vestigo.choosing.finding.ladders import SIZES
from vestigo.choosing.finding.more import would_bring
from vestigo.choosing.finding.offers import Offer
from vestigo.choosing.finding.questions import PEAK, Asked
from vestigo.choosing.finding.searching import Searching
from vestigo.choosing.finding.units import units_of
from vestigo.choosing.run_sweep import SHARE_FOR_REST, Sweeping, share_between
from vestigo.choosing.store import trace_name
from vestigo.choosing.sweep import Sweep
from vestigo.choosing.tasks import Tasks, how_to_go_on
from vestigo.engine.job import job
from vestigo.engine.ready import prepare
from vestigo.engine.what_if import changed_trace, settled_plan
from vestigo.errors import InputError, Interrupted, RulesError
from vestigo.progress import Progress, reporting
from vestigo.rules import Aim, Plan, Rules
from vestigo.rules.aim import Limit
from vestigo.rules.plan import Called, Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Readable, Trace

_AMOUNTS = 8
"""So many amounts of memory are told."""
_ATTEMPTS = "settings"


def search(  # noqa: PLR0913  # options by name
    trace: Readable,
    settings: Settings | None = None,
    *,
    seconds: float | None = None,
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Search:
    """Finds the settings of each look-up that are best for the plan's aim within its limits.

    What varies, the plan's ``[vary]`` says: ``"each.absolute": ["5m", "1h"]`` for each look-up by itself,
    ``"lookup.vessel.nulls": "any"`` for one. With ``"any"`` the search finds the values. If nothing varies, it finds
    which look-ups to cache, and the room, the lifetimes and the rule for nulls of each. If no limit on memory is
    stated, it takes the settings with least memory that have 99 % of what the best have.

    Look-ups that share nothing are replayed alone, each with many settings. A mixed integer program combines one of
    each; its bound says that no other combination of what was tried is better. With `seconds`, the search ends after
    that time with what it has. See `sweep` for the other arguments.

    Raises InputError for a trace without events, RulesError if the settings do not fit it, and Interrupted on Ctrl-C,
    whose `found` is what was found by then.

    >>> from vestigo import Aim, Plan, synth
    >>> aim = Aim(most="hit_rate", limits={"memory_peak": "<= 100 KiB"})
    >>> found = search(synth(20_000, keys=500, seed=1), Plan(aim=aim))
    >>> pick = found.choose()
    >>> pick.candidate.memory_peak <= 100 * 1024, pick.proof.bound >= pick.candidate.hit_rate
    (True, True)
    """
    plan = plan_of(settings if settings is not None else Plan(called=Called(is_nothing=True)), engine)
    most_seconds = None if seconds is None else positive("seconds", seconds)
    if plan.engine != "native":
        raise RulesError('engine: a search replays look-ups alone, which only engine="native" can')
    if at_once := [key for key in plan.vary if key.startswith("rules.")]:
        raise RulesError([f"vary: {key} sets all look-ups at once; vestigo.sweep(trace, plan) does" for key in at_once])
    with reporting(progress) as report:
        given = trace_of(trace, plan)
        if len(given) == 0:
            raise InputError(f"{given.source or 'the trace'}: holds no events, so there is nothing to choose by")
        return _Search(given, plan, share_between("rest", rest), report).run(most_seconds, results)


class _Search:
    """A search, step by step."""

    def __init__(self, given: Trace, plan: Plan, rest: float, report: Progress) -> None:
        self._given, self._rest, self._report = given, rest, report
        self._plan = dataclasses.replace(plan, vary={})
        self._today = dataclasses.replace(plan, vary={}, candidates={})
        self._on = changed_trace(given, plan.what_if)
        self._asked = dataclasses.replace(settled_plan(given, dataclasses.replace(plan, candidates={})), vary=plan.vary)
        used = dataclasses.replace(self._asked, vary={})
        self._job = job(self._on, used)
        prepare([self._job])
        self._units = units_of(used, self._job)
        self._facts = facts_of(self._on)
        self._offers = self._offered(())
        now = [{key: one for offer in offers for key, one in offer.now.items()} for offers in self._offers]
        self._swept = Sweeping(given, self._plan, rest, None, also=self._freest())
        self._attempts = Attempts(self._on, used, now, self._swept.split_ns, progress=self._tell)

    def run(self, seconds: float | None, results: str | Path | None) -> Search:
        begun = time.monotonic()
        with Tasks(self._given, results, None, self._report) as tasks:
            among = self._swept.replay(tasks, None)
            if tasks.store is not None:
                name = trace_name(self._given)
                told = [about(name, self._today, unit, self._rest) for unit in self._units]
                self._attempts.kept = KeptAttempts(tasks.store, told)
            return self._searched(among, begun, seconds)

    def _searched(self, among: Sweep, begun: float, seconds: float | None) -> Search:
        self._attempts.make([now] for now in self._attempts.now)
        if seconds is not None:
            self._attempts.deadline = begun + seconds
        aim = settled(self._plan.aim, among)
        limits = tuple(limit.beside(among.today.measure(limit.name)) for limit in aim.each_limit)
        answers = Answers(self._attempts, self._offers, among, self._today, self._first_share())
        work = Searching(answers, aim, limits)
        work.run()
        has_time, self._attempts.deadline = not self._attempts.is_over, float("inf")
        found = self._found(answers, among, answers.recommended(aim))
        try:
            if not work.was_stopped:
                found = self._with_more(found, Asked(aim, limits), has_time)
        except KeyboardInterrupt:
            work.was_stopped = True
        is_kept, self._attempts.kept = self._attempts.kept is not None, None  # its file is closed after the search
        if work.was_stopped:
            done = f"stopped after {sum(self._attempts.tried):,} settings"
            raise Interrupted(f"{done}; {how_to_go_on(is_kept)}", found)
        return found

    def _found(self, answers: Answers, among: Sweep, best: Recommended | None) -> Search:
        own = {one.name: getattr(among, one.name) for one in dataclasses.fields(among) if one.name != "candidates"}
        candidates = {**among.candidates, **({FOUND: best.candidate} if best is not None else {})}
        tried = dict(zip(map(str, self._units), self._attempts.tried, strict=True))
        clocks = tuple(facts.clock.of(name) for name, facts in self._facts.items() if facts.clock is not None)
        return Search(candidates, **own, tried=tried, clocks=clocks, answers=answers)

    def _with_more(self, found: Search, asked: Asked, has_time: bool) -> Search:
        """With what is best within less memory, and what other rules would bring."""
        answers, rows = found.answers, list[Candidate]()
        assert answers is not None
        if FOUND in found:
            rows = self._by_memory(answers, asked.aim, found[FOUND].memory_peak)
        names = [*map(str, self._units)]
        return dataclasses.replace(
            found,
            candidates={**found.candidates, **{one.name: one for one in rows}},
            by_memory=tuple(one.name for one in rows),
            would_bring=would_bring(answers, asked, names, self._offered) if has_time else (),
        )

    def _by_memory(self, answers: Answers, aim: Aim, most: float) -> list[Candidate]:
        """What is best within ever less memory."""
        others = [limit for limit in aim.each_limit if limit.name != PEAK]
        bounds = [_round_bytes(most / 2**step) for step in range(1, _AMOUNTS + 1)]
        limits = [Limit(PEAK, "<=", bound) for bound in bounds]
        found = (answers.best(f"within {limit.written}", aim, [*others, limit]) for limit in limits)
        rows = [row.candidate for row in found if row is not None]
        least = itertools.accumulate((row.memory_peak for row in rows), min, initial=most)
        return [row for row, before in zip(rows, least, strict=False) if row.memory_peak < before]

    def _offered(self, more: Sequence[str]) -> list[list[Offer]]:
        return offers_for(self._asked, self._units, self._facts, more)

    def _freest(self) -> list[Plan]:
        """What allows the most of what can be set, so that ceilings hold for all of it."""
        ways = [way for offers in self._offers for offer in offers for way in offer.ways]
        copies = any(value == "copy" for way in ways for key, value in way.items() if key.endswith(".tell_nodes"))
        return [Plan(Rules(tell_nodes="copy"))] if copies else []

    def _first_share(self) -> float:
        slicing = self._job.slicing
        return (self._swept.split_ns - slicing.origin_ns) / (slicing.most * slicing.width_ns)

    def _tell(self) -> None:
        self._report(_ATTEMPTS, self._attempts.done, self._attempts.wanted)


def _round_bytes(amount: float) -> float:
    """A size that people would write, not larger."""
    return max((step.amount for step in SIZES if step.amount <= amount), default=amount)
