"""Puts tables and sentences of the terminal on a page."""

from markupsafe import Markup
from rich.console import RenderableType

from vestigo.show.markup import markup


def converted(what: RenderableType) -> Markup:
    """Markup in which wide tables and lines can be scrolled, also by keyboard."""
    made = markup(what).replace("<pre>", '<pre tabindex="0">')  # the markup has escaped every text
    made = made.replace("<table>", '<div class="scroll" tabindex="0" role="group" aria-label="a table"><table>')
    return Markup(made.replace("</table>", "</table></div>"))
