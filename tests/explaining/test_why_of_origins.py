"""What a story says of an origin that lets calls wait, or is away."""

import pytest

import vestigo as vg
from vestigo.units import SECOND


def story(lines: list[tuple[float, str, float]], at: str, rules: vg.Rules, **origin: object) -> vg.Story:
    seconds, keys, costs = zip(*lines, strict=True)
    trace = vg.read_trace(
        {
            "at": [int(one * SECOND) for one in seconds],
            "key": keys,
            "cost": [int(one * SECOND) for one in costs],
            "size": [10] * len(lines),
        }
    )
    return vg.why(trace, vg.Plan(rules, origin=origin), key="a", at=at)


def test_a_load_waits_for_the_origin() -> None:
    told = story([(0, "b", 4), (1, "a", 1), (9, "a", 1)], "1s", vg.Rules(), at_once=1)
    assert told.read is not None and "the load took 4.00 s, of which it waited 3.00 s for the origin" in told.read
    missed = next(one for one in told.steps if one.what == "missed")
    assert (missed.span_ns, missed.waited_ns) == (4 * SECOND, 3 * SECOND)
    assert "the load takes 4.00 s, of which it waits 3.00 s for the origin" in " ".join(str(told).split())
    assert missed.to_dict()["waited"] == 3


DOWN = "1970-01-01 00:00:00 for 10s"


@pytest.mark.parametrize(
    ("rules", "origin", "at", "says", "shown"),
    [
        ({}, {"down": DOWN}, "1s", "failed: the origin was away, and it knew that after 1.00 s", "the load failed"),
        (
            {},
            {"at_once": 1, "give_up": "2s"},
            "1s",
            "it gave up after `give_up = 2s`; its load went on",
            "gave up after",
        ),
        (
            {"keep_failures": "5s"},
            {"down": DOWN},
            "3s",
            "an earlier load had failed, and `keep_failures = 5s` keeps that",
            "an earlier failure was kept",
        ),
    ],
)
def test_a_read_fails(rules: dict[str, str], origin: dict[str, object], at: str, says: str, shown: str) -> None:
    told = story([(0, "b", 4), (1, "a", 1), (3, "a", 1), (30, "a", 1)], at, vg.Rules(**rules), **origin)  # type: ignore[arg-type]
    assert told.read is not None and says in told.read
    assert shown in " ".join(str(told).split())
    assert told.total["failed"] >= 1


def test_an_expired_entry_is_given_on_failure() -> None:
    lines = [(0, "a", 1), (8, "a", 1), (20, "a", 1)]
    down = "1970-01-01 00:00:07 for 10s"
    told = story(lines, "8s", vg.Rules(absolute="5s", serve_on_failure="1h"), down=down)
    assert told.read is not None
    assert "`serve_on_failure = 1h` gave it after 1.00 s, because the origin did not answer" in told.read


def test_single_reads_and_keys_tell_of_failures() -> None:
    trace = vg.read_trace({"at": [0, SECOND, 20 * SECOND], "key": ["a"] * 3, "cost": [SECOND] * 3})
    plan = vg.Plan(origin={"down": DOWN, "fails_after": "500ms"})
    reads = vg.read_by_read(trace, plan).to_pandas()
    assert reads["answer"].tolist() == ["failed", "failed", "miss"]
    assert reads["cause"].isna().tolist() == [True, True, False]
    assert reads["read_time"].tolist() == [0.5, 0.5, 1]
    keys = vg.key_by_key(trace, plan)
    assert {name: keys.column(name).tolist() for name in ("reads", "failed", "misses", "loads")} == {
        "reads": [3],
        "failed": [2],
        "misses": [1],
        "loads": [3],
    }
