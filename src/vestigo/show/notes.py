"""What stands under tables and in sentences: assumptions, and numbers that are not parted from their units."""

import re
from collections.abc import Iterable

from rich.text import Text

from vestigo.show.safe import printable

_PARTED = re.compile(r"(?<=\d) (?=(?:%|[KMGT]?i?B|[nµm]?s|min|h|d|reads?|keys?|calls?|bytes?|entries|nodes?)\b|%)")
_NO_BREAK = "\N{NO-BREAK SPACE}"


def assumed(what: Iterable[str]) -> list[Text]:
    """One line, if anything was."""
    said = "; ".join(printable(one, most=300) for one in what)
    return [Text(), kept_together(Text(f"Assumed: {said}.", style="dim"))] if said else []


def kept_together(text: Text) -> Text:
    """With its numbers and units held together at a line's end.

    >>> kept_together(Text("64 MiB of 3 reads")).plain == "64\\xa0MiB of 3\\xa0reads"
    True
    """
    plain = _PARTED.sub(_NO_BREAK, text.plain)
    held = Text(plain, style=text.style)
    held.spans = list(text.spans)  # one character for another: every place stays
    return held
