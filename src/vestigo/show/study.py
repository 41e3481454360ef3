"""Shows a sweep, a candidate and curves of sizes as text for the terminal: the answer first, then a table."""

from collections.abc import Iterable, Sequence

import numpy as np
from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.sweep import Sweep
from vestigo.engine.size_curve import SizeCurve
from vestigo.measures import MEASURES, is_told
from vestigo.rules.vary import name_of
from vestigo.show.grid import GAP, NAME, Column, grid, in_one_unit, in_own_units
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SHARES, SIZES, SPANS, counted, format_bytes, format_share

MOST_ROWS = 20
_SHOWN = ("hit_rate", "fresh_hit_rate", "stale_rate", "loads", "read_time.p95", "answer_age.mean", "memory_peak")
_HEADINGS = {"read_time.p95": "read p95", "answer_age.mean": "answer age"}
_UNITS = {"share": SHARES, "size": SIZES, "span": SPANS}


@shown.register
def sweep_text(candidates: Sweep) -> RenderableType:
    """How many candidates there are, and those that no other beats."""
    front = candidates.front()
    shown = front[:MOST_ROWS]
    known = len(candidates) + len(candidates.references) - candidates.replayed
    of = "hit rate, memory and stale hits" if candidates.stale_known else "hit rate and memory"
    parts: list[RenderableType] = [
        *_whose(candidates),
        Text.assemble(
            (f"{counted(len(candidates), 'candidate')}, {len(front):,} of them the best trade-offs", "bold"),
            f": no other is at least as good in {of}",
            f" ({counted(known, 'result')} reused)." if known else ".",
            f" The table shows {len(shown):,} of them." if len(shown) < len(front) else "",
            "" if candidates.stale_known else f" Note that {candidates.staleness_unknown}.",
        ),
        Text(),
        _table(
            "the front", [candidates.today, *(one for one in shown if one.name != candidates.today.name)], candidates
        ),
    ]
    if long_names := [one for one in shown if len(one.name) > NAME]:
        parts += [Text(), *_changes(long_names, candidates)]
    return Group(*parts, *_notes(candidates))


def every_text(candidates: Sweep) -> RenderableType:
    """Every candidate, in the order in which they were asked for."""
    rows = list(candidates.values())
    long_names = [one for one in rows if len(one.name) > NAME]
    changes = [Text(), *_changes(long_names, candidates)] if long_names else []
    return Group(*_whose(candidates), _table("candidate", rows, candidates), *changes, *_notes(candidates))


def _whose(found: Candidates) -> list[RenderableType]:
    whose = found.today.whose
    return [Text(f"Replayed: {printable(whose, most=300)}."), Text()] if whose else []


def _notes(found: Candidates) -> list[Text]:
    return [*assumed(found.today.assumptions), *_below(found.notes)]


def _below(notes: Iterable[str]) -> list[Text]:
    return [Text(f"\n{printable(note, most=300)}") for note in notes]


def _changes(candidates: Sequence[Candidate], among: Candidates) -> list[RenderableType]:
    """What candidates with long names change: first what they share, then a row for each."""
    keys = list(dict.fromkeys(key for one in candidates for key in one.changes))
    shared = [key for key in keys if len({str(one.changes.get(key)) for one in candidates}) == 1]
    parts: list[RenderableType] = []
    if shared and len(candidates) > 1:
        shared_changes = name_of({key: candidates[0].changes[key] for key in shared})
        parts = [Text(f"all that follow: {printable(shared_changes, most=500)}"), Text()]
        keys = [key for key in keys if key not in shared]
    names = [_number(one, among) for one in candidates]
    columns = [
        Column(*_heading(key), [printable(str(one.changes.get(key, "")), NAME) for one in candidates]) for key in keys
    ]
    return [*parts, grid("number", names, columns, [""] * len(names), 1)]


def _heading(key: str) -> tuple[str, str]:
    """A rule's look-up or pool, and its name."""
    where, _, rule = key.removeprefix("lookup.").rpartition(".")
    return ("" if where == "rules" else printable(where, NAME)), rule


@shown.register
def candidate_text(candidate: Candidate) -> RenderableType:
    """A candidate's measures for the whole time."""
    columns = [_column(name, [candidate], candidate) for name in _SHOWN]
    return grid("candidate", [candidate.name], columns, [""], GAP)


