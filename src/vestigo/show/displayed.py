"""Returned objects as text, and as markup for notebooks: what `vestigo.data` shows them with."""

from io import StringIO
from pathlib import Path
from typing import TYPE_CHECKING

from rich.console import Console

from vestigo.errors import InputError
from vestigo.explaining.report import Report
from vestigo.files import replacing
from vestigo.recording.heard import Heard
from vestigo.show import (  # noqa: F401  # each registers what it shows
    check,
    confirmation,
    driven,
    outcome,
    settings,
    story,
    study,
    survey,
    tables,
    watched,
)
from vestigo.show.grid import WIDTH
from vestigo.show.markup import markup
from vestigo.show.safe import HELD, printable
from vestigo.show.view import shown
from vestigo.units import counted

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def text(what: object) -> str:
    """The text of an object, at most 100 columns wide and without colours."""
    found = StringIO()
    Console(file=found, width=WIDTH, color_system=None, highlight=False, markup=False, emoji=False).print(shown(what))
    lines = found.getvalue().replace(HELD, " ").split("\n")
    return "\n".join(line.rstrip() for line in lines).rstrip("\n")


def page(what: object) -> str:
    """A report as a document for a browser."""
    from vestigo.show.page.report import report_html

    assert isinstance(what, Report)
    return report_html(what)


def html(what: object) -> str:
    """The same tables and sentences as markup for a notebook."""
    return markup(shown(what))


def heard_line(heard: Heard) -> str:
    """The line that is shown while it records."""
    lost = f", {heard.dropped:,} dropped" if heard.dropped else ""
    refused = sum(heard.turned_away.values())
    away = f", {counted(refused, 'request')} turned away" if refused else ""
    return f"{counted(heard.spans, 'span')}, {counted(heard.written, 'event')} written{lost}{away}"


def heard_text(heard: Heard, folder: Path) -> str:
    """The text at the end, with everything that is not in the files, and why."""
    where = printable(str(folder), most=1000)
    lines = [f"{where}: {counted(heard.written, 'event')} written, of {counted(heard.spans, 'span')}"]
    if heard.dropped:
        lines.append(f"  dropped {counted(heard.dropped, 'span')}: too many waited to be written, or the disk is full")
    if heard.refused:
        lines.append(f"  refused {counted(heard.refused, 'span')}: their times or attributes are out of range")
    lines += [
        f"  left out {counted(count, 'span')}: {printable(why, most=200)}"
        for why, count in sorted(heard.left_out.items(), key=lambda one: -one[1])
    ]
    if heard.not_asked_for:
        lines.append(f"  skipped {counted(heard.not_asked_for, 'span')} that match no --span")
    lines += [
        f"  turned away {counted(count, 'time')}: {printable(why, most=200)}"
        for why, count in sorted(heard.turned_away.items(), key=lambda one: -one[1])
    ]
    if heard.written:
        lines.append(f"Next: vestigo survey {where}")
    return "\n".join(lines)


def save_figure(axis: "Axes", path: Path) -> None:
    """Saves the whole figure of the axes, in the format of the file's ending. It is written whole or not at all.

    Raises InputError if it cannot be written.
    """
    try:
        with replacing(path) as unfinished:
            axis.get_figure(root=True).savefig(unfinished, dpi=100)  # type: ignore[union-attr]
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None
    except ValueError as error:  # the ending is not a format that Matplotlib knows
        raise InputError(f"{path}: {str(error).splitlines()[0]}") from None
