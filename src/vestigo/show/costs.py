"""Shows what entries and hits of a cache take, as it was measured."""

from rich.console import RenderableType
from rich.text import Text

from vestigo.describing.hit_times import HitTimes
from vestigo.explaining.drive.costs import Costs
from vestigo.interval import Interval
from vestigo.show.grid import grid, in_own_units, plain
from vestigo.show.notes import kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SPANS, capitalised, format_bytes, format_seconds

_MOST = 300


def costs_lines(costs: Costs) -> list[RenderableType]:
    """What could be told, and why something could not. Nothing if nobody looked."""
    head = "What its entries and hits take"
    said: list[Text] = []
    if (overhead := costs.entry_overhead) is not None:
        between = f"{format_bytes(max(overhead.low, 0))} to {format_bytes(overhead.high)}"
        grew = f", which grew by {format_bytes(costs.memory_grew)}" if costs.memory_grew else ""
        said.append(Text(f"{format_bytes(overhead.value)} an entry beyond its value ({between}), by its memory{grew}."))
    if costs.hits is not None:
        said.append(_hit_times(costs.hits))
    if said:
        head += ", as measured (in 95 of 100 cases between)"
    said += [Text(f"{capitalised(printable(one, most=_MOST))}.", "dim") for one in costs.untold]
    if not said:
        return []
    lines: list[RenderableType] = [Text(), Text(f"{head}:", "bold"), *map(kept_together, said)]
    if costs.hits is not None and len(costs.hits.by_size) > 1:
        lines += [Text(), _by_size(costs.hits)]
    return lines


def hits_recorded(hits: HitTimes) -> list[RenderableType]:
    """The hits that a recording tells from loads."""
    head = Text("What the recorded hits took (in 95 of 100 cases between)", "bold")
    lines: list[RenderableType] = [kept_together(Text.assemble(head, ": ", _hit_times(hits)))]
    return [*lines, Text(), _by_size(hits)] if len(hits.by_size) > 1 else lines


def _hit_times(hits: HitTimes) -> Text:
    """The time of a hit, in a sentence."""
    text = Text(f"{_span(hits.hit_cost)} a hit, of {hits.hits:,}")
    if hits.hit_cost_per_kib is not None:
        text.append(f", and {_span(hits.hit_cost_per_kib)} more for each KiB of the value")
    return text.append(".")


def _by_size(hits: HitTimes) -> RenderableType:
    """The time of hits by the size of the value."""
    rows = hits.by_size
    bounds = [(format_bytes(one.least_bytes), format_bytes(one.most_bytes)) for one in rows]
    names = [least if least == most else f"{least} to {most}" for least, most in bounds]
    columns = [
        plain("hits", [one.hits for one in rows]),
        in_own_units("median", [one.median for one in rows], SPANS),
        in_own_units("p95", [one.p95 for one in rows], SPANS),
    ]
    return grid("size", names, columns, [""] * len(rows))


def _span(amount: Interval) -> str:
    between = f"{format_seconds(max(amount.low, 0))} to {format_seconds(amount.high)}"
    return f"{format_seconds(amount.value)} ({between})"


@shown.register
def _costs(costs: Costs) -> RenderableType:
    from rich.console import Group

    return Group(*costs_lines(costs)[1:])
