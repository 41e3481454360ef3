"""An origin with so many places, that is away or slow: by hand, and against the theory of queues."""

from math import factorial
from typing import Any

import numpy as np
import pytest

import vestigo as vg
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.native.begin import is_plain
from vestigo.engine.native.feed import RunOptions
from vestigo.engine.parts import Cut, whole
from vestigo.outcome import Outcome
from vestigo.units import SECOND

CALLS = {"native": 200_000, "reference": 12_000}


def arrivals(calls: int, rate: float, costs: np.ndarray) -> vg.Trace:
    """Reads of keys that nobody read before, at random moments."""
    at = np.cumsum(np.random.default_rng(1).exponential(SECOND / rate, calls)).astype(np.int64)
    return vg.read_trace({"at": at, "key": np.arange(calls), "cost": costs.astype(np.int64)})


def waits(engine: str, places: int, load: float, costs: np.ndarray, mean: float) -> tuple[float, float]:
    """The mean wait of calls in seconds, and its sampling error: that of the means of long stretches."""
    trace = arrivals(len(costs), load * places / mean, costs)
    plan = vg.Plan(vg.Rules(hit_cost="0s"), origin=vg.Origin(at_once=places))
    outcome = vg.replay(trace, plan, engine=engine)  # type: ignore[arg-type]
    assert outcome.misses == len(costs)
    stretches = np.array([one.origin_wait() for one in outcome.slices if one.loads])
    chunks = np.array([each.mean() for each in np.array_split(stretches, 20)])
    return outcome.origin_wait(), float(chunks.std(ddof=1) / len(chunks) ** 0.5)


def waits_exponential(places: int, load: float) -> float:
    """The mean wait in calls' own times, if these are exponential (A. K. Erlang, 1917)."""
    offered = load * places
    above = offered**places / factorial(places) / (1 - load)
    has_to_wait = above / (sum(offered**n / factorial(n) for n in range(places)) + above)
    return has_to_wait / (places * (1 - load))


def waits_constant(places: int, load: float) -> float:
    """The same if all calls take the same time (F. Pollaczek, 1930; with several places by C. D. Crommelin, 1932): of
    those who are there, as many as there are places have left one such time later, and the others are still there.
    """
    offered, most = load * places, 400
    came = np.exp(np.cumsum(np.log(offered / np.maximum(np.arange(most), 1))) - np.log(offered) - offered)
    there = np.zeros(most)
    there[0] = 1
    for _ in range(3000):
        left = np.concatenate([[there[: places + 1].sum()], there[places + 1 :]])
        there = np.convolve(left, came)[:most]
    return float((np.maximum(np.arange(most) - places, 0) * there).sum() / offered)


def test_the_theory_of_constant_times_is_that_of_one_place() -> None:
    assert waits_constant(1, 0.7) == pytest.approx(0.7 / (2 * 0.3), rel=1e-6)


@pytest.mark.parametrize(("places", "load"), [(1, 0.6), (4, 0.8)])
def test_calls_of_random_length_wait_as_the_theory_says(engine: str, places: int, load: float) -> None:
    costs = np.random.default_rng(2).exponential(1e8, CALLS[engine])
    measured, error = waits(engine, places, load, costs, 0.1)
    assert measured == pytest.approx(0.1 * waits_exponential(places, load), abs=4 * error)


@pytest.mark.parametrize(("places", "load"), [(1, 0.6), (4, 0.8)])
def test_calls_of_one_length_wait_as_the_theory_says(engine: str, places: int, load: float) -> None:
    measured, error = waits(engine, places, load, np.full(CALLS[engine], 1e8), 0.1)
    assert measured == pytest.approx(0.1 * waits_constant(places, load), abs=4 * error)


def every_second(seconds: int) -> vg.Trace:
    """A key is read each second; a load takes 100 ms."""
    return vg.read_trace({"at": np.arange(seconds) * SECOND, "key": ["a"] * seconds, "cost": [10**8] * seconds})


def replayed(engine: str, rules: dict[str, object], **origin: object) -> Outcome:
    return vg.replay(every_second(60), vg.Plan(vg.Rules(**rules), origin=vg.Origin(**origin)), engine=engine)  # type: ignore[arg-type]


def test_an_outage_by_hand(engine: str) -> None:
    """The value expires every 5 s and the origin is away from 20 s to 30 s: six reads fail, each after its own call."""
    outcome = replayed(engine, {"absolute": "5s"}, down="1970-01-01 00:00:20 for 10s", fails_after="500ms")
    assert outcome.failed == outcome.failed_loads == 6  # at 24 to 29 s
    assert outcome.loads == 4 + 6 + 5  # at 0, 6, 12, 18 s, those that fail, and at 30, 36, 42, 48, 54 s
    assert outcome.longest_read_ns == 5 * 10**8
    assert outcome.reads == outcome.hits + outcome.misses + outcome.failed == 60


def test_what_expired_lately_is_given_while_the_origin_is_away(engine: str) -> None:
    outcome = replayed(engine, {"absolute": "5s", "serve_on_failure": "1m"}, down="1970-01-01 00:00:20 for 10s")
    assert (outcome.failed, outcome.served_on_failure, outcome.failed_loads) == (0, 6, 6)
    assert outcome.reads == outcome.hits + outcome.misses


def test_a_kept_failure_spares_calls(engine: str) -> None:
    rules = {"absolute": "5s", "keep_failures": "3s"}
    outcome = replayed(engine, rules, down="1970-01-01 00:00:20 for 10s", fails_after="500ms")
    assert (outcome.failed, outcome.failed_loads) == (8, 2)  # calls at 24 s and 28 s, kept until 27.5 s and 31.5 s


