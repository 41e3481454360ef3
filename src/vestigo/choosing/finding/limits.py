"""What limits and aims ask of a choice of one attempt of each unit, as rows of a linear program."""

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from vestigo.errors import RulesError
from vestigo.measures import MEASURES, OfSpans, amount_of
from vestigo.outcome import Measures, Spans
from vestigo.rules.aim import Limit
from vestigo.units import SECOND

Amounts = np.ndarray[Any, np.dtype[np.float64]]


class Row(NamedTuple):
    """The sum of the amounts of the attempts taken is at most this."""

    amounts: Amounts
    most: float


class Ratio(NamedTuple):
    """A measure that is the sum of `over` divided by that of `per`, and has `more` whatever is chosen."""

    over: Amounts
    per: Amounts | None
    more: float = 0.0


def ratio(name: str, attempts: Sequence[Measures], now: Sequence[Measures], today: float) -> Ratio | None:
    """How a measure follows from the attempts. None if it does not add up. `now` has the attempts of today's settings,
    which give `today` together.
    """
    adds_up = MEASURES[name].adds_up
    if adds_up is None:
        return None
    over = _amounts(adds_up.over, attempts)
    if adds_up.per is not None:
        return Ratio(over, _amounts(adds_up.per, attempts))
    return Ratio(over, None, today - sum(adds_up.over(one) for one in now))


def row_of(limit: Limit, attempts: Sequence[Measures], now: Sequence[Measures], today: float) -> Row:
    """What a limit asks, but for one on the memory peak. Raises RulesError for a limit that a search cannot keep."""
    sign = 1.0 if limit.sign == "<=" else -1.0
    found = ratio(limit.name, attempts, now, today)
    if found is not None:
        bound = limit.bound - found.more
        if found.per is None:
            return Row(sign * found.over, sign * bound)
        return Row(sign * (found.over - bound * found.per), 0.0)
    if limit.sign == ">=":
        raise RulesError(f"aim: a search cannot keep {limit}; a list of values under [vary] can be searched for it")
    of_spans = MEASURES[limit.name].of_spans
    if of_spans is not None:
        return Row(np.array([_too_long(one, of_spans, limit.bound) for one in attempts]), 0.0)
    amounts = _amounts(lambda one: amount_of(one, limit.name), attempts)
    if not is_exact(limit):
        alone = sum(float(amount_of(one, limit.name)) for one in now)
        return Row(amounts * (today / alone if alone else 1.0), limit.bound)
    return Row((amounts > limit.bound).astype(np.float64), 0.0)


def is_exact(limit: Limit) -> bool:
    """Whether parts tell it. The busiest second of several is only estimated from that of each."""
    return not limit.name.startswith("surge.")


def _too_long(found: Measures, what: OfSpans, bound_seconds: float) -> float:
    """How many more spans are longer than the bound than may be."""
    spans: Spans = getattr(found, what.spans)
    return spans.longer_than(bound_seconds * SECOND) - (1 - what.percentile / 100) * spans.count


def _amounts(of: Callable[[Measures], float], attempts: Sequence[Measures]) -> Amounts:
    return np.array([float(of(one)) for one in attempts])
