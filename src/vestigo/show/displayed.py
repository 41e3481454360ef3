"""Returned objects as text, and as markup for notebooks: what `vestigo.data` shows them with."""

from io import StringIO

from rich.console import Console

from vestigo.explaining.report import Report
from vestigo.show import (  # noqa: F401  # each registers what it shows
    across,
    check,
    confirmation,
    drifted,
    driven,
    outcome,
    pick,
    rehearsed,
    settings,
    story,
    study,
    survey,
    tables,
    watched,
)
from vestigo.show.grid import WIDTH
from vestigo.show.markup import markup
from vestigo.show.safe import HELD
from vestigo.show.view import shown


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
