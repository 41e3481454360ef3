"""``check``: what each rule of a plan earns, and what is likely wrong with it."""

import dataclasses
from collections.abc import Iterable, Sequence
from pathlib import Path

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.choose import settled
from vestigo.choosing.results import Kept, bounds_of, replayed, split_at
from vestigo.choosing.run_sweep import SHARE_FOR_REST, share_between
from vestigo.choosing.tasks import Task, Tasks
from vestigo.describing.survey import survey
from vestigo.engine.job import Job, job
from vestigo.engine.ready import prepare
from vestigo.engine.replay import replay_parts
from vestigo.engine.what_if import applied
from vestigo.errors import InputError, RulesError
from vestigo.explaining.check.facts import Facts
from vestigo.explaining.check.findings import Check, Mistake, RuleTried, gain
from vestigo.explaining.check.hints import advice
from vestigo.explaining.check.judge import judged
from vestigo.explaining.check.mistakes import suspicions
from vestigo.explaining.hypotheses.stated_rules import StatedRule, stated_rules, with_value, without
from vestigo.progress import Progress, reporting
from vestigo.rules import Aim, Plan
from vestigo.rules.plan import Engine
from vestigo.rules.plan_parts import TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import Changes, name_of
from vestigo.trace import Readable, Trace
from vestigo.units import counted, format_time

MOST_EVENTS = 20_000_000
"""Of longer traces, the last so many are checked."""
_BETTER = 0.0005
"""So much better, in parts of the aim, is a fixed plan that takes one more change."""


