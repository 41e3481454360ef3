"""Tables and sentences of the terminal as HTML, for notebooks and pages."""

import html
import re
from collections.abc import Iterable, Iterator

from rich.columns import Columns
from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.style import Style
from rich.table import Table
from rich.text import Text

from vestigo.show.safe import HELD

_DIGIT, _POINT = "\u2007", "\u2008"
"""Blanks as wide as a digit, and as a decimal point."""
_NUMBER = re.compile(r"-?\+?[\d,.]+")


def markup(what: RenderableType) -> str:
    """The same words in the same tables. Text from a trace or a plan never becomes markup."""
    return "\n".join(_parts(what))


def _parts(what: RenderableType) -> Iterator[str]:
    if isinstance(what, (Group, Columns)):
        for one in what.renderables:
            yield from _parts(one)
    elif isinstance(what, Padding):
        yield from _parts(what.renderable)
    elif isinstance(what, Table):
        yield _table(what)
    elif (said := _plain(what)).strip():
        is_code = "\n" in said.strip() or said.startswith("  ")
        yield f"<pre>{html.escape(said.strip())}</pre>" if is_code else f"<p>{_sentence(what)}</p>"


def _table(table: Table) -> str:
    heads = [html.escape(_plain(column.header).strip()).replace("\n", "<br>") for column in table.columns]
    sides = ["right" if column.justify == "right" else "left" for column in table.columns]
    head = f"<thead>{_row('th', heads, sides)}</thead>" if table.show_header else ""
    rows = zip(*(list(column.cells) for column in table.columns), strict=True)
    body = "\n".join(_row("td", map(_cell, cells, sides), sides) for cells in rows)
    return f"<table>{head}<tbody>{body}</tbody></table>"


def _row(tag: str, cells: Iterable[str], sides: Iterable[str]) -> str:
    each = (f'<{tag} style="text-align: {side}">{cell}</{tag}>' for cell, side in zip(cells, sides, strict=True))
    return f"<tr>{''.join(each)}</tr>"


def _cell(what: object, side: str) -> str:
    """A cell. Numbers keep the blanks that put their decimal points below each other."""
    if side != "right":
        return _sentence(what)
    text = _plain(what)
    number = text.rstrip(" ")
    missing = len(text) - len(number)
    if not missing or not _NUMBER.fullmatch(number.strip()):
        return html.escape(text.strip())
    return html.escape(number.strip()) + (_DIGIT if "." in number else _POINT) + _DIGIT * (missing - 1)


def _sentence(what: object) -> str:
    """A sentence with its bold words, or a link."""
    sentence = html.escape(_plain(what).strip())
    if not isinstance(what, Text):
        return sentence
    if isinstance(what.style, Style) and what.style.link:
        return f'<a href="{html.escape(what.style.link)}">{sentence}</a>'
    bold = [span for span in what.spans if span.style == "bold"]
    if what.style == "bold":
        return f"<strong>{sentence}</strong>"
    parts, end = [], 0
    plain = _plain(what)
    for span in sorted(bold, key=lambda one: one.start):
        parts += [html.escape(plain[end : span.start]), f"<strong>{html.escape(plain[span.start : span.end])}</strong>"]
        end = span.end
    return "".join([*parts, html.escape(plain[end:])]).strip()


def _plain(what: object) -> str:
    said = what.plain if isinstance(what, Text) else str(what)
    return said.replace(HELD, "\u00a0")
