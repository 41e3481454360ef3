"""Shows a comparison as text for the terminal: the answer first, then a table of at most 100 columns for each
question.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from vestigo.choosing.compare import Comparison
from vestigo.outcome import Keys, Measures, Outcome, unknown_staleness
from vestigo.rules import WhatIf
from vestigo.rules.plan_parts import TODAY
from vestigo.show.grid import GAP, NAME, WIDTH, Column, grid, in_own_units
from vestigo.show.notes import assumed, kept_together
from vestigo.show.outcome import cause_columns, count, over_time, questions
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.show.watched import keys_text
from vestigo.units import capitalised, counted, format_seconds, format_share, format_span

_GAP_COLUMNS = 1


By = Literal["lookup", "scope", "time"]
"""How the numbers are divided."""


@shown.register
def comparison_text(
    comparison: Comparison, by: By | None = None, lookups: Sequence[str] | None = None, keys: Keys | None = None
) -> RenderableType:
    """What today's settings give, then the measures of all settings, then the causes of their misses. If `lookups` are
    named, it shows only these.
    """
    tables: list[RenderableType] = [*_questions(comparison, dict(comparison)), *_causes(comparison)]
    if lookups:
        tables = _by_lookup(comparison, lookups)
    if keys is not None:
        tables.append(keys_text(keys, lookups))
    elif by is not None and not lookups:
        tables += _DIVIDED[by](comparison)
    parts: list[RenderableType] = [answer(comparison)]
    for table in tables:
        parts += [Text(), table]
    settings = [comparison[name] for name in comparison.settings]
    return Group(*parts, *assumed(dict.fromkeys(said for one in settings for said in one.assumptions)))


def answer(comparison: Comparison) -> Text:
    """What today's settings give, what is possible at all, and which settings come nearest to that."""
    name = comparison.settings[0]
    today = comparison[name]
    if today.reads == 0:
        return Text("The trace holds no reads to count.")
    top, fresh = (comparison[ceiling] for ceiling in comparison.ceilings)
    known = today.stale_known
    saved, of = today.time_saved, today.uncached_time_ns / 1e9
    room = comparison.most_hits[name]
    called = comparison.called
    words = capitalised(called.words)
    whose_room = "this room" if called.stated else "today's room"
    here = f", and with {whose_room} no more than {format_share(room / today.reads)}" if room < top.hits else ""
    what_if = _different(comparison.what_if)
    oldest = format_seconds(today.oldest_answer_ns / 1e9) if today.hits else None
    text = Text.assemble(
        f"What if {what_if}? " if what_if else "",
        f"Replayed: {today.whose}. " if today.whose else "",
        (printable(words, most=300), "bold"),
        f" answer {format_share(today.hit_rate)} of {counted(today.reads, 'read')}",
        f", {_old(today)} with old data" if known else "",
        f", and save readers {format_span(saved)} of {format_seconds(of)}" if of else "",
        f" ({format_share(saved / of)})" if of and saved > 0 else "",
        ". ",
        "" if not of or saved >= 0 else "Readers wait longer than with no cache. ",
        "" if known else f"{unknown_staleness(oldest).capitalize()}. ",
        f"{ceiling_of(top)} can answer more than {format_share(top.hit_rate)}",
        f", or {format_share(fresh.hit_rate)} with fresh data" if known else "",
        f"{here}. ",
    )
    return kept_together(text.append(_best_of(comparison, name, known)))


def ceiling_of(top: Outcome) -> str:
    """Who cannot pass the ceilings. Where the trace names nodes, the ceilings hold for caches that are shared as in the
    settings that are compared.
    """
    if "cache each" in top.whose:
        return f"No settings of caches that do not hear of each other ({top.whose})"
    if "one cache for all" in top.whose:
        return "No settings, with one cache for all nodes or news between them,"
    return "No settings"


def _old(today: Measures) -> str:
    at_least = "at least " if today.changes == "in reads" else ""
    return f"{at_least}{format_share(today.stale_rate)}"


