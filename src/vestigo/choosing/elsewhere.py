"""Checks a choice on another recording, in place of the last part of its own."""

import dataclasses

from vestigo.choosing.pick import Elsewhere, Excess, Pick
from vestigo.choosing.reasons import HELD_OUT
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.engine.what_if import applied
from vestigo.errors import InputError
from vestigo.measures import amount_of
from vestigo.outcome import Outcome
from vestigo.rules import Plan
from vestigo.rules.only import only
from vestigo.trace import Readable, Trace, read_trace


def checked_on(pick: Pick, recording: Readable, name: str = "") -> Pick:
    """The pick with what its settings give on another recording. `Pick.holds` judges by that, and so does the sentence
    on held-out time. Raises InputError for a recording without reads.

    >>> from vestigo import Aim, Plan, Rules, search, synth
    >>> pick = search(synth(3_000, keys=100, seed=1), Plan(Rules(max_entries=10), aim=Aim(most="hit_rate"))).choose()
    >>> checked_on(pick, synth(3_000, keys=100, seed=2)).holds
    True
    """
    trace = read_trace(recording)
    if trace.reads == 0:
        raise InputError(f"{trace.source}: holds no reads, so nothing can be checked on it")
    own, today = (_replayed(trace, one.plan) for one in (pick.candidate, pick.among.today))
    measure = pick.aim.best
    if measure is None:
        raise InputError("--rest-from: checks a measure, and the aim is money; name a measure in [aim]")
    limits = [(limit.beside(amount_of(today, limit.name)), amount_of(own, limit.name)) for limit in pick.aim.each_limit]
    broken = tuple(Excess(limit, amount) for limit, amount in limits if not limit.allows(amount))
    there = Elsewhere(name or trace.source, amount_of(own, measure), amount_of(today, measure), broken)
    said = sentence(pick, there)
    because = tuple(said if one.startswith(HELD_OUT) else one for one in pick.because)
    return dataclasses.replace(pick, elsewhere=there, because=because)


def sentence(pick: Pick, there: Elsewhere) -> str:
    """What the settings give there."""
    own, today = (pick.amount_text(one) for one in (there.value, there.today))
    broken = " and ".join(str(one.limit) for one in there.broken)
    limits = f", and break {broken}" if broken else ""
    beside = f"{pick.among.settings.short} {today}"
    return f"Check on {there.recording}: these settings give {pick.goal} {own} there ({beside}){limits}."


def _replayed(trace: Trace, plan: Plan) -> Outcome:
    bare = dataclasses.replace(plan, candidates={}, vary={})
    return run(job(*applied(trace, only(bare, trace.lookups))), "elsewhere")
