"""What OpenTelemetry's semantic conventions tell of a read: database spans and those of HTTP clients.

In a database span, the query summary is the look-up and the query parameters are the key. In an HTTP client's span, the
URL is. Names of earlier versions of the conventions are understood too. For other spans the name is the look-up, and
the key must be stated.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.formats.http import has_failed, is_gone, op_of, size_of, some_of
from vestigo.trace.names import true_of

READ = {name: f"read.{name}" for name in ("op", "lookup", "key", "size", "found")}
"""Columns of a trace, and the column in which stands what the conventions tell of it."""
PARAMETER = "db.query.parameter."
PARAMETERS = "db.query.parameters"
"""All parameters of a query as one text."""

_TEXT = ("db.query.text", "db.statement")
_SUMMARY = ("db.query.summary",)
_OPERATION = ("db.operation.name", "db.operation")
_COLLECTION = ("db.collection.name", "db.sql.table", "db.mongodb.collection")
_ROWS = ("db.response.returned_rows",)
_METHOD = ("http.request.method", "http.method")
_URL = ("url.full", "http.url")
_TEMPLATE = ("url.template",)
_HOST = ("server.address", "net.peer.name", "http.host")
_STATUS = ("http.response.status_code", "http.status_code")
_BODY = ("http.response.body.size", "http.response_content_length")
NEEDED = (
    *(name for names in (_TEXT, _SUMMARY, _OPERATION, _COLLECTION, _ROWS) for name in names),
    *(name for names in (_METHOD, _URL, _TEMPLATE, _HOST, _STATUS, _BODY) for name in names),
    PARAMETERS,
)
"""Attributes that the conventions' columns are made of."""

_CLIENT, _SERVER, _CONSUMER = 3, 2, 5
_READING = (
    "SELECT",
    "WITH",
    "GET",
    "MGET",
    "HGET",
    "HGETALL",
    "FIND",
    "FINDONE",
    "AGGREGATE",
    "COUNT",
    "QUERY",
    "SCAN",
)
"""Operations that read. The conventions ask for the name that the database itself has for them: the verb of a statement
in SQL, the command of a key-value store, the call of a document store. These are the usual ones of each.
"""
_PLACEHOLDER = r"(^|[\s=(,<>])(\?|\$\d+|%s|%\(\w+\)s|:[A-Za-z_]\w*|@[A-Za-z_]\w*)"


class Told(NamedTuple):
    """Columns with the names of `READ`, and the spans that are not reads or do not tell one, by reason."""

    columns: dict[str, pa.Array]
    left_out: dict[str, np.ndarray]


def read_columns(columns: dict[str, pa.Array], count: int, wanted: set[str]) -> Told:
    """What the conventions tell of each of `count` spans, as far as `wanted`."""
    given = _Given(columns, count)
    database, http = _Database(given), _Http(given)
    op = pc.coalesce(database.op, http.op, pa.scalar("read"))
    lookup = pc.coalesce(database.lookup, http.lookup, columns["name"].cast(pa.string()))
    key = pc.coalesce(database.key, http.key)
    gone = is_gone(http.status)
    found = pc.if_else(http.flags, pc.if_else(gone, False, None), pc.invert(pc.equal(database.rows, "0")))
    columns_told = {"op": op, "lookup": lookup, "key": key, "found": found, "size": http.size}
    failed = true_of(pc.equal(columns["otel.status_code"], "ERROR")) & ~true_of(gone)
    failed |= true_of(has_failed(http.status, op))
    left_out = {"they failed": failed}
    if READ["op"] in wanted:
        left_out |= _named(database.others, "their operation ({}) does not read; state columns.op to keep them")
        left_out |= _named(http.others, "their method ({}) neither reads nor changes")
    if READ["key"] in wanted:
        if key.null_count == count and not database.hides.any():
            del columns_told["key"]  # none of the spans tells one, so the user must state the column
        else:
            left_out["their query has placeholders, and no db.query.parameter attribute says for what"] = database.hides
            left_out["no attribute gives their key"] = true_of(key.is_null())
    return Told({READ[name]: column for name, column in columns_told.items() if READ[name] in wanted}, left_out)