def _best_of(comparison: Comparison, name: str, known: bool) -> str:
    def rate(one: str) -> float:
        return comparison[one].fresh_hit_rate if known else comparison[one].hit_rate

    best, what = max(comparison.settings, key=rate), "fresh hits" if known else "hits"
    if len(comparison.settings) == 1:
        return ""
    if best == name:
        mine = "these" if comparison.called.stated else "today's"
        return f"Of the settings compared, {mine} give the most {what}."
    return f"Of the settings compared, '{printable(best)}' gives the most {what}, {format_share(rate(best))}."


def _different(what_if: WhatIf) -> str:
    """The circumstances that differed from the trace, in words."""
    sentences = []
    if what_if.nodes is not None:
        sentences.append(f"there are {counted(what_if.nodes, 'node')} (reads spread {what_if.spread})")
    if what_if.traffic != 1:
        sentences.append(f"there are {what_if.traffic} times as many reads")
    if what_if.changes != 1:
        sentences.append(f"values change {what_if.changes} times as often")
    if what_if.origin != 1:
        sentences.append(f"the origin takes {what_if.origin} times as long")
    if what_if.restart_at is not None:
        sentences.append(f"everything restarts at {what_if.restart_at}")
    return ", ".join(sentences)


def _questions(comparison: Comparison, measured: Mapping[str, Measures]) -> list[Table]:
    """Three tables: what readers get, how old answers are, and what it takes."""
    return [
        _table(comparison, question, list(measured), columns)
        for question, columns in questions(list(measured.values()), is_one_trace=True).items()
    ]


def _by_lookup(comparison: Comparison, lookups: Sequence[str] | None = None) -> list[RenderableType]:
    parts: list[RenderableType] = []
    for lookup in lookups or comparison.baseline.lookups:
        found = {name: one.lookups[lookup] for name, one in comparison.items()}
        parts += [Text(f"Look-up {printable(lookup)}", style="bold"), *_questions(comparison, found)]
    return parts


def _by_time(comparison: Comparison) -> list[RenderableType]:
    """Today's settings over time."""
    slices = comparison[comparison.settings[0]].slices
    return [over_time(f"{comparison.called.short}, from (UTC)", slices)] if len(slices) else []


def _by_scope(comparison: Comparison) -> list[RenderableType]:
    """The origin calls for each scope, on average."""
    scopes = comparison.scopes
    if not scopes:
        return [Text("The trace names no scopes.")]
    outcomes = list(comparison.values())
    columns = [
        count("scopes", [scopes] * len(outcomes)),
        in_own_units("reads a scope", [one.reads / scopes for one in outcomes], ((1, ""),)),
        in_own_units("hits a scope", [one.hits / scopes for one in outcomes], ((1, ""),)),
        in_own_units("origin calls a scope", [one.loads / scopes for one in outcomes], ((1, ""),)),
    ]
    return [_table(comparison, "by scope", list(comparison), columns)]


_DIVIDED: Mapping[By, Callable[[Comparison], list[RenderableType]]] = {
    "lookup": _by_lookup,
    "time": _by_time,
    "scope": _by_scope,
}


def _causes(comparison: Comparison) -> list[Table]:
    """Misses by cause, in as many tables as the width needs."""
    settings, title = comparison.settings, "misses by cause"
    columns = cause_columns([comparison[name] for name in settings])
    room = WIDTH - max(len(printable(name, NAME)) for name in (title, *settings))
    groups: list[list[Column]] = [[]]
    for column in columns:
        if sum(_GAP_COLUMNS + one.width for one in (*groups[-1], column)) > room:
            groups.append([])
        groups[-1].append(column)
    return [_table(comparison, title, settings, group, _GAP_COLUMNS) for group in groups]


def _table(
    comparison: Comparison, title: str, names: Sequence[str], columns: Sequence[Column], gap: int = GAP
) -> Table:
    settings = comparison.settings
    styles = ["bold" if name == settings[0] else "" if name in settings else "dim" for name in names]
    shown = [comparison.called.short if name == TODAY else name for name in names]
    return grid(title, shown, columns, styles, gap)
