"""Text from traces and plans, made harmless to show."""

import unicodedata

HELD = "\ue000"
"""A blank at which no line is broken, until it is printed; nobody's text can bring one along."""

_UNSAFE = {"Cc", "Cf", "Co", "Cs", "Zl", "Zp"}


def printable(text: str, most: int = 60) -> str:
    """The text with everything that could steer a terminal written out, and cut to a length.

    >>> printable("a\\x1b[31mb\\nc")
    'a\\\\x1b[31mb\\\\nc'
    """
    shown = "".join(
        char.encode("unicode_escape").decode() if unicodedata.category(char) in _UNSAFE else char for char in text
    )
    return shown if len(shown) <= most else f"{shown[: most - 1]}…"
