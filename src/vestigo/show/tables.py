"""A comparison as text for the terminal: the answer first, then tables of at most 100 columns, one a question."""

from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from vestigo.outcome import CAUSES, Measures, together, unknown_staleness
from vestigo.rules import WhatIf
from vestigo.show.grid import GAP, NAME, WIDTH, Column, grid, in_one_unit, in_own_units
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.study import Comparison
from vestigo.units import SHARES, SIZES, SPANS, counted, format_seconds, format_share, format_span

_NARROW = 1
_MOST_TIMES = 24
"""Rows of a table over time."""


class By(StrEnum):
    """How the numbers are also divided."""

    lookup = "lookup"
    time = "time"
    scope = "scope"


def comparison_text(comparison: Comparison, by: By | None = None) -> RenderableType:
    """What today's settings give, then every setting's measures, then why its reads were misses."""
    tables: list[RenderableType] = [
        *_questions(comparison, dict(comparison)),
        *_causes(comparison),
        *(_DIVIDED[by](comparison) if by is not None else []),
    ]
    parts: list[RenderableType] = [answer(comparison)]
    for table in tables:
        parts += [Text(), table]
    settings = [comparison[name] for name in comparison.settings]
    return Group(*parts, *assumed(dict.fromkeys(said for one in settings for said in one.assumptions)))


def answer(comparison: Comparison) -> Text:
    """What is had today, what can be had at all, and which of the settings comes nearest."""
    name = comparison.settings[0]
    today = comparison[name]
    if today.reads == 0:
        return Text("The trace holds no reads to count.")
    top, fresh = (comparison[ceiling] for ceiling in comparison.ceilings)
    known = today.stale_known
    saved, of = today.time_saved, today.uncached_time_ns / 1e9
    room = comparison.most_hits[name]
    here = f", and with today's room no more than {format_share(room / today.reads)}" if room < top.hits else ""
    what_if = _different(comparison.what_if)
    oldest = format_seconds(today.oldest_answer_ns / 1e9) if today.hits else None
    text = Text.assemble(
        f"What if {what_if}? " if what_if else "",
        f"Replayed: {today.whose}. " if today.whose else "",
        ("Today's settings", "bold"),
        f" answer {format_share(today.hit_rate)} of {counted(today.reads, 'read')}",
        f", {_old(today)} with old data" if known else "",
        f", and save readers {format_span(saved)} of {format_seconds(of)}" if of else "",
        f" ({format_share(saved / of)})" if of and saved > 0 else "",
        ". ",
        "" if not of or saved >= 0 else "Readers wait longer than with no cache. ",
        "" if known else f"{unknown_staleness(oldest).capitalize()}. ",
        f"No settings can answer more than {format_share(top.hit_rate)}",
        f", or {format_share(fresh.hit_rate)} with fresh data" if known else "",
        f"{here}; ",
    )
    return kept_together(text.append(_best_of(comparison, name, known)))


def _old(today: Measures) -> str:
    at_least = "at least " if today.changes == "in reads" else ""
    return f"{at_least}{format_share(today.stale_rate)}"


def _best_of(comparison: Comparison, name: str, known: bool) -> str:
    def rate(one: str) -> float:
        return comparison[one].fresh_hit_rate if known else comparison[one].hit_rate

    best, what = max(comparison.settings, key=rate), "fresh hits" if known else "hits"
    if best == name:
        return f"of the settings compared, today's give the most {what}."
    return f"of the settings compared, {printable(best)} gives the most {what}, {format_share(rate(best))}."


def _different(what_if: WhatIf) -> str:
    """What was different about the trace, in words."""
    said = []
    if what_if.nodes is not None:
        said.append(f"there are {counted(what_if.nodes, 'node')} (reads spread {what_if.spread})")
    if what_if.traffic != 1:
        said.append(f"there are {what_if.traffic} times as many reads")
    if what_if.changes != 1:
        said.append(f"values change {what_if.changes} times as often")
    if what_if.origin != 1:
        said.append(f"the origin takes {what_if.origin} times as long")
    if what_if.restart_at is not None:
        said.append(f"everything restarts at {what_if.restart_at}")
    return ", ".join(said)