def check(
    trace: Readable,
    settings: Settings,
    *,
    results: str | Path | None = None,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Check:
    """Takes every stated rule away alone, halves and doubles every amount, and looks for likely mistakes. A replay says
    what each costs.

    Replays run on all cores. `results` names a file that keeps them, as `sweep` does. If a trace has more than
    20,000,000 events, only the last 20,000,000 are checked, and `Check.notes` says so. `progress` is as in `sweep`.

    Raises RulesError if the settings do not fit the trace, and Interrupted on Ctrl-C.

    >>> from vestigo import Rules, synth
    >>> found = check(synth(5_000, keys=100, seed=1), Rules(absolute="5ms", max_entries=100_000))
    >>> worst = found.mistakes[0]
    >>> worst.kind, dict(worst.changes)
    ('lifetime too short', {'lookup.reads.absolute': '5s'})
    """
    plan = plan_of(settings, engine)
    given, notes = _end_of(trace_of(trace, plan))
    with reporting(progress) as report, Tasks(given, results, None, report) as tasks:
        return _checked(given, plan, notes, tasks)


def _checked(given: Trace, plan: Plan, notes: Sequence[str], tasks: Tasks) -> Check:
    bare = dataclasses.replace(plan, candidates={}, vary={})
    trials = _Trials(given, bare, tasks)
    rules = _rules_tried(trials, stated_rules(trials.plan, given))
    trials.run("rules")
    aim = settled(plan.aim, trials.candidates())
    on, today = trials.on, trials.jobs[TODAY]
    tasks.progress("survey", 0, 0)
    facts = Facts(on, trials.plan, today, trials.found[TODAY], survey(on)) if len(on) else None
    suspected = suspicions(facts, tasks.progress) if facts else []
    named = [[trials.ask(changes) for changes in one.fixes] for one in suspected]
    trials.run("fixes")
    candidates = trials.candidates()
    verdicts = [
        judged(candidates, aim, one, [name for name in names if name])
        for one, names in zip(suspected, named, strict=True)
    ]
    mistakes = sorted((one for one in verdicts if one is not None), key=lambda one: -one.gain)
    fixed, name = _fixed(trials, bare, aim, mistakes)
    said = tuple(advice(facts, aim)) if facts else ()
    return Check(trials.candidates(), aim, rules, mistakes, plan, fixed, name, said, (*notes, *tasks.notes))


def _end_of(trace: Trace) -> tuple[Trace, list[str]]:
    if len(trace) <= MOST_EVENTS:
        return trace, []
    end = trace.block(len(trace) - MOST_EVENTS, len(trace))
    begins = format_time(int(end.at[0]))
    return end, [f"checked on the last {MOST_EVENTS:,} of {counted(len(trace), 'event')}, from {begins} on"]


class _Trials:
    """Plans that are tried, with their results. The plan's `what_if` was already applied to the trace."""

    def __init__(self, given: Trace, stated: Plan, tasks: Tasks) -> None:
        self._tasks = tasks
        self._what_if = stated.what_if.to_dict()
        self.on, self.plan = applied(given, stated)
        self.jobs: dict[str, Job] = {}
        self.found: dict[str, Candidate] = {}
        self._asked: dict[str, tuple[Changes, Plan]] = {}
        self._rest = share_between("rest", SHARE_FOR_REST)
        self.add(TODAY, {}, self.plan)

    def ask(self, changes: Changes) -> str | None:
        """Adds the plan with these changes, and returns its name. None if the changes do not fit the plan."""
        try:
            return self.add(name_of(changes), changes, self.plan.changed(changes))
        except InputError:
            return None

    def add(self, name: str, changes: Changes, plan: Plan) -> str:
        """Raises RulesError where the plan does not fit the trace."""
        if name not in self.jobs:
            self.jobs[name] = job(self.on, plan)
            self._asked[name] = (changes, plan)
        return name

    def run(self, what: str) -> None:
        """Replays the plans that were not replayed before."""
        missing = {name: one for name, one in self._asked.items() if name not in self.found}
        split = split_at(self.jobs[TODAY], self._rest)
        tasks = [
            Task(name, self._stored_as(plan), replayed, (self.jobs[name], name, split))
            for name, (_, plan) in missing.items()
        ]
        results, _ = self._tasks.run(tasks, Kept, what, lambda names: self._prepare(names, split))
        self.found |= {
            name: Candidate.made(name, changes, plan, results[name]) for name, (changes, plan) in missing.items()
        }

    def _prepare(self, names: Sequence[str], split_ns: int) -> None:
        prepare([self.jobs[TODAY]])
        replay_parts([self.jobs[name] for name in names], split_ns, self._tasks.progress)

    def _stored_as(self, plan: Plan) -> str | None:
        """The name under which results are stored: that of a sweep's results, if the trace is as recorded."""
        return self._tasks.stored_as(plan, self._rest, *([self._what_if] if self._what_if else []))

    def candidates(self) -> Candidates:
        return Candidates(dict(self.found), {}, self.plan.aim, self._bounds(), source=self.on.source)

    def _bounds(self) -> tuple[int, int, int]:
        today = self.jobs[TODAY]
        return bounds_of(today, split_at(today, self._rest))


def _rules_tried(trials: _Trials, stated: Iterable[StatedRule]) -> list[RuleTried]:
    rules = []
    for rule in stated:
        tried, why = {}, ""
        try:
            tried["without"] = trials.add(f"without {rule.key}", {}, without(trials.plan, rule))
        except RulesError as error:
            why = error.problems[0]
        for what, value in rule.steps():
            try:
                tried[what] = trials.add(
                    f"{what} {rule.key}", {rule.key: str(value)}, with_value(trials.plan, rule, value)
                )
            except RulesError:
                continue
        rules.append(RuleTried(rule.key, rule.written, tried, why))
    return rules


def _fixed(trials: _Trials, stated: Plan, aim: Aim, mistakes: Iterable[Mistake]) -> tuple[Plan, str]:
    """Applies the changes of one mistake after the other, as long as each makes the plan better."""
    name, changes = TODAY, dict[str, object]()
    for one in mistakes:
        if not one.changes or one.gain <= 0:
            continue
        more = {**changes, **one.changes}
        further = trials.ask(more)
        if further is None:
            continue
        trials.run("fixed")
        found = trials.candidates()
        if gain(found, aim, found[further]) > gain(found, aim, found[name]) + _BETTER:
            name, changes = further, more
    return (stated.changed(changes) if changes else stated), name