def test_readers_give_up_and_their_call_goes_on(engine: str) -> None:
    trace = vg.read_trace({"at": [0, 5 * SECOND], "key": ["a", "a"], "cost": [4 * SECOND] * 2})
    outcome = vg.replay(trace, vg.Plan(origin=vg.Origin(give_up="2s")), engine=engine)  # type: ignore[arg-type]
    assert (outcome.failed, outcome.hits, outcome.failed_loads) == (1, 1, 0)
    assert outcome.longest_read_ns == 2 * SECOND


def test_a_restart_fills_the_places(engine: str) -> None:
    """A hundred keys are lost, and all read again at one moment. Calls of 10 ms go through two places, two by two."""
    first = [(key * 10**7, "read", key) for key in range(100)]
    again = [(2 * SECOND, "read", key) for key in range(100)]
    at, op, key = zip(*first, (2 * SECOND - 1, "restart", None), *again, strict=True)
    trace = vg.read_trace({"at": at, "op": op, "key": key, "cost": [10**7] * len(at)})
    outcome = vg.replay(trace, vg.Plan(origin=vg.Origin(at_once=2, slow="400ms")), engine=engine)  # type: ignore[arg-type]
    assert outcome.misses_by_cause["restarted"] == 100
    assert (outcome.waiting_peak, outcome.longest_wait_ns) == (98, 49 * 10**7)
    assert outcome.origin_wait_ns == 2 * 10**7 * sum(range(50))
    assert outcome.slow_reads == 2 * 10  # those of the last ten pairs take 410 ms and more


def test_look_ups_share_the_places_of_their_origin(engine: str) -> None:
    trace = vg.read_trace({"at": [0, 0, 0], "lookup": ["x", "y", "z"], "key": ["a"] * 3, "cost": [SECOND] * 3})

    def wait(plan: vg.Plan) -> dict[str, float]:
        outcome = vg.replay(trace, plan, engine=engine)  # type: ignore[arg-type]
        return {name: one.origin_wait() for name, one in outcome.lookups.items()}

    one = vg.Origin(at_once=1)
    assert wait(vg.Plan(origin=one)) == {"x": 0, "y": 1, "z": 2}
    apart = vg.Plan(origin=one, origins={"of y": {"lookups": "y", "at_once": 1}})
    assert wait(apart) == {"x": 0, "y": 0, "z": 1}
    assert not vg.replay(trace, vg.Plan(origins={"of y": {"lookups": "y", "at_once": 1}})).lookups["x"].origin_stated


def test_an_origin_that_nothing_is_stated_of_changes_nothing() -> None:
    trace = vg.synth(2000, keys=50, seed=3)
    plain, stated = (vg.replay(trace, vg.Plan(vg.Rules(max_entries=9), origin=one)) for one in ({}, {"slow": "1s"}))
    names = ("hits", "misses_by_cause", "loads", "read_times", "origin_time_ns", "memory_peak", "surge_second")
    assert [getattr(plain, name) for name in names] == [getattr(stated, name) for name in names]


def test_times_that_nobody_can_tell_are_refused() -> None:
    trace = vg.read_trace({"at": [0, 1], "key": ["a", "b"], "cost": [SECOND * 10**8] * 2})
    with pytest.raises(vg.RulesError, match="more than 100 years"):
        vg.replay(trace, vg.Plan(origin={"slower": "900x 1970-01-01 00:00 for 1s"}))


CROWDED = vg.synth(20_000, keys=2_000, skew=0.8, rate=400, bursts=4, changes="10s", nulls="5%", nodes=3, seed=9)
"""Many calls wait, and how long a call takes varies."""


@pytest.mark.parametrize(
    ("rules", "origin"),
    [
        ({}, {"at_once": 2}),
        ({"overlap": "join", "drop_first": True}, {"at_once": 1, "give_up": "80ms"}),
        ({"reload_after": "50%", "serve_stale": "2s"}, {"at_once": 3, "slow": "30ms"}),
        (
            {"per": "node", "on_write": "drop", "tell_nodes": "drop"},
            {"at_once": 2, "slower": ["3x 2026-01-05 00:00:10 for 4s"]},
        ),
        ({"eviction": "gdsf", "keep_if": "cost >= 10ms"}, {"at_once": 2, "give_up": "1s"}),
    ],
)
def test_the_plain_replay_serves_calls_as_the_full_one_does(rules: dict[str, Any], origin: dict[str, Any]) -> None:
    stated = vg.Rules(**{"max_entries": 150, "absolute": "5s", "zone": "UTC", **rules})
    work = job(CROWDED, vg.Plan(stated, origin=vg.Origin(zone="UTC", **origin), warm_up="2s"))
    assert is_plain(CROWDED, whole(work))
    in_one_piece = Cut(fewest_rows=len(CROWDED) + 1)
    total, *plain = native.run(work, options=RunOptions(in_one_piece, batch_events=777))
    full, *others = native.run(work, options=RunOptions(in_one_piece, full=True))
    assert total == full
    assert plain == others
    assert total["waiting_peak"] > 1
    assert total["failed"] > 0 or "give_up" not in origin


def test_only_an_origin_that_is_away_in_the_recorded_time_takes_the_full_replay() -> None:
    for down, plain in ((["2026-01-04 00:00 for 60s"], True), (["2026-01-05 00:00:10 for 1s"], False)):
        plan = vg.Plan(vg.Rules(), origin=vg.Origin(at_once=2, zone="UTC", down=down))
        assert is_plain(CROWDED, whole(job(CROWDED, plan))) == plain
