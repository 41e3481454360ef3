"""``drive``: sends a trace through the user's own cache, and puts its answers beside those of a replay."""

import dataclasses
from collections.abc import Callable
from typing import Any

import numpy as np

from vestigo.arguments import argument
from vestigo.engine import what_if
from vestigo.engine.changes import changes_of, together
from vestigo.engine.context import assumptions
from vestigo.engine.job import Job, job
from vestigo.errors import RulesError
from vestigo.explaining.drive.answers import Given, Marks, counted_rows, marks_of_given, spans_told
from vestigo.explaining.drive.clock import Clock, clock_of
from vestigo.explaining.drive.costs import costs_of
from vestigo.explaining.drive.driven import Difference, Driven, Explanation, ReadCounts
from vestigo.explaining.drive.explain import Judge, as_observed, explanations, untested
from vestigo.explaining.drive.functions import Functions, Load, Make, Makes, call, check_functions
from vestigo.explaining.drive.offered import Offered, OriginValue, offered
from vestigo.explaining.drive.process import talk
from vestigo.explaining.hypotheses.stated_rules import stated_rules, without
from vestigo.explaining.hypotheses.trying import with_changes
from vestigo.explaining.why.story import Story
from vestigo.explaining.why.tell import story_of_read
from vestigo.outcome.seen import NO_AGE
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan, Pool
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Op, Readable, Trace
from vestigo.trace.trace import Longs
from vestigo.units import SECOND, Duration, counted, format_seconds

_FOR_TRIALS = 200_000
"""Events on which explanations are looked for; how well they do is then told of all."""
_REASONS, _WHOLE_SETTINGS = 3, 12


