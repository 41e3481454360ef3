"""Under independent Poisson reads, expiry alone has hit rates that theory knows; both engines reach them.

A key read at rate L: with absolute expiry T the load is followed by L*T hits on average, so that
the hit rate is L*T / (1 + L*T); with sliding expiry T a read is a hit if the last was less than T ago, 1 - exp(-L*T).
"""

from collections.abc import Callable

import numpy as np
import pytest

from vestigo import Rules, replay, synth
from vestigo.units import SECOND, Duration

READS = {"native": 60_000, "reference": 20_000}
KEYS, RATE = 40, 100.0


def expected(skew: float, hit_rate: Callable[[np.ndarray], np.ndarray]) -> float:
    weights = 1 / np.arange(1, KEYS + 1) ** skew
    shares = weights / weights.sum()
    return float((shares * hit_rate(RATE * shares)).sum())


@pytest.mark.parametrize("skew", [0.0, 0.9])
@pytest.mark.parametrize("lifetime", [0.1, 0.5, 3.0])
def test_absolute_expiry(engine: str, skew: float, lifetime: float) -> None:
    trace = synth(READS[engine], keys=KEYS, skew=skew, rate=RATE, cost="0s")
    outcome = replay(trace, Rules(absolute=Duration(round(lifetime * SECOND))), engine=engine)  # type: ignore[arg-type]
    theory = expected(skew, lambda rate: rate * lifetime / (1 + rate * lifetime))
    assert outcome.hit_rate == pytest.approx(theory, abs=0.01)


@pytest.mark.parametrize("skew", [0.0, 0.9])
@pytest.mark.parametrize("lifetime", [0.1, 0.5, 3.0])
def test_sliding_expiry(engine: str, skew: float, lifetime: float) -> None:
    trace = synth(READS[engine], keys=KEYS, skew=skew, rate=RATE, cost="0s")
    outcome = replay(trace, Rules(sliding=Duration(round(lifetime * SECOND))), engine=engine)  # type: ignore[arg-type]
    theory = expected(skew, lambda rate: 1 - np.exp(-rate * lifetime))
    assert outcome.hit_rate == pytest.approx(theory, abs=0.01)
