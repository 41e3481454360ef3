"""What HTTP says about a request (RFC 9110): whether it reads or changes, and what its status tells of the value."""

from collections.abc import Iterable

import pyarrow as pa
import pyarrow.compute as pc

_OPS = {"GET": "read", "HEAD": "read", "PUT": "write", "POST": "write", "PATCH": "write", "DELETE": "remove"}
"""By method. Others neither read nor change."""
GONE = ["404", "410"]
_SHOWN = 10


def op_of(method: pa.Array) -> pa.Array:
    """What requests with these methods do. Null for others."""
    return pa.array(list(_OPS.values())).take(pc.index_in(method, value_set=pa.array(list(_OPS), method.type)))


def is_gone(status: pa.Array) -> pa.Array:
    """Whether there is no value."""
    return pc.is_in(status, value_set=pa.array(GONE, status.type))


def has_failed(status: pa.Array, op: pa.Array) -> pa.Array:
    """Whether requests failed, so that they tell nothing of the value. That nothing is there is an answer to a read
    alone.
    """
    wrong = pc.and_(pc.match_substring_regex(status, "^[45]"), pc.invert(is_gone(status)))
    return pc.or_(wrong, pc.and_(pc.match_substring_regex(status, "^4"), pc.not_equal(op, "read")))


def size_of(method: pa.Array, status: pa.Array, size: pa.Array) -> pa.Array:
    """The sizes of the values. "Not modified", a part, a HEAD and a change tell no size."""
    silent = pc.or_(pc.match_substring_regex(status, "^(3|206)"), pc.not_equal(method, "GET"))
    return pc.if_else(silent, pa.scalar(None, size.type), size)


def some_of(texts: Iterable[str | None]) -> str:
    """A few of some texts, in order.

    >>> some_of(["PUT", None, "PUT"])
    'PUT, none'
    """
    shown = sorted({"none" if text is None else text[:20] for text in texts})
    return ", ".join(shown[:_SHOWN]) + (", and others" if len(shown) > _SHOWN else "")
