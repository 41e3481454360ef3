"""Traces written as lines, for tests: ``told("0 read a version=1 cost=2", ...)``. Times are in seconds."""

from typing import Any

from vestigo import Outcome, Rules, Trace, read_trace, replay
from vestigo.units import SECOND

_FIELDS = ("lookup", "key", "size", "cost", "found", "version", "scope", "node", "force")


def told(*lines: str) -> Trace:
    """A trace from lines. Each line has the time, the operation, the key if there is one, and other fields as
    name=value.
    """
    rows = [_row(line.split()) for line in lines]
    return read_trace({name: [row.get(name) for row in rows] for name in ("at", "op", *_FIELDS)})


def _row(words: list[str]) -> dict[str, Any]:
    fields: dict[str, Any] = dict(word.split("=") for word in words[2:] if "=" in word)
    row: dict[str, Any] = {"at": round(float(words[0]) * SECOND), "op": words[1], **fields}
    if len(words) > 2 and "=" not in words[2]:
        row["key"] = words[2]
    if "size" in row:
        row["size"] = int(row["size"])
    if "cost" in row:
        row["cost"] = round(float(row["cost"]) * SECOND)
    for flag in ("found", "force"):
        if flag in row:
            row[flag] = row[flag] == "yes"
    return row


def replayed(engine: Any, lines: str, **rules: Any) -> Outcome:
    """The outcome of lines under rules without overhead. The lines stand below each other."""
    trace = told(*(line.strip() for line in lines.strip().splitlines()))
    return replay(trace, Rules(**{"entry_overhead": 0, **rules}), engine=engine)


def missed(outcome: Outcome) -> dict[str, int]:
    """The causes that occurred."""
    return {cause: count for cause, count in outcome.misses_by_cause.items() if count}
