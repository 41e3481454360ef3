"""Shows a rehearsal as text: the worst moment in a sentence, a table of all moments, and what would help."""

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from vestigo.choosing.rehearsing.rehearsed import Rehearsed
from vestigo.explaining.rehearse.rehearsal import Help, Rehearsal
from vestigo.show.grid import WIDTH, Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.outcome import count
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SECOND, counted, format_seconds, format_time

_HELPS = 4


@shown.register
def rehearsal_text(rehearsal: Rehearsal) -> RenderableType:
    """The text of a rehearsal, with the answer first."""
    parts: list[RenderableType] = [
        kept_together(Text(printable(rehearsal.in_words, most=1000), "bold")),
        Text(),
        kept_together(Text(_how(rehearsal))),
    ]
    for name in rehearsal.settings:
        parts += [Text(), _table(rehearsal, name)]
    if rehearsal.helps:
        parts += [Text(), kept_together(Text(f"What would help against {rehearsal.worst.words}, by replay:", "bold"))]
        parts += [_help(rehearsal, one) for one in rehearsal.helps[:_HELPS]]
    elif any(rehearsal.worst.suffering):
        parts += [Text(), kept_together(Text(f"No change that was tried makes {rehearsal.worst.words} less bad."))]
    return Group(*parts, *assumed(rehearsal.assumptions))


def _how(rehearsal: Rehearsal) -> str:
    span = format_seconds((rehearsal.ends_ns - rehearsal.at_ns) / SECOND)
    places = f"The origin serves {counted(rehearsal.places, 'call')} at a time. " if rehearsal.places else ""
    return (
        f"{places}Each moment happens at {format_time(rehearsal.at_ns)} UTC ({rehearsal.why_then}); what follows is "
        f"counted for {span}. Readers are as well off again when the p95 of their time and the calls that wait are at "
        "most a tenth above those without the moment, for ten minutes."
    )


def _table(rehearsal: Rehearsal, settings: str) -> RenderableType:
    rows = [row for row in rehearsal.rows if row.settings == settings]
    names = [row.words for row in rows]
    columns = [
        count("calls in busiest s", [row.busiest_second for row in rows]),
        count("calls waiting", [row.waiting for row in rows], "peak"),
        count("failed", [row.failed for row in rows], "reads"),
        count("slow", [row.slow for row in rows], "reads"),
        Column("well off", "after", [_recovery(rehearsal, row) for row in rows]),
    ]
    widest = WIDTH - sum(column.width + 2 for column in columns)
    return grid(settings, names, columns, [""] * len(rows), widest=widest)


def _recovery(rehearsal: Rehearsal, row: Rehearsed) -> str:
    return "" if not row.moment else rehearsal.takes(row)


def _help(rehearsal: Rehearsal, one: Help) -> RenderableType:
    now = rehearsal.worst
    said = [f"{one.then.slow:,} slow reads, not {now.slow:,}"] if now.slow or one.then.slow else []
    said += [f"{one.then.failed:,} failed, not {now.failed:,}"] if now.failed or one.then.failed else []
    said += [f"as well off after {rehearsal.takes(one.then)}, not {rehearsal.takes(now)}"]
    text = Text.assemble((printable(one.what, most=200), "bold"), f": {_listed(said)}.")
    return Padding(kept_together(text), (0, 0, 0, 2))


def _listed(said: Sequence[str]) -> str:
    return "; ".join(said)
