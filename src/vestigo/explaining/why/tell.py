"""``why``: the story of a key, from a replay that logs what happens to it."""

from collections.abc import Sequence
from difflib import get_close_matches
from typing import Any

import numpy as np

from vestigo.engine import what_if
from vestigo.engine.job import Job, job
from vestigo.engine.watch import answer_of, keys_of, log_of
from vestigo.errors import InputError, RulesError, UnknownName, raise_for_unknown
from vestigo.explaining.why.advice import Case, advice_for
from vestigo.explaining.why.one_read import OneRead, explained, room_in_words
from vestigo.explaining.why.steps import held_ns, rows_of, stays_of, steps_of
from vestigo.explaining.why.story import Advice, Story
from vestigo.outcome import CAUSES
from vestigo.outcome.keys import Keys
from vestigo.outcome.seen import FAILED, MISS, NO_AGE, NULL
from vestigo.prepared.neighbours import gaps_ns
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Op, Readable, Trace
from vestigo.trace.names import arrow_names
from vestigo.trace.shape import Moment, moment_in
from vestigo.units import format_time

_CLOSE = 5
_LOOKED_AT = 20_000
"""Keys among which close ones are looked for."""


def why(  # noqa: PLR0913  # one argument for each thing that can be asked
    trace: Readable,
    settings: Settings,
    *,
    key: str,
    lookup: str | None = None,
    at: Moment | None = None,
    node: str | None = None,
    engine: Engine = "native",
) -> Story:
    """Tells what happened to a key, its counts, and which change of a rule would have helped.

    `lookup` need not be named if only one look-up has the key. `at` asks for the read nearest to a time, written as in
    `shape.between`, and `Story.read` explains that read. With `node`, the read and the steps are those of that node.

    Raises UnknownName for a key, look-up or node that is not in the trace, and RulesError for a time outside of it, and
    if the settings do not fit it.

    >>> from vestigo import Rules, read_trace
    >>> trace = read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]})
    >>> story = why(trace, Rules(max_entries=1), key="a")
    >>> [(step.what, step.cause, step.other) for step in story.steps if step.what in ("missed", "evicted")]
    [('missed', 'first', None), ('evicted', None, 'b'), ('missed', 'evicted', None)]
    """
    stated = plan_of(settings, engine)
    on, plan = what_if.applied(trace_of(trace, stated), stated)
    number = _key(on, key, lookup)
    _check_node(on, node)
    at_ns = None if at is None else _time(on, at)
    asked = job(on, plan)
    case, rows = _case(on, plan, asked, number), rows_of(on, number)
    read = None if at_ns is None else _one_read(case, asked, _nearest(case.trace, rows, at_ns, node))
    return _story(case, read, advice_for(case), node)


def story_of_read(trace: Trace, plan: Plan, asked: Job, event: int) -> Story:
    """The story of the key that is read at a row of the trace, with that read explained, and without advice."""
    case = _case(trace, plan, asked, int(trace.key[event]))
    return _story(case, _one_read(case, asked, event), [])


def _case(trace: Trace, plan: Plan, asked: Job, key: int) -> Case:
    rules, lookup = asked.groups.each[asked.groups.key_groups[key]].rules, int(trace.key_lookup[key])
    gives_up_ns = asked.origins.of(lookup).give_up
    steps = steps_of(trace, rows_of(trace, key), rules, gives_up_ns, log_of(asked, key))
    counted = keys_of(asked, lookup)
    return Case(trace, plan, key, rules, steps, counted, int(asked.trace.at[asked.first_counted]))


def _story(case: Case, read: OneRead | None, advice: Sequence[Advice], node: str | None = None) -> Story:
    trace, steps, room = case.trace, case.steps, case.plan.pool_rules(case.lookup)
    rows = rows_of(trace, case.key)
    stays = stays_of(steps, case.rules, int(trace.at[-1]))
    gaps = gaps_ns(trace, rows, case.rules.per)
    held = {"held_ns": held_ns(stays, case.counted_from_ns), "places": len({one.where for one in stays})}
    limit = room_in_words(room.max_entries, room.max_bytes)
    return Story(
        lookup=case.lookup,
        key=str(trace.keys[case.key]),
        steps=[one for one in steps if node is None or one.where == node or one.what == "changed"],
        stays=[one for one in stays if node is None or one.where == node],
        total=_total(case.keys, case.key) | held,
        gap_ns=int(np.median(gaps)) if len(gaps) else None,
        advice=advice,
        counted_from_ns=case.counted_from_ns,
        begins_ns=int(trace.at[0]),
        ends_ns=int(trace.at[-1]),
        read=explained(read, steps, case.rules, limit) if read else None,
        read_at_ns=read.at_ns if read else None,
    )


