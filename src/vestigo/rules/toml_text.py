"""Writes TOML that can be shown, copied and read again."""

import unicodedata
from collections.abc import Mapping
from typing import Any

_UNSEEN = {"Cf", "Co", "Zl", "Zp"}
"""What is not seen, or turns the text around, such as U+202E. Other controls are escaped by every writer of TOML."""


def toml_text(tables: Mapping[str, Any]) -> str:
    """The tables as TOML. Characters that are not seen are written as escapes.

    >>> print(toml_text({"lookup": {"a\\u202eb": {"absolute": "5m"}}}), end="")
    [lookup."a\\u202eb"]
    absolute = "5m"
    """
    import tomli_w

    text = tomli_w.dumps(tables)
    if text.isascii():
        return text
    return "".join(_escape(char) if unicodedata.category(char) in _UNSEEN else char for char in text)


def _escape(char: str) -> str:
    """They stand within quotes only, because nothing else may hold them."""
    return f"\\u{ord(char):04x}" if ord(char) < 1 << 16 else f"\\U{ord(char):08x}"
