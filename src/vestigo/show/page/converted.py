"""Tables and sentences of the terminal, on a page."""

from markupsafe import Markup
from rich.console import RenderableType

from vestigo.show.markup import markup


def converted(what: RenderableType) -> Markup:
    """Wide tables and lines can be scrolled, by keyboard too."""
    made = markup(what).replace("<pre>", '<pre tabindex="0">')  # every text in it is escaped
    made = made.replace("<table>", '<div class="scroll" tabindex="0" role="group" aria-label="a table"><table>')
    return Markup(made.replace("</table>", "</table></div>"))
