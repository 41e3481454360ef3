"""A recording that was made behind a cache is recognised, said to be one, and not mistaken for all reads."""

from pathlib import Path

import numpy as np
import pytest

import vestigo as vg
from tests.cli.calling import run
from tests.explaining.made import every
from vestigo import Rules, Trace, TraceError
from vestigo.prepared.behind import behind
from vestigo.units import SECOND


def all_reads(seed: int = 1, lookups: int = 1) -> Trace:
    """Four hours of 300 keys."""
    draws = np.random.default_rng(seed)
    weight = 1 / np.arange(1, 301) ** 0.9
    at, key = np.sort(draws.integers(0, 4 * 3600 * SECOND, 6000)), draws.choice(300, 6000, p=weight / weight.sum())
    lookup = [f"l{one % lookups}" for one in key]
    return vg.read_trace({"at": at, "key": key, "lookup": lookup, "cost": [SECOND // 5] * 6000})


def let_through(trace: Trace, rules: Rules) -> Trace:
    """The reads that a cache with these rules did not answer."""
    reads = vg.read_by_read(trace, rules).to_pandas()
    rows = np.flatnonzero((reads["answer"] == "miss").to_numpy())
    return trace.take(rows)


@pytest.mark.parametrize(
    "rules", [{"absolute": "10m"}, {"sliding": "5m"}, {"absolute": "2m", "lifetime_from": "asked"}]
)
def test_a_cache_before_the_recording_shows_by_its_lifetime(rules: dict[str, str]) -> None:
    whole = all_reads()
    seen = let_through(whole, Rules(overlap="join", **rules))
    (lifetime,) = (Rules(**{name: span}) for name, span in rules.items() if name != "lifetime_from")
    (gap,) = behind(seen).lookups.values()
    assert (lifetime.absolute or lifetime.sliding or 0) <= gap <= 1.05 * (lifetime.absolute or lifetime.sliding or 0)
    assert not behind(whole).lookups
    assert "Reads seem to be missing: no key of reads" in str(vg.survey(seen)).replace("l0", "reads")
    assert any("reads of all look-ups are missing" in one for one in vg.replay(seen, Rules()).assumptions)


def test_only_the_look_up_behind_the_cache_is_named() -> None:
    whole = all_reads(lookups=2)
    seen = let_through(whole, Rules(overlap="join", absolute="10m"))
    mixed = vg.shape.merged([vg.shape.only(seen, lookups=["l0"]), vg.shape.only(whole, lookups=["l1"])])
    assert set(behind(mixed).lookups) == {"l0"}


@pytest.mark.parametrize(
    "trace",
    [
        every(10, 3000, 5),
        every(1, 20, 2),
        vg.read_trace({"at": np.arange(5000) * SECOND, "key": np.random.default_rng(3).integers(0, 50, 5000)}),
        vg.synth(20_000, keys=500, seed=2),
    ],
    ids=["on a schedule", "few", "one read a second", "zipf"],
)
def test_other_traces_raise_no_alarm(trace: Trace) -> None:
    assert not behind(trace).lookups
    assert "missing" not in str(vg.survey(trace))


def test_check_does_not_call_the_lifetime_of_that_cache_too_short() -> None:
    seen = let_through(all_reads(), Rules(overlap="join", absolute="10m"))
    assert "lifetime too short" not in [one.kind for one in vg.check(seen, Rules(absolute="10m")).mistakes]
    assert "lifetime too short" not in [one.kind for one in vg.check(seen, Rules(absolute="5s")).mistakes]


def test_a_plan_can_deny_it_or_state_it(tmp_path: Path) -> None:
    seen = let_through(all_reads(), Rules(overlap="join", absolute="10m"))
    (tmp_path / "t.csv").write_text(
        "at,key\n" + "".join(f"{at},{key}\n" for at, key in zip(seen.at, seen.key, strict=True))
    )
    seeming = run("survey", "t.csv", "--intake", "at_unit=ns", cwd=tmp_path)
    assert seeming.stdout.startswith(
        "Reads seem to be missing: no key of reads was read again within 10.0 min of its last"
    )
    for word, says in (("no", False), ("10m", True)):
        done = run("survey", "t.csv", "--intake", "at_unit=ns", "--intake", f"behind={word}", cwd=tmp_path)
        assert (
            done.stdout.startswith("Recorded behind a cache of 10.0 min: the reads that it answered are missing.")
            == says
        )
        (tmp_path / "plan.toml").write_text(f'[trace]\npath = "t.csv"\nat_unit = "ns"\nbehind = "{word}"\n')
        assert ("are missing" in run("replay", cwd=tmp_path).stdout.replace("\n", " ")) == says
    with pytest.raises(TraceError, match=r'behind: .* is neither "no" nor the lifetime of a cache'):
        vg.read_trace(tmp_path / "t.csv", behind="yes")
