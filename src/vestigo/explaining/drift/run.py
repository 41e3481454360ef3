"""``drift``: what is different between two recordings, and whether the settings are still good."""

import dataclasses
from collections.abc import Iterable, Iterator
from pathlib import Path

from vestigo.choosing.finding.search import search
from vestigo.choosing.pick import Excess
from vestigo.engine.context import assumptions
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.errors import InputError
from vestigo.explaining.drift.chance import beside
from vestigo.explaining.drift.drift import Drift, Trait
from vestigo.explaining.drift.effects import RATES, Recording, effects
from vestigo.measures import amount_of
from vestigo.outcome import Outcome
from vestigo.progress import Progress, reporting
from vestigo.rules import Aim
from vestigo.rules.only import check_known, only
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import is_searched
from vestigo.trace import Readable, Trace


def drift(
    before: Readable,
    after: Readable,
    settings: Settings,
    *,
    results: str | Path | None = None,
    progress: Progress | bool | None = None,
) -> Drift:
    """Says what is different between an earlier recording and a later one, look-up by look-up, what each difference
    does to what the settings give, and what the best settings would be now.

    A difference is told from chance by the spread over equal stretches of the time, at the same times of day if both
    recordings have enough of them. What it does is found by replay: what one recording has more of is taken away from
    it, step by step (`Effect`). The best settings are those that `search` finds on the later recording for the plan's
    aim, among what its ``[vary]`` says if it says something of single look-ups. `results` and `progress` are as in
    `sweep`.

    Raises InputError for a recording without reads, and RulesError if the settings do not fit one.

    >>> from vestigo import Rules, synth
    >>> some, other = (synth(20_000, keys=keys, seed=1) for keys in (400, 800))
    >>> found = drift(some, other, Rules(max_entries=200))
    >>> found.effects[0].trait, abs(sum(one.gain for one in found.effects) - (found.rates[1] - found.rates[0])) < 1e-9
    ('keys', True)
    """
    plan = plan_of(settings)
    given = [trace_of(one, plan) for one in (before, after)]
    for one in given:
        if one.reads == 0:
            raise InputError(f"{one.source}: holds no reads, so there is nothing to compare")
    bare = dataclasses.replace(plan, candidates={}, vary={})
    check_known(bare, [one.lookups for one in given])
    with reporting(progress) as report:
        sides = Recording.both(given[0], given[1], bare)
        report("replay", 0, 0)
        outcomes = [run(job(one.trace, one.plan), "today") for one in sides]
        rate = _rate_of(plan.aim, outcomes)
        found = effects(sides[0], sides[1], rate, report)
        varied = plan.vary if is_searched(plan.vary) else {}
        asked = dataclasses.replace(only(bare, given[1].lookups), vary=varied, aim=_in_the_same_memory(plan.aim))
        chosen = search(given[1], asked, results=results, progress=report)
    pick = chosen.choose()
    called = _called(*given)
    names = [set(one.trace.lookups) for one in sides]
    return Drift(
        before=called[0],
        after=called[1],
        rate=rate,
        rates=(getattr(outcomes[0], rate), getattr(outcomes[1], rate)),
        effects=found,
        traits=tuple(_traits(*sides)),
        only_before=sorted(names[0] - names[1]),
        only_after=sorted(names[1] - names[0]),
        pick=pick,
        broken_before=_broken(pick.aim, outcomes[0]),
        broken_after=_broken(pick.aim, outcomes[1]),
        assumptions=tuple(_assumptions(sides)),
    )


def _rate_of(aim: Aim, outcomes: list[Outcome]) -> str:
    """What is explained: what the aim makes best, if that is a rate."""
    if aim.best is not None and aim.best in RATES and not aim.is_usual:
        return aim.best
    return "fresh_hit_rate" if all(one.stale_known for one in outcomes) else "hit_rate"


def _in_the_same_memory(aim: Aim) -> Aim:
    """The aim, with no more memory than the settings take. Otherwise the best settings would keep everything."""
    if aim.worth is not None or aim.best == "memory_peak" or any(one.name == "memory_peak" for one in aim.each_limit):
        return aim
    return dataclasses.replace(aim, limits={**aim.limits, "memory_peak": "<= today"})


def _traits(before: Recording, after: Recording) -> Iterator[Trait]:
    for name in before.trace.lookups:
        if name in after.trace.lookups:
            some, other = (one.traits(name) for one in (before, after))
            for trait, amounts in some.items():
                yield Trait(name, trait, beside(amounts, other[trait], before.stretches, after.stretches))


def _broken(aim: Aim, outcome: Outcome) -> tuple[Excess, ...]:
    """The limits that the settings break."""
    amounts = [(limit, amount_of(outcome, limit.name)) for limit in aim.each_limit]
    beside_today = [Excess(limit.beside(amount), amount) for limit, amount in amounts]
    return tuple(one for one in beside_today if not one.limit.allows(one.amount))


def _called(before: Trace, after: Trace) -> tuple[str, str]:
    """What the recordings are called: the names of their files, if these differ."""
    names = Path(before.source).name, Path(after.source).name
    return names if names[0] != names[1] else ("the earlier recording", "the later recording")


def _assumptions(sides: Iterable[Recording]) -> Iterable[str]:
    """Those of both, each once. Look-ups that are named in another order make no other assumption."""
    said = [said for one in sides for said in assumptions(job(one.trace, one.plan))]
    return {frozenset(one.replace(":", ",").replace(",", " ").split()): one for one in said}.values()
