"""Makes lines of a trace from spans, and says why spans give none."""

from collections import Counter
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.trace.formats.raw import Raw
from vestigo.trace.formats.span_conventions import NEEDED, PARAMETER
from vestigo.trace.formats.spans import DEFAULTS, OWN, Spans, span_table
from vestigo.trace.reading.build import Clock, Origin, build_trace, check_columns
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.meaning import Meaning
from vestigo.trace.writing import json_lines
from vestigo.web.listen.otlp import WantedNames
from vestigo.web.listen.selection import Selection

_NO_KEY = "no attribute gives their key"
_HASHED = ("key", "version", "scope", "node")
_MOST_TRIES = 200


class Lines(NamedTuple):
    content: bytes
    events: int
    not_asked_for: int
    left_out: Counter[str]
    """Spans that are no events, by reason."""


class LineMaker:
    """Knows which spans are reads, writes and removes, and what their attributes mean."""

    def __init__(self, intake: Intake, selection: Selection, hashed: Callable[[object], str] | None) -> None:
        self._hashed = hashed
        self._selection = selection
        self._meanings = {
            "read": Meaning(intake, DEFAULTS),
            **{op: Meaning(intake.with_options({"columns": {"op": op}}), DEFAULTS) for op in ("write", "remove")},
        }
        self._clock = Clock(intake.at_unit, intake.cost_unit or "ns", intake.zone)
        asked = {name for meaning in self._meanings.values() for name in meaning.wanted.columns}
        self.wanted = WantedNames({*asked, *NEEDED, *selection.columns}, PARAMETER)

    def lines(self, spans: Spans) -> Lines:
        """Raises TraceError for an intake that refuses the spans, and whatever else wrong spans may cause."""
        ops, left_out, pieces = self._selection.ops(spans), Counter[str](), []
        for op, meaning in self._meanings.items():
            mask = pc.equal(ops, op).fill_null(False).to_numpy(zero_copy_only=False)
            if mask.any():
                pieces += self._checked(self._meant(spans, mask, meaning, left_out), left_out)
        if not pieces:
            return Lines(b"", 0, ops.null_count, left_out)
        trace = build_trace(pieces, "spans")
        return Lines(b"".join(json_lines(trace)), len(trace), ops.null_count, left_out)

    def _meant(self, spans: Spans, mask: np.ndarray, meaning: Meaning, left_out: Counter[str]) -> pa.Table:
        """The columns of a trace for those of the spans that tell a key."""
        found = span_table(spans, meaning.wanted, mask)
        left_out.update(found.left_out)
        table = found.table
        for name in meaning.wanted.columns:
            if name not in table.column_names:  # no span of these has it
                table = table.append_column(name, pa.nulls(len(table), pa.string()))
        columns, _, _ = meaning.apply(Raw(table, str, OWN), "spans")
        left_out["no pattern matches them"] += len(table) - len(columns)
        tells = pc.is_valid(columns["key"])
        left_out[_NO_KEY] += len(columns) - pc.sum(tells).as_py() if len(columns) else 0
        columns = columns.filter(tells)
        return columns if self._hashed is None else _hashed(columns, self._hashed)

    def _checked(self, columns: pa.Table, left_out: Counter[str]) -> list[dict[str, object]]:
        """The columns as arrays, in pieces. Rows with wrong values are left out, each with what is wrong."""
        pieces, tries, rest = [], 0, [columns]
        while rest:
            piece = rest.pop()
            if not len(piece):
                continue
            tries += 1
            try:
                pieces.append(check_columns(piece, Origin("spans"), self._clock))
            except TraceError as error:
                if len(piece) == 1 or tries > _MOST_TRIES:
                    left_out[_reason(error)] += len(piece)
                    continue
                half = len(piece) // 2
                rest += [piece.slice(half), piece.slice(0, half)]
        return pieces


def _hashed(columns: pa.Table, hashed: Callable[[object], str]) -> pa.Table:
    for name in _HASHED:
        if name in columns.column_names:
            encoded = columns[name].combine_chunks().cast(pa.string()).dictionary_encode()
            texts = pa.array([hashed(text) for text in encoded.dictionary.to_pylist()], pa.string())
            place = columns.column_names.index(name)
            columns = columns.set_column(place, name, texts.take(encoded.indices))
    return columns


def _reason(error: TraceError) -> str:
    """The reason: what the first wrong column must hold. What it holds may differ in every span."""
    _, _, column = error.problems[0].partition("column ")
    return f"their {column.partition(':')[0]} {column.rpartition('; it ')[2]}"
