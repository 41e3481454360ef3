"""Notes below tables, and sentences in which numbers stay with their units."""

import re
from collections.abc import Iterable

from rich.text import Text

from vestigo.show.safe import HELD, printable

_PARTED = re.compile(r"(?<=\d) (?=(?:%|[KMGT]?i?B|[nµm]?s|min|h|d|reads?|keys?|calls?|bytes?|entries|nodes?)\b|%)")


def assumed(what: Iterable[str]) -> list[Text]:
    """One line with what was assumed, if anything was."""
    said = "; ".join(printable(one, most=300) for one in what)
    return [Text(), kept_together(Text(f"Assumed: {said}.", style="dim"))] if said else []


def kept_together(text: Text) -> Text:
    """The text with blanks that keep a number and its unit on one line.

    >>> kept_together(Text("64 MiB of 3 reads")).plain == f"64{HELD}MiB of 3{HELD}reads"
    True
    """
    plain = _PARTED.sub(HELD, text.plain)
    held = Text(plain, style=text.style)
    held.spans = list(text.spans)  # one character replaces another, so all positions stay
    return held
