"""Turns spans into lines of a trace, writes these in a thread, and counts what became of the spans."""

import threading
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.recording.hashing import hasher
from vestigo.recording.heard import Heard
from vestigo.recording.parts import Parts
from vestigo.trace.formats.raw import Raw
from vestigo.trace.formats.span_conventions import NEEDED, PARAMETER
from vestigo.trace.formats.spans import DEFAULTS, OWN, Spans, span_table
from vestigo.trace.reading.build import Clock, Origin, build_trace, check_columns
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.meaning import Meaning
from vestigo.trace.writing import json_lines
from vestigo.web.listen.otlp import Gathered, WantedNames
from vestigo.web.listen.selection import EVERYTHING, Selection

ENOUGH = 8_192
"""Lines are made of so many spans at once, or of all that came within `FLUSH_SECONDS`."""
FLUSH_SECONDS = 1.0
MOST_WAITING_BYTES = 64 << 20
"""Of lines that the disk has not taken yet."""
_NO_KEY = "no attribute gives their key"
_HASHED = ("key", "version", "scope", "node")
_MOST_TRIES = 200
_MOST_REASONS, _LONGEST_REASON = 50, 200
_OTHERWISE = "other reasons"


class Answer(NamedTuple):
    """How many spans of a request were not accepted, and why."""

    rejected: int = 0
    why: str = ""


class Recording:
    """Takes spans and turns them into lines. Another thread writes the lines, however slow the disk is."""

    def __init__(
        self,
        folder: Path,
        intake: Intake,
        selection: Selection = EVERYTHING,
        *,
        secret: bytes | None = None,
        rotate_at: int = 256 << 20,
    ) -> None:
        """Makes the folder. Raises TraceError if nothing can be written there, or for a short secret."""
        self._hashed = hasher(secret) if secret is not None else None
        self._selection = selection
        self._meanings = {
            "read": Meaning(intake, DEFAULTS),
            **{op: Meaning(intake.with_options({"columns": {"op": op}}), DEFAULTS) for op in ("write", "remove")},
        }
        self._clock = Clock(intake.at_unit, intake.cost_unit or "ns", intake.zone)
        asked = {name for meaning in self._meanings.values() for name in meaning.wanted.columns}
        self.wanted = WantedNames({*asked, *NEEDED, *selection.columns}, PARAMETER)
        self._parts = Parts(folder, rotate_at)
        self._counting, self._filling, self._writing = threading.Lock(), threading.Lock(), threading.Lock()
        self._wake, self._is_closed = threading.Event(), False
        self._gathered = Gathered(self.wanted)
        self._waiting: list[tuple[bytes, int]] = []
        self._waiting_bytes = 0
        self._heard = Heard()
        self._thread = threading.Thread(target=self._run, name="vestigo-listen", daemon=True)
        self._thread.start()

    @property
    def heard(self) -> Heard:
        with self._counting:
            return self._heard

    def put(self, gathered: Gathered) -> Answer:
        """Takes the spans of a request, or drops them if too much waits for the disk."""
        with self._filling:
            is_full = self._is_closed or self._waiting_bytes > MOST_WAITING_BYTES
            if not is_full:
                self._gathered.extend(gathered)
                if len(self._gathered) >= ENOUGH:
                    self._encode()
                    self._wake.set()
        dropped = len(gathered) if is_full else 0
        if gathered.refused or dropped:
            self._count(refused=gathered.refused, dropped=dropped)
        if is_full:
            return Answer(dropped + gathered.refused, "too many spans wait to be written; these are dropped")
        return Answer(gathered.refused, "times or attributes are out of range" if gathered.refused else "")

    def flush(self) -> None:
        """Writes the lines that wait. Only this and `close` wait for the disk."""
        with self._writing:
            with self._filling:
                if len(self._gathered):
                    self._encode()
                waiting, self._waiting = self._waiting, []
            for lines, events in waiting:
                is_written = self._parts.append(lines)
                self._count(written=events if is_written else 0, dropped=0 if is_written else events)
                with self._filling:
                    self._waiting_bytes -= len(lines)

    def close(self) -> None:
        """Writes the lines that wait, and ends the thread. Spans that come later are dropped and counted."""
        with self._filling:
            self._is_closed = True
        self._wake.set()
        self._thread.join()
        self._parts.close()

    def _run(self) -> None:
        is_closed = False
        while not is_closed:
            self._wake.wait(FLUSH_SECONDS)
            self._wake.clear()
            is_closed = self._is_closed
            self.flush()

    def _encode(self) -> None:
        """Turns collected spans into lines. The caller holds the lock: otherwise requests that are read at the same
        time would keep Python's lock, and the lines would never be made.
        """
        gathered, self._gathered = self._gathered, Gathered(self.wanted)
        try:
            lines, events, not_asked_for, left_out = self._lines(gathered.spans())
        except (TraceError, pa.ArrowException, ValueError) as error:  # the recording goes on, whatever is sent
            why = f"nothing can be made of them: {str(error).splitlines()[0][:_LONGEST_REASON]}"
            return self._count(left_out=Counter({why: len(gathered)}))
        if events:
            self._waiting.append((lines, events))
            self._waiting_bytes += len(lines)
        return self._count(not_asked_for=not_asked_for, left_out=left_out)

    def _lines(self, spans: Spans) -> tuple[bytes, int, int, Counter[str]]:
        """The lines and the number of their events, how many spans matched no condition, and how many are left out, by
        reason.
        """
        ops, left_out, pieces = self._selection.ops(spans), Counter[str](), []
        for op, meaning in self._meanings.items():
            mask = pc.equal(ops, op).fill_null(False).to_numpy(zero_copy_only=False)
            if mask.any():
                pieces += self._checked(self._meant(spans, mask, meaning, left_out), left_out)
        if not pieces:
            return b"", 0, ops.null_count, left_out
        trace = build_trace(pieces, "spans")
        return b"".join(json_lines(trace)), len(trace), ops.null_count, left_out

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

    def _checked(self, columns: pa.Table, left_out: Counter[str]) -> list[dict[str, Any]]:
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

    def _count(self, left_out: Counter[str] | None = None, **more: int) -> None:
        with self._counting:
            here = self._heard
            reasons = Counter(here.left_out)
            for why, spans in (left_out or {}).items():
                reasons[why if why in reasons or len(reasons) < _MOST_REASONS else _OTHERWISE] += spans
            reasons = +reasons
            counts = {name: getattr(here, name) + count for name, count in more.items()}
            self._heard = replace(here, left_out=dict(reasons), **counts)


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
