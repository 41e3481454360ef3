"""Makes text from traces and plans harmless to show."""

import shlex
import unicodedata
from collections.abc import Sequence

HELD = "\ue000"
"""A blank at which no line is broken, until it is printed; nobody's text can bring one along."""

_UNSAFE = {"Cc", "Cf", "Co", "Cs", "Zl", "Zp"}


def printable(text: str, most: int = 60) -> str:
    """The text, cut to a length. Characters that could control a terminal are written out.

    >>> printable("a\\x1b[31mb\\nc")
    'a\\\\x1b[31mb\\\\nc'
    """
    shown = "".join(
        char.encode("unicode_escape").decode() if unicodedata.category(char) in _UNSAFE else char for char in text
    )
    return shown if len(shown) <= most else f"{shown[: most - 1]}…"


def shell_word(text: str) -> str:
    """The text as one word of a shell command that can be typed and shown.

    >>> shell_word("a b"), shell_word("QGS537"), shell_word("a\\x1bb")
    ("'a b'", 'QGS537', "$'a\\\\x1bb'")
    """
    if all(unicodedata.category(char) not in _UNSAFE for char in text):
        return shlex.quote(text)
    return "$'" + "".join(_in_quotes(char) for char in text) + "'"


def command_text(words: Sequence[str], indent: int, width: int) -> str:
    """A shell command that can be typed, in lines of at most `width` letters if that is possible.

    >>> print(command_text(["vestigo", "why", "--key", "a b"], 2, 20))
      vestigo why \\
        --key 'a b'
    """
    parts: list[str] = []
    for word in map(shell_word, words):
        if parts and parts[-1].startswith("--") and " " not in parts[-1]:
            parts[-1] += f" {word}"  # an option stays with its value
        else:
            parts.append(word)
    lines = [" " * indent + parts[0]]
    for part in parts[1:]:
        if len(lines[-1]) + len(part) + 3 <= width:
            lines[-1] += f" {part}"
        else:
            lines[-1] += " \\"
            lines.append(" " * (indent + 2) + part)
    return "\n".join(lines)


def _in_quotes(char: str) -> str:
    if char in "'\\":
        return f"\\{char}"
    return char.encode("unicode_escape").decode() if unicodedata.category(char) in _UNSAFE else char
