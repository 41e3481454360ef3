"""OpenTelemetry spans in any encoding: attributes become a table with a row for each span."""

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.formats.format import Defaults
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.trace.formats.span_conventions import NEEDED, PARAMETER, PARAMETERS, READ, read_columns
from vestigo.trace.names import true_of
from vestigo.units import counted

DEFAULTS = Defaults(
    {
        "at": "{start}",
        "cost": "{duration}",
        "scope": "{trace_id}",
        "node": "{service.instance.id}",
        **{name: f"{{{column}}}" for name, column in READ.items()},
    },
    "{name}",
)
OWN = ("name", "trace_id", "span_id", "kind", "start", "duration", "otel.scope.name", "otel.status_code")
"""The columns of each span that are no attributes."""
_SHOWN = 100


@dataclass(frozen=True)
class Attributes:
    """Attributes of spans, or of resources. Each item has the span or resource, the name, and the value as text."""

    owners: np.ndarray
    names: pa.Array
    texts: pa.Array
    count: int
    """Of all spans or resources, those without attributes included."""

    def column(self, name: str) -> pa.Array | None:
        """The texts of one attribute, in the order of the owners. None if nobody has it."""
        here = np.flatnonzero(true_of(pc.equal(self.names, name)))
        if len(here) == 0:
            return None
        where = np.full(self.count, -1, np.int64)
        where[self.owners[here]] = here
        return self.texts.take(pa.array(where, mask=where < 0))

    def joined(self, prefix: str) -> pa.Array | None:
        """All attributes whose names begin with the prefix, as one text like a query (``a=1&b=2``). A single one is
        taken as it is.
        """
        here = np.flatnonzero(true_of(pc.and_(pc.starts_with(self.names, prefix), pc.is_valid(self.texts))))
        if len(here) == 0:
            return None
        names, texts = self.names.take(pa.array(here)), self.texts.take(pa.array(here))
        order = np.lexsort((pc.rank(names, tiebreaker="dense").to_numpy(), self.owners[here]))
        of = self.owners[here][order]
        names = pc.utf8_slice_codeunits(names.take(pa.array(order)), len(prefix))
        texts = texts.take(pa.array(order))
        pairs = pc.binary_join_element_wise(_escaped(names), _escaped(texts), "=")
        attributes = np.bincount(of, minlength=self.count)
        offsets = pa.array(np.concatenate([[0], np.cumsum(attributes)]), pa.int32())
        lists = pa.ListArray.from_arrays(offsets, pairs.cast(pa.string()))
        alone = np.full(self.count, -1, np.int64)
        alone[of] = np.arange(len(of))
        single = texts.take(pa.array(alone, mask=attributes != 1))
        return pc.if_else(
            pa.array(attributes == 0), None, pc.coalesce(single.cast(pa.string()), pc.binary_join(lists, "&"))
        )

    @property
    def known(self) -> list[str]:
        return [name for name in self.names.unique().to_pylist() if name is not None]


@dataclass(frozen=True)
class Spans:
    """Spans with their resources. If both have an attribute of the same name, the span's counts."""

    own: dict[str, pa.Array]
    """The columns of `OWN`."""
    attributes: Attributes
    resources: Attributes
    resource: np.ndarray
    """The resource of each span."""

    def __len__(self) -> int:
        return len(self.resource)

    def column(self, name: str) -> pa.Array | None:
        """One of the span's own columns, or an attribute. None if no span has it."""
        if name in self.own:
            return self.own[name]
        if name == PARAMETERS:
            return self.attributes.joined(PARAMETER)
        own = self.attributes.column(name)
        shared = self.resources.column(name)
        if shared is None:
            return own
        shared = shared.take(pa.array(self.resource))
        return shared if own is None else pc.coalesce(own, shared)


@dataclass(frozen=True)
class SpanTable:
    """The spans that tell of reads, their rows among all spans, and how many were left out, by reason."""

    table: pa.Table
    rows: np.ndarray
    left_out: Counter[str]


def span_table(spans: Spans, wanted: Wanted, only: np.ndarray | None = None) -> SpanTable:
    """The wanted columns of all spans, or of those that `only` marks. What the semantic conventions tell is worked out
    only if it is wanted.
    """
    columns = {name: spans.own[name] for name in OWN}
    wants_read = [name for name in READ.values() if name in wanted.columns]
    for name in dict.fromkeys([*wanted.columns, *(NEEDED if wants_read else ())]):
        if name not in columns and (column := spans.column(name)) is not None:
            columns[name] = column
    left_out: Counter[str] = Counter()
    kept = np.ones(len(spans), bool) if only is None else only.copy()
    if wants_read:
        told = read_columns(columns, len(spans), set(wants_read))
        columns |= told.columns
        for why, rows in told.left_out.items():
            left_out[why] += int(np.count_nonzero(kept & rows))
            kept &= ~rows
    rows = np.flatnonzero(kept)
    named = {name: column for name, column in columns.items() if name in wanted.columns or name in OWN}
    table = pa.table(named) if len(rows) == len(spans) else pa.table(named).take(pa.array(rows))
    return SpanTable(table, rows, +left_out)


def raw_of(spans: Spans, wanted: Wanted, place: Callable[[int], str]) -> Raw:
    """The spans in the form that readers of files return. `place` says where a span stands."""
    found = span_table(spans, wanted)
    has = dict.fromkeys([*OWN, *spans.attributes.known[:_SHOWN], *spans.resources.known[:_SHOWN]])
    notes = tuple(f"left out {counted(count, 'span')}: {why}" for why, count in found.left_out.items())
    return Raw(found.table, lambda row: place(int(found.rows[row])), tuple(has), notes)


def times(start: pa.Array, end: pa.Array) -> dict[str, pa.Array]:
    """Two columns, the start and the duration of each span, from two columns of ns since the epoch."""
    return {"start": start.cast(pa.timestamp("ns", "UTC")), "duration": pc.subtract(end, start)}


def status_codes(codes: pa.Array) -> pa.Array:
    """The status codes in the words of the standard."""
    return pa.array(["UNSET", "OK", "ERROR"]).take(pc.if_else(pc.is_in(codes, pa.array([0, 1, 2])), codes, 0))


def attributes_of(owners: Iterable[int], names: Iterable[str], texts: Iterable[str | None], count: int) -> Attributes:
    """Makes attributes of so many owners from lists."""
    columns = pa.array(names, pa.string()), pa.array(texts, pa.string())
    return Attributes(np.fromiter(owners, np.int64), *columns, count)


def _escaped(texts: pa.Array) -> pa.Array:
    """Escapes parameters, so that different lists of them never become the same text."""
    for sign, code in (("%", "%25"), ("&", "%26"), ("=", "%3D")):
        texts = pc.replace_substring(texts, sign, code)
    return texts
