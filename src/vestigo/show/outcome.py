"""Shows single outcomes as text: all together, by look-up, and over time."""

from collections.abc import Mapping, Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from vestigo.outcome import CAUSES, Measures, Outcome, Slice, Slices, together
from vestigo.show.grid import GAP, Column, grid, in_one_unit, in_own_units
from vestigo.show.notes import assumed
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.trace import Trace
from vestigo.units import SHARES, SIZES, SPANS, format_seconds, format_time

MOST_TIMES = 24
"""Rows of a table over time."""


@shown.register
def outcome_text(outcome: Outcome) -> RenderableType:
    """The text of an outcome: all look-ups together, then each."""
    measured: dict[str, Measures] = {"all look-ups": outcome, **outcome.lookups}
    if len(outcome.lookups) == 1:
        del measured["all look-ups"]
    whose = [Text(f"Replayed: {printable(outcome.whose, most=300)}."), Text()] if outcome.whose else []
    return Group(*whose, measures_text(measured), *assumed(outcome.assumptions))


def measures_text(measured: Mapping[str, Measures]) -> RenderableType:
    """A table for each question, and one for the causes of misses, with a row for each name."""
    parts: list[RenderableType] = []
    for question, columns in questions(list(measured.values())).items():
        parts += [grid(question, list(measured), columns, [""] * len(measured)), Text()]
    columns = cause_columns(list(measured.values()))
    return Group(*parts, grid("misses by cause", list(measured), columns, [""] * len(measured), 1))


@shown.register
def slices_text(slices: Slices) -> RenderableType:
    """A row for each slice of time."""
    if not len(slices):
        return Text("No time was counted.")
    return over_time("from (UTC)", slices)


def over_time(title: str, slices: Slices) -> RenderableType:
    """A table with one row for each stretch of time."""
    step = -(-len(slices) // MOST_TIMES)
    groups = [slices[begin : begin + step] for begin in range(0, len(slices), step)]
    stretches = [together(group) for group in groups]
    known = [one.stale_known for one in stretches]
    names = [format_time(group[0].begins_ns).partition(".")[0] for group in groups]
    columns = [
        count("reads", [one.reads for one in stretches]),
        in_one_unit("hit rate", [one.hit_rate for one in stretches], SHARES),
        if_known(known, in_one_unit("stale hits", [one.stale_rate for one in stretches], SHARES)),
        in_one_unit("p95 read", [one.read_time(95) for one in stretches], SPANS),
        in_one_unit("memory peak", [one.memory_peak for one in stretches], SIZES),
    ]
    calls = [one.loads for one in stretches]
    if any(one.origin_stated for one in stretches):
        columns += [
            count("calls", calls),
            count("waiting", [one.waiting_peak for one in stretches], "peak"),
            count("failed", [one.failed for one in stretches], "reads"),
            count("slow", [one.slow_reads for one in stretches], "reads"),
        ]
    else:
        busiest = count("calls in busiest s", [one.surge_second for one in stretches])
        columns[-1:-1] = [count("origin calls", calls), busiest]
    return grid(title, names, columns, [""] * len(names), GAP)


def questions(measured: Sequence[Measures], is_one_trace: bool = False) -> dict[str, list[Column]]:
    """The columns of three tables: what readers get, how old answers are, and what it takes. With `is_one_trace`, the
    first row says whether changes are known, because the fresh ceiling is replayed on a trace with other versions.
    """
    known = [(measured[0] if is_one_trace else one).stale_known for one in measured]
    readers = [
        in_one_unit("hit rate", [one.hit_rate for one in measured], SHARES),
        if_known(known, in_one_unit("fresh hits", [one.fresh_hit_rate for one in measured], SHARES)),
        if_known(known, in_one_unit("stale hits", [one.stale_rate for one in measured], SHARES)),
        in_one_unit("read mean", [one.read_time() for one in measured], SPANS),
        in_one_unit("p95", [one.read_time(95) for one in measured], SPANS),
        in_one_unit("p99", [one.read_time(99) for one in measured], SPANS),
        in_one_unit("time saved", [one.time_saved for one in measured], SPANS),
    ]
    ages = [
        in_own_units("answer age", [one.answer_age() for one in measured], SPANS),
        in_own_units("p95", [one.answer_age(95) for one in measured], SPANS),
        in_own_units("max age", [one.oldest_answer_ns / 1e9 for one in measured], SPANS),
        if_known(known, in_own_units("stale age", [one.stale_age() for one in measured], SPANS)),
        if_known(known, in_own_units("p95", [one.stale_age(95) for one in measured], SPANS)),
        if_known(known, in_own_units("max stale age", [one.oldest_stale_ns / 1e9 for one in measured], SPANS)),
    ]
    takes = [
        count("origin calls", [one.loads for one in measured]),
        in_one_unit("origin time", [one.origin_time_ns / 1e9 for one in measured], SPANS),
        count("calls in busiest s", [one.surge_second for one in measured]),
        count("evictions", [one.evictions for one in measured]),
        count("entries", [one.entries_peak for one in measured], "peak"),
        in_one_unit("memory peak", [one.memory_peak for one in measured], SIZES),
    ]
    asked = {"readers get": readers, "how old": ages, "what it takes": takes}
    return asked | ({"at the origin": _at_the_origin(measured)} if any(one.origin_stated for one in measured) else {})


def _at_the_origin(measured: Sequence[Measures]) -> list[Column]:
    stated = [one.origin_stated for one in measured]
    columns = [
        count("failed", [one.failed for one in measured], "reads"),
        count("served", [one.served_on_failure for one in measured], "on failure"),
        count("slow", [one.slow_reads for one in measured], "reads"),
        count("failed", [one.failed_loads for one in measured], "calls"),
        in_one_unit("wait mean", [one.origin_wait() for one in measured], SPANS),
        in_one_unit("p95", [one.origin_wait(95) for one in measured], SPANS),
        in_one_unit("max", [one.longest_wait_ns / 1e9 for one in measured], SPANS),
        count("waiting", [one.waiting_peak for one in measured], "peak"),
    ]
    return [if_known(stated, column) for column in columns]


def cause_columns(each: Sequence[Measures]) -> list[Column]:
    """Columns for misses by cause, and for joined reads. Causes that no row has are left out."""
    columns = [count(cause, [one.misses_by_cause[cause] for one in each]) for cause in CAUSES]
    columns.append(count("(joined)", [one.joined for one in each]))
    return [column for column in columns if any(cell != "0" for cell in column.cells)]


def if_known(known: Sequence[bool], column: Column) -> Column:
    """A dash in each row of which the trace shows no changes, so that it does not tell."""
    if not any(known):
        return Column(column.heading, "", ["-"] * len(column.cells))
    return column._replace(cells=[cell if one else "-" for cell, one in zip(column.cells, known, strict=True)])


def count(heading: str, numbers: Sequence[float], unit: str = "") -> Column:
    return Column(heading, unit, [f"{number:,.0f}" for number in numbers])


@shown.register
def _one(measures: Measures) -> RenderableType:
    return measures_text({"slice" if isinstance(measures, Slice) else "look-up": measures})


@shown.register
def _trace(trace: Trace) -> RenderableType:
    rows = {
        "events": f"{len(trace):,}",
        "reads": f"{trace.reads:,}",
        "look-ups": ", ".join(printable(name) for name in trace.lookups[:10]),
        "keys": f"{len(trace.keys):,}",
        "nodes": f"{len(trace.nodes):,}",
        "time": format_seconds(trace.span_ns / 1e9),
    }
    return grid(printable(trace.source), list(rows), [Column("", "", list(rows.values()))], [""] * len(rows))
