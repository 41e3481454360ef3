"""A comparison as text for the terminal: the answer first, then tables of at most 100 columns."""

from collections.abc import Mapping, Sequence

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from vestigo.outcome import CAUSES, Measures
from vestigo.rules import WhatIf
from vestigo.show.grid import GAP, NAME, WIDTH, Column, grid, in_one_unit
from vestigo.show.safe import printable
from vestigo.study import Comparison
from vestigo.units import SHARES, SIZES, SPANS, counted, format_seconds, format_share

_NARROW = 1


def comparison_text(comparison: Comparison, by_lookup: bool = False) -> RenderableType:
    """What today's settings give, then every setting's measures, then why its reads were misses."""
    tables = [_measures(comparison, "all look-ups", comparison)]
    if by_lookup:
        for lookup in comparison.baseline.lookups:
            found = {name: outcome.lookups[lookup] for name, outcome in comparison.items()}
            tables.append(_measures(comparison, lookup, found, lookup))
    parts: list[RenderableType] = [answer(comparison)]
    for table in (*tables, *_causes(comparison)):
        parts += [Text(), table]
    return Group(*parts)


def answer(comparison: Comparison) -> Text:
    """What is had today, what can be had at all, and which of the settings comes nearest."""
    today, name = comparison[comparison.settings[0]], comparison.settings[0]
    if today.reads == 0:
        return Text("The trace holds no reads to count.")
    top, fresh = (comparison[ceiling] for ceiling in comparison.ceilings)
    best = max(comparison.settings, key=lambda one: comparison[one].fresh_hit_rate)
    saved, of = comparison.time_saved(name), comparison.baseline.origin_time_ns / 1e9
    share = f" ({format_share(saved / of)})" if of else ""
    room = comparison.most_hits[name]
    here = f", and with today's room no more than {format_share(room / today.reads)}" if room < top.hits else ""
    what_if = _different(comparison.what_if)
    text = Text.assemble(
        f"What if {what_if}? " if what_if else "",
        ("Today's settings", "bold"),
        f" answer {format_share(today.hit_rate)} of {today.reads:,} reads, {format_share(today.stale_rate)} with old "
        f"data, and save {format_seconds(saved)} of {format_seconds(of)} origin time{share}. No settings can answer "
        f"more than {format_share(top.hit_rate)}, or {format_share(fresh.hit_rate)} with fresh data{here}; ",
    )
    if best == name:
        return text.append("of the settings compared, today's give the most fresh hits.")
    rate = format_share(comparison[best].fresh_hit_rate)
    return text.append(f"of the settings compared, {printable(best)} gives the most fresh hits, {rate}.")


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


def _measures(comparison: Comparison, title: str, found: Mapping[str, Measures], lookup: str | None = None) -> Table:
    each = list(found.values())
    columns = [
        in_one_unit("hit rate", [one.hit_rate for one in each], SHARES),
        in_one_unit("fresh hits", [one.fresh_hit_rate for one in each], SHARES),
        in_one_unit("stale", [one.stale_rate for one in each], SHARES),
        Column("origin calls", "", [f"{one.loads:,}" for one in each]),
        in_one_unit("time saved", [comparison.time_saved(name, lookup) for name in found], SPANS),
        in_one_unit("read p95", [one.read_time(95) for one in each], SPANS),
        in_one_unit("memory peak", [one.memory_peak for one in each], SIZES),
    ]
    return _table(comparison, title, list(found), columns)


def _causes(comparison: Comparison) -> list[Table]:
    """As many tables as it takes to stay within the width."""
    settings, title = comparison.settings, "misses by cause"
    columns = [
        Column(cause, "", [f"{comparison[name].misses_by_cause[cause]:,}" for name in settings]) for cause in CAUSES
    ]
    columns.append(Column("(joined)", "", [f"{comparison[name].joined:,}" for name in settings]))
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