def _questions(comparison: Comparison, found: Mapping[str, Measures]) -> list[Table]:
    """What readers get, how old answers are, what it takes: a table each."""
    each = list(found.values())
    known = all(one.stale_known for one in each)

    def table(question: str, columns: Sequence[Column]) -> Table:
        return _table(comparison, question, list(found), columns)

    readers = [
        in_one_unit("hit rate", [one.hit_rate for one in each], SHARES),
        _known(known, in_one_unit("fresh hits", [one.fresh_hit_rate for one in each], SHARES)),
        _known(known, in_one_unit("stale hits", [one.stale_rate for one in each], SHARES)),
        in_one_unit("read mean", [one.read_time() for one in each], SPANS),
        in_one_unit("p95", [one.read_time(95) for one in each], SPANS),
        in_one_unit("p99", [one.read_time(99) for one in each], SPANS),
        in_one_unit("time saved", [one.time_saved for one in each], SPANS),
    ]
    ages = [
        in_own_units("answer age", [one.answer_age() for one in each], SPANS),
        in_own_units("p95", [one.answer_age(95) for one in each], SPANS),
        in_own_units("oldest", [one.oldest_answer_ns / 1e9 for one in each], SPANS),
        _known(known, in_own_units("stale age", [one.stale_age() for one in each], SPANS)),
        _known(known, in_own_units("p95", [one.stale_age(95) for one in each], SPANS)),
        _known(known, in_own_units("stalest", [one.oldest_stale_ns / 1e9 for one in each], SPANS)),
    ]
    takes = [
        _count("origin calls", [one.loads for one in each]),
        in_one_unit("origin time", [one.origin_time_ns / 1e9 for one in each], SPANS),
        _count("busiest s", [one.surge_second for one in each], "calls"),
        _count("evictions", [one.evictions for one in each]),
        _count("entries", [one.entries_peak for one in each], "peak"),
        in_one_unit("memory peak", [one.memory_peak for one in each], SIZES),
    ]
    return [table("readers get", readers), table("how old", ages), table("what it takes", takes)]


def _known(known: bool, column: Column) -> Column:
    """What a trace that shows no changes does not tell."""
    return column if known else Column(column.heading, "", ["-"] * len(column.cells))


def _count(heading: str, numbers: Sequence[float], unit: str = "") -> Column:
    return Column(heading, unit, [f"{number:,.0f}" for number in numbers])


def _by_lookup(comparison: Comparison) -> list[RenderableType]:
    parts: list[RenderableType] = []
    for lookup in comparison.baseline.lookups:
        found = {name: one.lookups[lookup] for name, one in comparison.items()}
        parts += [Text(f"Look-up {printable(lookup)}", style="bold"), *_questions(comparison, found)]
    return parts


def _by_time(comparison: Comparison) -> list[RenderableType]:
    """Today's settings over time."""
    import pandas as pd

    slices = comparison[comparison.settings[0]].slices
    step = -(-len(slices) // _MOST_TIMES) or 1
    groups = [slices[begin : begin + step] for begin in range(0, len(slices), step)]
    each = [together(group) for group in groups]
    if not each:
        return []
    known = each[0].stale_known
    names = [f"{pd.Timestamp(group[0].begins_ns, tz='UTC'):%Y-%m-%d %H:%M:%S}" for group in groups]
    columns = [
        _count("reads", [one.reads for one in each]),
        in_one_unit("hit rate", [one.hit_rate for one in each], SHARES),
        _known(known, in_one_unit("stale hits", [one.stale_rate for one in each], SHARES)),
        in_one_unit("p95 read", [one.read_time(95) for one in each], SPANS),
        _count("origin calls", [one.loads for one in each]),
        _count("busiest s", [one.surge_second for one in each], "calls"),
        in_one_unit("memory peak", [one.memory_peak for one in each], SIZES),
    ]
    return [grid("today, from (UTC)", names, columns, [""] * len(names), GAP)]


def _by_scope(comparison: Comparison) -> list[RenderableType]:
    """Origin calls a scope, on average."""
    scopes = comparison.scopes
    if not scopes:
        return [Text("The trace names no scopes.")]
    each = list(comparison.values())
    columns = [
        _count("scopes", [scopes] * len(each)),
        in_own_units("reads a scope", [one.reads / scopes for one in each], ((1, ""),)),
        in_own_units("hits a scope", [one.hits / scopes for one in each], ((1, ""),)),
        in_own_units("origin calls a scope", [one.loads / scopes for one in each], ((1, ""),)),
    ]
    return [_table(comparison, "by scope", list(comparison), columns)]


_DIVIDED: Mapping[By, Callable[[Comparison], list[RenderableType]]] = {
    By.lookup: _by_lookup,
    By.time: _by_time,
    By.scope: _by_scope,
}


def _causes(comparison: Comparison) -> list[Table]:
    """As many tables as it takes to stay within the width."""
    settings, title = comparison.settings, "misses by cause"
    columns = [_count(cause, [comparison[name].misses_by_cause[cause] for name in settings]) for cause in CAUSES]
    columns.append(_count("(joined)", [comparison[name].joined for name in settings]))
    room = WIDTH - max(len(printable(name, NAME)) for name in (title, *settings))
    groups: list[list[Column]] = [[]]
    for column in columns:
        if all(cell == "0" for cell in column.cells):
            continue
        if sum(_NARROW + one.width for one in (*groups[-1], column)) > room:
            groups.append([])
        groups[-1].append(column)
    return [_table(comparison, title, settings, group, _NARROW) for group in groups]


def _table(
    comparison: Comparison, title: str, names: Sequence[str], columns: Sequence[Column], gap: int = GAP
) -> Table:
    settings = comparison.settings
    styles = ["bold" if name == settings[0] else "" if name in settings else "dim" for name in names]
    return grid(title, names, columns, styles, gap)