def _total(keys: Keys, key: int) -> dict[str, object]:
    names = "reads hits joined failed misses stale_hits false_nulls loads origin_time_ns evictions oldest_stale_ns"
    causes = {cause: int(keys.counted[cause][key]) for cause in CAUSES if keys.counted[cause][key]}
    return {name: int(keys.column(name)[key]) for name in (*names.split(), "held_byte_ns", "idle_byte_ns")} | {
        "misses_by_cause": causes
    }


def _nearest(trace: Trace, rows: np.ndarray, at_ns: int, node: str | None) -> int:
    """The read among some rows that is nearest to a time. Raises InputError."""
    own = trace.take(rows)
    chosen = (own.op == Op.READ) & ((own.node == trace.nodes.index(node)) if node is not None else True)
    if not chosen.any():
        raise InputError(f"the trace has no read of this key{f' on {node}' if node else ''}; name another node or key")
    places = np.flatnonzero(chosen)
    return int(rows[places[np.argmin(np.abs(own.at[places] - at_ns))]])


def _one_read(case: Case, asked: Job, row: int) -> OneRead:
    """What the engine tells of the read at a row."""
    trace = case.trace
    answers = answer_of(asked, row)
    code = int(answers.answer[0])
    answer = code & (NULL - 1)
    places: dict[str, tuple[Any, Sequence[object]]] = {
        "node": (trace.node, trace.nodes),
        "scope": (trace.scope, trace.scopes),
    }
    ids, texts = places.get(case.rules.per, (trace.node, ()))
    where = str(texts[ids[row]]) if len(texts) and ids[row] >= 0 else None
    return OneRead(
        row,
        int(trace.at[row]),
        where,
        "failed" if answer == FAILED else ("hit", "joined", "miss")[min(answer, MISS)],
        CAUSES[answer - MISS] if MISS <= answer < FAILED else None,
        int(answers.read_time_ns[0]),
        int(answers.age_ns[0]),
        int(answers.stale_ages_ns[0]) if len(answers.stale_ages_ns) else NO_AGE,
        bool(code & NULL),
        asked.origins.of(int(trace.lookup[row])).give_up,
    )


def _key(trace: Trace, key: str, lookup: str | None) -> int:
    """The id of a key. Raises InputError."""
    if lookup is not None:
        raise_for_unknown("look-up", lookup, trace.lookups)
    texts = arrow_names(trace.keys).cast("string").to_numpy(zero_copy_only=False) if len(trace.keys) else np.array([])
    own = np.ones(len(texts), bool) if lookup is None else trace.key_lookup == trace.lookups.index(lookup)
    keys = np.flatnonzero(own & (texts == str(key)))
    if len(keys) == 1:
        return int(keys[0])
    if len(keys):
        names = ", ".join(trace.lookups[trace.key_lookup[one]] for one in keys)
        raise InputError(f"several look-ups have the key {key!r}: {names}; name one with lookup")
    raise UnknownName(
        f"the trace has no key {key!r}{f' of {lookup}' if lookup else ''}; {_closest(str(key), texts[own])}"
    )


def _closest(key: str, texts: Sequence[str]) -> str:
    begin_alike = list(dict.fromkeys(text for text in texts if text[:1].lower() == key[:1].lower()))[:_LOOKED_AT]
    close = get_close_matches(key, begin_alike or list(texts[:_LOOKED_AT]), n=_CLOSE, cutoff=0.5)
    return f"the closest are {', '.join(map(repr, close))}" if close else "no key is close to it"


def _check_node(trace: Trace, node: str | None) -> None:
    if node is not None:
        raise_for_unknown("node", node, trace.nodes)


def _time(trace: Trace, at: Moment) -> int:
    at_ns = moment_in(trace, "at", at)
    begin, end = int(trace.at[0]), int(trace.at[-1])
    if not begin <= at_ns <= end:
        raise RulesError(
            f"at: {format_time(at_ns)} is outside the trace, which goes from {format_time(begin)} to "
            f"{format_time(end)}; name a time within it"
        )
    return at_ns
