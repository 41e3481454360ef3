"""Patterns such as ``/vessels/{call_sign}``: which look-up a text belongs to, and the key in it.

`{name}` is a part of the key that ends at the next slash. `{name...}` is a part that may contain slashes. `{}` and
`{...}` match the same, but do not belong to the key. Everything else stands for itself.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.names import true_of

_PIECES = re.compile(r"\{([^{}]*)\}|[{}]|[^{}]+")
_PART = re.compile(r"(\w*)(\.\.\.)?", re.ASCII)


@dataclass(frozen=True)
class Pattern:
    lookup: str
    text: str
    regex: str
    """The regular expression for Arrow, whose matcher takes time in proportion to the text, whatever the pattern."""
    parts: tuple[str, ...]

    @classmethod
    def parse(cls, lookup: str, text: str) -> "Pattern":
        """Raises ValueError.

        >>> Pattern.parse("tile", "/tiles/{z}/{place...}").regex
        '(?s)^/tiles/(?P<p0>[^/]+)/(?P<p1>.*)$'
        """
        regex = ""
        parts: list[str] = []
        for piece in _PIECES.finditer(text):
            part = _PART.fullmatch(piece[1]) if piece[1] is not None else None
            if part is None and (piece[1] is not None or piece[0] in "{}"):
                raise ValueError(
                    f"{text!r} has {piece[0]!r}, which is not a part; write {{NAME}}, {{NAME...}}, {{}} or {{...}}"
                )
            if part is None:
                regex += re.escape(piece[0])
                continue
            matched = ".*" if part[2] else "[^/]+"
            regex += f"(?P<p{len(parts)}>{matched})" if part[1] else f"(?:{matched})"
            parts += [part[1]] if part[1] else []
        return cls(lookup, text, f"(?s)^{regex}$", tuple(parts))

    def keys(self, texts: pa.Array) -> tuple[np.ndarray, pa.Array]:
        """Which texts match, and the key of each: its parts with slashes between them, or the whole text if there are
        no parts.
        """
        if not self.parts:
            return true_of(pc.match_substring_regex(texts, self.regex)), texts
        found = pc.extract_regex(texts, self.regex)
        parts = [found.field(place) for place in range(len(self.parts))]
        key = parts[0] if len(parts) == 1 else pc.binary_join_element_wise(*parts, pa.scalar("/", parts[0].type))
        return true_of(found.is_valid()), key


def divide(texts: pa.Array, patterns: Sequence[Pattern]) -> tuple[pa.Array, pa.Array]:
    """The look-up and the key of each text, by the first pattern that matches. Both are missing if none does."""
    encoded = texts.dictionary_encode()
    distinct = encoded.dictionary.cast(pa.large_string())
    chosen = np.full(len(distinct), -1, np.int32)
    keys = pa.nulls(len(distinct), pa.large_string())
    for number, pattern in enumerate(patterns):
        matches, key = pattern.keys(distinct)
        matches &= chosen < 0
        chosen[matches] = number
        keys = pc.if_else(pa.array(matches), key, keys)
    names = pa.array([pattern.lookup for pattern in patterns], pa.large_string())
    lookups = names.take(pa.array(chosen, mask=chosen < 0))
    return lookups.take(encoded.indices), keys.take(encoded.indices)


def parse_patterns(patterns: Mapping[str, str | Sequence[str]]) -> tuple[Pattern, ...]:
    """Reads patterns from ``{lookup: pattern or patterns}``. Raises ValueError."""
    return tuple(
        Pattern.parse(lookup, text)
        for lookup, texts in patterns.items()
        for text in ([texts] if isinstance(texts, str) else texts)
    )