def curves_text(curves: Sequence[SizeCurve]) -> RenderableType:
    """How little room gives nearly all hits, what more room would bring today, and the hits at doubling sizes."""
    if not curves:
        return Text("The trace has no events, so there is no curve.", style="bold")
    names = [one.name for one in curves]
    styles = [""] * len(curves)
    share = format_share(curves[0].enough_share)
    enough = [
        in_one_unit("no limit", [one.ceiling for one in curves], SHARES),
        Column(f"{share} of it", "entries", [f"{one.enough_entries:,}" for one in curves]),
        in_own_units("in memory", [one.enough_bytes for one in curves], SIZES),
        Column("today's limit", "", [_limit(one) for one in curves]),
        _known("curve at limit", [one.at_limit for one in curves]),
        _real(curves),
        _known("next MiB", [one.next_mib for one in curves]),
        _known("last MiB", [one.last_mib for one in curves]),
    ]
    most = max((int(one.entries[-1]) for one in curves if len(one.entries)), default=1)
    sizes = sorted({round(size) for size in np.geomspace(1, most, 9)})
    rates = [
        Column(f"{size:,}", "%", in_one_unit("", [c.hit_rate(size) for c in curves], SHARES).cells) for size in sizes
    ]
    first = max(curves, key=lambda one: one.reads)
    whose = [Text(f"Room of this size for each of {first.whose}."), Text()] if first.whose else []
    answer = Text.assemble(
        (f"{printable(first.name, NAME)}: {counted(first.enough_entries, 'entry', 'entries')} give a hit rate", "bold"),
        (f" of {format_share(first.hit_rate(first.enough_entries))}", "bold"),
        f", which is {share} of the {format_share(first.ceiling)} without any limit. (LRU, nothing expires, loads are "
        "instant",
        ".)" if first.real_rate is None else '. Column "replayed": today\'s real hit rate.)',
    )
    return Group(
        *whose,
        kept_together(answer),
        Text(),
        grid("look-up", names, enough, styles, 1),
        Text(),
        grid("hits by entries", names, rates, styles, 1),
        *_rough(curves),
    )


def _rough(curves: Sequence[SizeCurve]) -> list[Text]:
    """Says where the curve in bytes is not known."""
    rough = [one for one in curves if None in (one.at_limit, one.next_mib, one.last_mib)]
    if not rough:
        return []
    named = ", ".join(f"{printable(one.name, NAME)} ({format_bytes(one.exact_from)})" for one in rough)
    return [
        Text(),
        kept_together(
            Text(
                f"The largest value of {named} does not fit into the room in question. The curve does not know what "
                "smaller rooms give: replay them, as in vestigo replay --rules lookup.NAME.max_bytes=SIZE.",
                style="dim",
            )
        ),
    ]


def _known(heading: str, rates: Sequence[float | None]) -> Column:
    """Rates, with a dash where one is not known."""
    column = in_one_unit(heading, [rate or 0.0 for rate in rates], SHARES)
    return column._replace(
        cells=["-" if rate is None else cell for rate, cell in zip(rates, column.cells, strict=True)]
    )


def _real(curves: Sequence[SizeCurve]) -> Column:
    """The hit rate of today's settings, if they were replayed."""
    known = [one.real_rate for one in curves if one.real_rate is not None]
    if len(known) < len(curves):
        return Column("replayed", "", ["-"] * len(curves))
    return in_one_unit("replayed", known, SHARES)


def _limit(curve: SizeCurve) -> str:
    if curve.max_entries is not None:
        return f"{curve.max_entries:,}"
    return format_bytes(curve.max_bytes) if curve.max_bytes is not None else "no limit"


def _table(title: str, rows: Sequence[Candidate], among: Candidates, pick: Candidate | None = None) -> Table:
    styles = ["bold" if one is pick else "" if one.name in among else "dim" for one in rows]
    columns = [_column(name, rows, among) for name in _SHOWN]
    names = ["the pick" if one is pick and len(one.name) > NAME else _name(one, among) for one in rows]
    names = [among.settings.short if name == among.today.name else name for name in names]
    return grid(title, names, columns, styles, GAP)


def _column(name: str, rows: Sequence[Candidate], told: Candidate | Candidates) -> Column:
    what = MEASURES[name]
    heading = _HEADINGS.get(name, what.label)
    if not is_told(name, told):
        return Column(heading, "", ["-"] * len(rows))
    amounts = [one.measure(name) for one in rows]
    if what.kind == "count":
        return Column(heading, "", [f"{amount:,.0f}" for amount in amounts])
    return (in_own_units if name.startswith("answer_age") else in_one_unit)(heading, amounts, _UNITS[what.kind])


def _name(candidate: Candidate, found: Candidates) -> str:
    return candidate.name if len(candidate.name) <= NAME else _number(candidate, found)


def _number(candidate: Candidate, found: Candidates) -> str:
    """The number that stands for a name that does not fit."""
    return f"#{list(found).index(candidate.name)}"


@shown.register
def _curve_text(curve: SizeCurve) -> RenderableType:
    return curves_text([curve])


@shown.register
def _estimate(estimate: Estimate) -> RenderableType:
    rates = [name for name in ("hit_rate", "fresh_hit_rate", "stale_rate") if name in estimate.told]
    if not rates:
        return Text("The sample is too small to tell anything; take a larger share of the keys, or more samples.")
    columns = [
        in_one_unit("estimate", [getattr(estimate, name) for name in rates], SHARES),
        in_one_unit("may be off by", [estimate.errors[name] for name in rates], SHARES),
    ]
    return grid("from a sample of the keys", [MEASURES[name].label for name in rates], columns, [""] * len(rates))