def drive(  # noqa: PLR0913  # one argument for each thing that a cache may do
    trace: Readable,
    settings: Settings | None = None,
    *,
    read: Callable[[str, object, Load], object] | None = None,
    write: Callable[[str, object, OriginValue], object] | None = None,
    remove: Callable[[str, object], object] | None = None,
    clear: Callable[[str | None], object] | None = None,
    restart: Callable[[], object] | None = None,
    make: Make | None = None,
    command: str | None = None,
    clock: Clock | str | None = None,
    speed: float | None = None,
    patience: str | Duration = "60s",
    contents: bool = False,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Driven:
    """Drives your own cache with a trace, and compares what it did with the replay of `settings`.

    `read(lookup, key, load)` asks the cache as your program does, and calls ``load()`` if it must. It returns what the
    cache gave, which is what some ``load()`` returned: an `OriginValue`, or None for a null. ``load`` is the same
    function at every call, so a function under `functools.lru_cache` can be driven as it is. ``write(lookup, key,
    value)``, ``remove(lookup, key)``, ``clear(lookup)`` (None means all) and ``restart()`` are called at these events,
    if they are given. In place of these, `make` makes the cache of a node (None for events that name none), an object
    with such methods. Or `command` starts a cache in any language (docs/drive.md describes the messages).

    `clock` gives the trace's time to a cache that asks for the time: a `Clock` whose methods the cache uses, or
    ``"patched"`` for those of the standard library. With `speed`, real time goes on at that multiple. Events come one
    after the other and loads end at once, also in the replay. `patience` is how long one event may take. `progress` is
    as in `sweep`.

    `Driven.costs` says what an entry takes in memory beyond its value, and how long hits took. With `contents`, values
    hold as many bytes as the trace gives, so that a cache which packs or copies them takes its time.

    Without `settings`, it looks for those that explain the cache best. A cache that raises, hangs or answers nonsense
    ends the drive. `Driven.stopped` says at which event, and the counts so far are kept. Raises RulesError if the
    arguments do not fit together, if a function cannot be called so, or if the settings do not fit the trace.

    >>> import functools, vestigo as vg
    >>> trace = vg.synth(reads=1000, keys=50, seed=1)
    >>> cache = functools.lru_cache(maxsize=20)(lambda lookup, key, load: load())
    >>> driven = vg.drive(trace, vg.Rules(max_entries=20, nulls="keep"), read=cache)
    >>> driven.differ, driven.driven.hits == driven.replayed.hits
    (0, True)
    """
    check_functions(read=read, write=write, remove=remove, clear=clear, restart=restart, make=make)
    given_for = [name for name, one in (("read", read), ("make", make), ("command", command)) if one is not None]
    if len(given_for) != 1:
        what = f"{' and '.join(given_for)} are both given" if given_for else "nothing says what is driven"
        raise RulesError(f"drive: {what}; give one of read, make or command")
    if contents and command is not None:
        raise RulesError("contents: a command makes its own values; leave it out (docs/drive.md: keeps)")
    seconds = int(argument("patience", Duration.parse, patience)) / SECOND
    runs_by = clock_of(clock, speed)
    stated = plan_of(settings if settings is not None else Plan(), engine)
    on, plan = what_if.applied(trace_of(trace, stated), stated)
    cache: Functions | Makes | None = None
    if read is not None:
        cache = Functions(read, write, remove, clear, restart)
    elif make is not None:
        cache = Makes(make, on)
    on, events, notes = _as_driven(on, cache)
    on, events, plan = _with_preloads(on, events, plan)
    if preloads := int((on.op == Op.PRELOAD).sum()):
        notes.append(f"{counted(preloads, 'preload')} came as reads that are not counted")
    if read is not None and len(on.nodes) > 1:
        plan = _of_all(plan)
        notes.append(f"one cache was driven for all {len(on.nodes)} nodes, and replayed so; `make` makes one a node")
    if settings is None and len(on.lookups) > 1:
        plan = dataclasses.replace(plan, pools={"all": Pool(lookups=on.lookups)})
    replay_job = job(on, plan, instant=True)
    origin = offered(on, events, replay_job)
    with reporting(progress) as report:
        if command is not None:
            given = talk(origin, plan, command, seconds, report)
        else:
            assert cache is not None
            report("driving the cache", 0, 0)
            given = call(origin, cache, runs_by, seconds, contents)
        return _driven(origin, plan, replay_job, given, is_searched=settings is None, notes=notes, progress=report)


def _driven(  # noqa: PLR0913  # all that is known by then
    origin: Offered,
    plan: Plan,
    replay_job: Job,
    given: Given,
    *,
    is_searched: bool,
    notes: list[str],
    progress: Progress,
) -> Driven:
    trace = origin.trace
    rows = counted_rows(origin, given.events, replay_job.first_counted)
    driven = marks_of_given(origin, given, rows)
    if is_searched:
        plan = as_observed(plan, origin, given, driven)
        found, best = _explained(trace, driven, plan, _WHOLE_SETTINGS, progress)
        plan, replay_job, why = best, job(trace, best, instant=True), found
    progress("replaying the settings", 0, 0)
    judge = Judge(trace, driven)
    replayed = judge.marks(plan)
    alike = driven.alike(replayed.age_ns)
    better = plan
    if not is_searched:
        why, better = _explained(trace, driven, plan, _REASONS, progress)
        progress("looking for rules that the trace does not put to the test", 0, 0)
    loads = given.loads[rows]
    explained = why[-1].alike if why else int(alike.sum())

    def counts(marks: Marks, loads: np.ndarray, chosen: Any = slice(None)) -> ReadCounts:
        part = marks.of(chosen)
        return ReadCounts(
            reads=len(part.rows),
            hits=int(part.hit.sum()),
            stale_hits=int(part.stale.sum()),
            loads=int(loads[chosen].sum()),
            answer_age=spans_told(part.age_ns[part.hit]),
            stale_age=spans_told(part.stale_ns[part.stale]),
        )

    def both(chosen: object = slice(None)) -> tuple[ReadCounts, ReadCounts]:
        return counts(driven, loads, chosen), counts(replayed, ~replayed.hit, chosen)

    lookup = trace.lookup[rows]
    whole = both()
    return Driven(
        driven=whole[0],
        replayed=whole[1],
        lookups={name: both(lookup == number) for number, name in enumerate(trace.lookups)},
        alike=int(alike.sum()),
        only_driven=int((driven.hit & ~replayed.hit).sum()),
        only_replayed=int((replayed.hit & ~driven.hit).sum()),
        first=None if alike.all() else _difference(origin, plan, replay_job, driven, replayed, int(np.argmin(alike))),
        explanations=why,
        settings=plan,
        found=better if why else None,
        stale_known=together(changes_of(trace)) != "nowhere",
        untested=() if is_searched else tuple(untested(judge, plan, replayed)),
        stopped=given.stopped,
        notes=(*notes, *assumptions(replay_job)),
        costs=costs_of(origin, given, driven, better, explained / max(len(rows), 1)),
    )


def _explained(
    trace: Trace, driven: Marks, plan: Plan, most: int, progress: Progress
) -> tuple[list[Explanation], Plan]:
    """The explanations, and the plan with them. They are looked for in the first part of a long trace, and counted over
    all of it.
    """
    chosen = driven.rows < _FOR_TRIALS
    part = Judge(trace.block(0, _FOR_TRIALS) if len(trace) > _FOR_TRIALS else trace, driven.of(chosen))
    explained, best = explanations(part, plan, most, progress)
    if not chosen.all():
        so_far = plan
        for place, one in enumerate(explained):
            so_far = with_changes(so_far, dict(one.changes))
            explained[place] = dataclasses.replace(one, alike=int(Judge(trace, driven).alike(so_far).sum()))
    return explained, best


def _difference(  # noqa: PLR0913, PLR0917  # both sides of it
    origin: Offered, plan: Plan, replay_job: Job, driven: Marks, replayed: Marks, place: int
) -> Difference:
    trace, row = origin.trace, int(driven.rows[place])
    return Difference(
        event=int(origin.events[row]),
        at_ns=int(trace.at[row]),
        lookup=trace.lookups[trace.lookup[row]],
        key=str(trace.keys[trace.key[row]]),
        node=trace.nodes[trace.node[row]] if trace.node[row] >= 0 else None,
        driven=_answer(driven, place),
        replayed=_answer(replayed, place),
        story=_numbered(story_of_read(trace, plan, replay_job, row), origin.events),
    )


def _numbered(story: Story, events: Longs) -> Story:
    """The story with the rows of the user's trace."""
    steps = [
        one if one.event is None else dataclasses.replace(one, event=int(events[one.event])) for one in story.steps
    ]
    return dataclasses.replace(story, steps=steps)


def _answer(marks: Marks, place: int) -> str:
    if not marks.hit[place]:
        return "loaded it"
    stale = f", {format_seconds(marks.stale_ns[place] / SECOND)} stale" if marks.stale_ns[place] != NO_AGE else ""
    return f"answered with a value {format_seconds(marks.age_ns[place] / SECOND)} old{stale}"


def _of_all(plan: Plan) -> Plan:
    """The plan with one cache for all nodes, whatever its look-ups state."""
    every = {"rules.per": "all"} | {f"lookup.{name}.per": "all" for name in plan.lookups}
    return plan.changed(every)


def _as_driven(trace: Trace, cache: Functions | Makes | None) -> tuple[Trace, Longs, list[str]]:
    """The events with which the cache can be driven, their rows in the trace, and notes on what was left out."""
    sentences = []
    kept = np.ones(len(trace), bool)
    if trace.cost_range.most > 0:
        sentences.append("loads end at once, in both: events are driven one after the other")
    for op, name in ((Op.DROP, "remove"), (Op.CLEAR, "clear"), (Op.RESTART, "restart")):
        rows = trace.op == op
        if cache is not None and rows.any() and not cache.can(name):
            kept &= ~rows
            sentences.append(f"{counted(int(rows.sum()), op.name.lower())} left out, in both: no `{name}` is given")
    forced = int((trace.force & (trace.op == Op.READ)).sum())
    if forced and cache is not None and not cache.can("remove"):
        trace = dataclasses.replace(trace, force=np.zeros(len(trace), bool))
        sentences.append(
            f"{counted(forced, 'read')} that asked for a fresh value came as any other, in both: no `remove` is given"
        )
    rows = np.flatnonzero(kept)
    return (trace if kept.all() else trace.take(rows)), rows, sentences


def _with_preloads(trace: Trace, events: Longs, plan: Plan) -> tuple[Trace, Longs, Plan]:
    """The events with the preloads that the plan asks for, which have the numbers of the events after them, and the
    plan without these rules.
    """
    asked = job(trace, plan, instant=True)
    if asked.recorded is None:
        return trace, events, plan
    next_event = np.minimum(asked.recorded.searchsorted(np.arange(len(asked.trace))), len(trace) - 1)
    for rule in ("preload_cost", "preload"):  # the first means nothing without the second
        for stated in stated_rules(plan, trace):
            plan = without(plan, stated) if stated.rule == rule else plan
    return asked.trace, events[next_event], plan