class _Given:
    """Attributes by name. Of several names, the first that exists counts. If none does, the value is missing."""

    def __init__(self, columns: dict[str, pa.Array], count: int) -> None:
        self.columns, self.count = columns, count
        self.kind = columns["kind"]
        self.nothing = pa.nulls(count, pa.string())

    def first(self, names: tuple[str, ...]) -> pa.Array:
        there = [self.columns[name].cast(pa.string()) for name in names if name in self.columns]
        return pc.coalesce(*there) if there else self.nothing

    def where(self, flags: np.ndarray, column: pa.Array) -> pa.Array:
        return pc.if_else(pa.array(flags), column, pa.scalar(None, pa.string()))


class _Database:
    def __init__(self, given: _Given) -> None:
        text, summary, operation = given.first(_TEXT), given.first(_SUMMARY), given.first(_OPERATION)
        is_one = true_of(pc.coalesce(text, summary, operation).is_valid())
        is_one &= ~true_of(pc.is_in(given.kind, value_set=pa.array([_SERVER, _CONSUMER], given.kind.type)))
        first_word = _of_distinct(pc.coalesce(operation, summary, text), _first_word)
        verb = pc.utf8_upper(first_word)
        reads = true_of(pc.is_in(verb, value_set=pa.array(_READING)))
        self.op = given.where(is_one & reads, pa.scalar("read"))
        self.others = (is_one & ~reads, verb)
        named = pc.binary_join_element_wise(operation, given.first(_COLLECTION), " ")
        self.lookup = given.where(is_one, pc.coalesce(summary, named, text, operation))
        parameters = given.first((PARAMETERS,))
        hidden = pc.and_(parameters.is_null(), _of_distinct(text, _has_placeholder))
        self.hides = is_one & reads & true_of(hidden)
        self.key = given.where(is_one & ~self.hides, pc.coalesce(parameters, text))
        self.rows = given.where(is_one, given.first(_ROWS))


class _Http:
    def __init__(self, given: _Given) -> None:
        method, url = pc.utf8_upper(given.first(_METHOD)), given.first(_URL)
        is_one = true_of(pc.and_(method.is_valid(), url.is_valid())) & true_of(pc.equal(given.kind, _CLIENT))
        self.flags = pa.array(is_one)
        op = op_of(method)
        self.op = given.where(is_one, op)
        self.others = (is_one & true_of(op.is_null()), method)
        host = _of_distinct(url, _host)
        self.lookup = given.where(is_one, pc.coalesce(given.first(_TEMPLATE), given.first(_HOST), host, url))
        self.key = given.where(is_one, url)
        self.status = given.where(is_one, given.first(_STATUS))
        self.size = given.where(is_one, size_of(method, pc.coalesce(self.status, "200"), given.first(_BODY)))


def _of_distinct(texts: pa.Array, what: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """Works something out once for each distinct text."""
    encoded = texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts
    encoded = encoded.dictionary_encode()
    return what(encoded.dictionary).take(encoded.indices)


def _first_word(texts: pa.Array) -> pa.Array:
    return pc.extract_regex(texts, r"^\s*(?P<word>[A-Za-z_]+)").field(0)


def _has_placeholder(texts: pa.Array) -> pa.Array:
    return pc.match_substring_regex(texts, _PLACEHOLDER)


def _host(urls: pa.Array) -> pa.Array:
    return pc.extract_regex(urls, r"^\w+://(?:[^/@]*@)?(?P<host>\[[^\]]*\]|[^/:?#]+)").field(0)


def _named(others: tuple[np.ndarray, pa.Array], why: str) -> dict[str, np.ndarray]:
    """The reason for some rows, with the values that they have."""
    rows, words = others
    if not rows.any():
        return {}
    return {why.format(some_of(words.filter(pa.array(rows)).unique().to_pylist())): rows}
