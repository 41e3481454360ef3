"""Text with columns in it, such as ``{route}:{user}``, which makes a column of a trace from those of a file."""

import re
from dataclasses import dataclass

import pyarrow as pa
import pyarrow.compute as pc

_PIECES = re.compile(r"\{\{|\}\}|\{([^{}]*)\}|[{}]|[^{}]+")


@dataclass(frozen=True)
class Template:
    """Texts and column names in turn. The first and the last are texts. Nothing in it is ever evaluated."""

    pieces: tuple[str, ...]
    optional: frozenset[str] = frozenset()
    """Columns that count as empty text where they are missing."""

    @classmethod
    def parse(cls, text: str) -> "Template":
        """Reads a template. ``{name}`` is a column, ``{name?}`` one that may be missing, ``{{`` and ``}}`` are braces,
        everything else is text. Raises ValueError.

        >>> Template.parse("{route}:{user?}").columns
        ('route', 'user')
        """
        pieces = [""]
        optional = set()
        for found in _PIECES.finditer(text):
            piece, column = found[0], found[1]
            if piece in ("{", "}") or column in ("", "?"):
                raise ValueError(
                    f"{text!r} has a brace that names no column; write {{NAME}} for a column, {{{{ for a brace"
                )
            if column is not None:
                name = column.removesuffix("?")
                pieces += [name, ""]
                optional |= {name} if name != column else set()
            else:
                pieces[-1] += {"{{": "{", "}}": "}"}.get(piece, piece)
        return cls(tuple(pieces), frozenset(optional))

    @property
    def columns(self) -> tuple[str, ...]:
        return self.pieces[1::2]

    @property
    def needed(self) -> tuple[str, ...]:
        return tuple(column for column in self.columns if column not in self.optional)

    @property
    def plain(self) -> str | None:
        """The column, if the template is a single column and nothing else."""
        is_single = len(self.pieces) == 3 and not (self.pieces[0] or self.pieces[2] or self.optional)
        return self.pieces[1] if is_single else None

    def compose(self, table: pa.Table) -> pa.Array | pa.ChunkedArray:
        """The value of each row: a single column as it is, or text. It is missing if one of the needed columns is."""
        if self.plain is not None:
            return table[self.plain]
        if not self.columns:
            return pa.repeat(pa.scalar(self.pieces[0], pa.large_string()), len(table))
        parts = [
            self._text_of(table, piece) if number % 2 else pa.scalar(piece, pa.large_string())
            for number, piece in enumerate(self.pieces)
        ]
        return pc.binary_join_element_wise(*parts, pa.repeat(pa.scalar("", pa.large_string()), len(table)))

    def _text_of(self, table: pa.Table, column: str) -> pa.Array | pa.ChunkedArray:
        if column not in self.optional:
            return as_text(table[column])
        empty = pa.scalar("", pa.large_string())
        return pc.fill_null(as_text(table[column]), empty) if column in table.column_names else empty


def as_text(column: pa.Array | pa.ChunkedArray) -> pa.Array | pa.ChunkedArray:
    """The values as text. Raises ValueError for lists and structures."""
    if pa.types.is_nested(column.type):
        raise ValueError(f"a column of {column.type} cannot be part of a text; choose one of single values")
    return column.cast(pa.large_string())
