"""A sweep gives the same as single replays, is kept as it goes, can be continued, and never trusts damaged results."""

import hashlib
import json
import sqlite3
import threading
from concurrent.futures import Future, ProcessPoolExecutor, ThreadPoolExecutor
from importlib.metadata import version
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from vestigo import (
    InputError,
    Interrupted,
    Plan,
    Policy,
    Rules,
    RulesError,
    Trace,
    UnknownName,
    WorkersLost,
    replay,
    shape,
    sweep,
    synth,
    write_trace,
)
from vestigo.choosing.front import costs, unbeaten
from vestigo.choosing.store import Store, result_name

ENTRIES = [5, 20, 80]
PLAN = Plan(
    Rules(max_entries=10, absolute="5m"),
    candidates={"for-ever": Plan(Rules(max_entries=10))},
    vary={"rules.max_entries": ENTRIES, "rules.eviction": ["lru", "sieve"]},
)


@pytest.fixture(scope="module")
def trace() -> Trace:
    return synth(reads=3000, keys=200, skew=0.9, changes="1h", seed=3)


def test_every_candidate_is_a_replay(trace: Trace) -> None:
    study = sweep(trace, PLAN)
    assert list(study)[:2] == ["today", "for-ever"]
    assert len(study) == 2 + 3 * 2
    for candidate in study.values():
        outcome = replay(trace, candidate.plan)
        assert candidate.measure("hit_rate") == outcome.hit_rate
        assert candidate.whole.to_dict() == outcome.to_dict()
    assert study["max_entries=80, eviction=sieve"].plan.rules == Rules(max_entries=80, absolute="5m", eviction="sieve")
    assert study.references["no cache"].measure("hit_rate") == 0


def test_what_is_no_result_is_replayed_again(trace: Trace, tmp_path: Path) -> None:
    """Its digest is right, so somebody wrote it so, or an earlier version did."""
    file = tmp_path / "kept.results"
    whole = sweep(trace, PLAN, results=file)
    for content in ("{}", '{"whole": 1}', "[1]", "null"):
        digest = hashlib.blake2b(content.encode(), digest_size=20).hexdigest()
        with sqlite3.connect(file) as rows:
            rows.execute("UPDATE result SET content = ?, digest = ?", (content, digest))
        rows.close()
        again = sweep(trace, PLAN, results=file)
        assert again == whole
        assert any("a result is damaged; it is replayed again" in note for note in again.notes)


def test_a_candidate_has_a_summary_of_each_look_up(trace: Trace) -> None:
    today = sweep(trace, PLAN).today
    outcome = replay(trace, today.plan)
    for name, summary in today.lookups.items():
        assert (summary.hit_rate, summary.misses) == (outcome.lookups[name].hit_rate, outcome.lookups[name].misses)
        assert summary.read_time(95) == outcome.lookups[name].read_time(95)
        assert summary.to_dict() == outcome.lookups[name].to_dict()
    with pytest.raises(UnknownName, match="look-up 'nowhere' is unknown"):
        today.lookups["nowhere"]


def test_parts_of_time_add_up(trace: Trace) -> None:
    for candidate in sweep(trace, PLAN, rest="30%").values():
        whole, first, rest = (one.to_dict() for one in (candidate.whole, candidate.first, candidate.rest))
        for count in ("reads", "hits", "loads", "evictions", "stale_hits"):
            assert whole[count] == first[count] + rest[count]
        assert whole["misses"] == {cause: first["misses"][cause] + rest["misses"][cause] for cause in whole["misses"]}
        assert max(first["memory_peak"], rest["memory_peak"]) == whole["memory_peak"]
        assert candidate.slices("reads").sum() == whole["reads"]


def test_what_is_known_is_not_replayed_again(trace: Trace, tmp_path: Path) -> None:
    first = sweep(trace, PLAN, results=tmp_path / "r")
    again = sweep(trace, PLAN, results=tmp_path / "r")
    assert (first.replayed, again.replayed) == (len(first) + 3, 0)
    assert again.to_dict() == first.to_dict()
    more = Plan(PLAN.rules, candidates=PLAN.candidates, vary={**PLAN.vary, "rules.max_entries": [*ENTRIES, 300]})
    assert sweep(trace, more, results=tmp_path / "r").replayed == 2
    assert sweep(trace, PLAN, results=tmp_path / "r", rest="50%").replayed == len(first) + 3
    other = synth(reads=3000, keys=200, skew=0.9, changes="1h", seed=4)
    assert sweep(other, PLAN, results=tmp_path / "r").replayed == len(first) + 3


def test_a_sweep_that_was_stopped_goes_on_where_it_was(trace: Trace, tmp_path: Path) -> None:
    def stop(_: str, done: int, *__: int) -> None:
        if done == 4:
            raise KeyboardInterrupt

    with pytest.raises(Interrupted, match=r"stopped after 4 of 11 replays; the same call goes on from there"):
        sweep(trace, PLAN, results=tmp_path / "r", progress=stop)
    study = sweep(trace, PLAN, results=tmp_path / "r")
    assert study.replayed == len(study) + 3 - 4
    assert study.to_dict() == sweep(trace, PLAN).to_dict()


def test_workers_that_are_lost_say_how_to_go_on(trace: Trace, tmp_path: Path) -> None:
    path = tmp_path / "t.arrow"
    write_trace(trace, path)
    with pytest.raises(WorkersLost, match=r"the workers are lost after \d+ of \d+ replays; the same call goes on"):
        sweep(path, PLAN, results=tmp_path / "r", executor=_Dying())
    study = sweep(path, PLAN, results=tmp_path / "r")
    assert study.to_dict() == sweep(trace, PLAN).to_dict()


class _Dying(ThreadPoolExecutor):
    """Does two tasks and breaks."""

    def __init__(self) -> None:
        super().__init__(1)
        self.left = 2
        self.lock = threading.Lock()

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> "Future[Any]":
        from concurrent.futures.process import BrokenProcessPool

        with self.lock:
            self.left -= 1
            if self.left >= 0:
                return super().submit(fn, *args, **kwargs)
        broken: Future[Any] = Future()
        broken.set_exception(BrokenProcessPool("gone"))
        return broken


def test_workers_in_other_processes_open_the_prepared_trace(trace: Trace, tmp_path: Path) -> None:
    path = tmp_path / "t.arrow"
    write_trace(trace, path)
    with ProcessPoolExecutor(2) as workers:
        study = sweep(path, PLAN, executor=workers)
    assert study.to_dict() == sweep(trace, PLAN).to_dict()
    with pytest.raises(InputError, match="the path of a prepared file"):
        sweep(trace, PLAN, executor=workers)


@pytest.fixture
def kept(trace: Trace, tmp_path: Path) -> Path:
    sweep(trace, PLAN, results=tmp_path / "r")
    return tmp_path / "r"


def test_a_damaged_store_is_set_aside_and_said(trace: Trace, kept: Path) -> None:
    kept.write_bytes(b"SQLite format 3\0" + b"\xff" * 5000)
    study = sweep(trace, PLAN, results=kept)
    assert study.replayed == len(study) + 3
    assert "set aside as r.damaged-1" in study.notes[0]
    assert (kept.parent / "r.damaged-1").exists()
    assert sweep(trace, PLAN, results=kept).replayed == 0


def test_a_result_that_was_tampered_with_is_replayed(trace: Trace, kept: Path) -> None:
    with sqlite3.connect(kept) as file:
        file.execute("UPDATE result SET content = replace(content, '\"hits\": ', '\"hits\": 1')")
    file.close()
    study = sweep(trace, PLAN, results=kept)
    assert study.replayed == len(study) + 3
    assert "a result is damaged" in study.notes[0]
    assert study.to_dict() == sweep(trace, PLAN).to_dict()


@pytest.mark.parametrize("damage", [b"\xff" * 4096, b"\x0d" * 4096, b"\0" * 4096])
def test_damage_that_shows_when_a_result_is_written_sets_the_file_aside(tmp_path: Path, damage: bytes) -> None:
    path = tmp_path / "r"
    store = Store(path)
    for number in range(100):
        store.put(f"n{number}", {"text": "x" * 300})
    with path.open("r+b") as file:
        for page in range(1, path.stat().st_size // 4096):
            file.seek(page * 4096)
            file.write(damage)
    store._file.execute("PRAGMA cache_size = 0")
    store.put("new", {"a": 1})
    assert store.get("new", dict) == {"a": 1}
    assert store.notes[-1].endswith("set aside as r.damaged-1 and all is replayed again")
    store.close()


@pytest.mark.parametrize("place", ["CREATE", "content", "digest"])
def test_damage_in_what_a_store_says_of_itself_sets_it_aside(tmp_path: Path, place: str) -> None:
    store = Store(tmp_path / "r")
    store.put("a", {"x": 1})
    store.close()
    content = (tmp_path / "r").read_bytes()
    at = content.index(place.encode())
    (tmp_path / "r").write_bytes(content[:at] + b"\xe8" + content[at + 1 :])
    store = Store(tmp_path / "r")
    store.put("b", {"x": 2})
    assert (store.get("a", dict), store.get("b", dict), len(store.notes)) == (None, {"x": 2}, 1)
    store.close()


def test_text_that_is_no_utf8_is_damage(kept: Path, trace: Trace) -> None:
    with sqlite3.connect(kept) as file:
        file.execute("UPDATE result SET content = CAST(x'fffe7b7d' AS TEXT), digest = CAST(x'ff' AS TEXT)")
    file.close()
    study = sweep(trace, PLAN, results=kept)
    assert study.replayed == len(study) + 3
    assert "a result is damaged" in study.notes[0]


def test_results_are_not_mixed_into_another_database(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "other") as file:
        file.execute("CREATE TABLE invoices (n)")
    file.close()
    with pytest.raises(InputError, match="a database of something else"):
        Store(tmp_path / "other")


def test_a_full_disk_keeps_what_is_there(tmp_path: Path) -> None:
    store = Store(tmp_path / "r")
    store.put("a", {"x": 1})
    store._file.execute("PRAGMA max_page_count = 8")
    with pytest.raises(InputError, match=r"cannot be kept: database or disk is full; the 1 so far are"):
        store.put("b", {"x": "y" * 100_000})
    assert store.get("a", dict) == {"x": 1}


def test_results_of_a_users_own_policy_are_not_found_again() -> None:
    """Nobody can tell whether its code is still the same."""

    class Own(Policy):
        pass

    assert result_name("t", Plan(Rules(max_entries=3, eviction=Own))) is None
    assert result_name("t", Plan(Rules(max_entries=3))) is not None


def test_combinations_that_mean_nothing_are_left_out_and_said(trace: Trace) -> None:
    plan = Plan(Rules(absolute="5m"), vary={"rules.absolute": ["never", "1m"], "rules.jitter": ["0%", "10%"]})
    study = sweep(trace, plan)
    assert list(study) == ["today", "absolute=never, jitter=0%", "absolute=1m, jitter=0%", "absolute=1m, jitter=10%"]
    assert "1 combination contradicts itself" in study.notes[0]


def test_names_and_shares_that_mean_nothing_are_refused(trace: Trace) -> None:
    with pytest.raises(RulesError, match="names something else"):
        sweep(trace, Plan(candidates={"today": Plan()}))
    for wrong in ("100%", "0%", 0.4):
        with pytest.raises(RulesError, match=r"rest: .* is not "):
            sweep(trace, PLAN, rest=wrong)


def test_the_front_is_what_no_other_beats(trace: Trace) -> None:
    study = sweep(trace, PLAN)
    front = study.front()
    names = {one.name for one in front}
    table = np.array(
        [[-one.measure("hit_rate"), one.measure("memory_peak"), one.measure("stale_rate")] for one in study.values()]
    )
    for one, row in zip(study.values(), table, strict=True):
        beaten = np.any(np.all(table <= row, axis=1) & np.any(table < row, axis=1))
        twin = any(np.array_equal(row, table[list(study).index(name)]) for name in names)
        assert beaten != twin, one
    with pytest.raises(InputError, match="did you mean 'hit_rate'"):
        study.front(["hitrate"])


@pytest.mark.parametrize("rest", ["20%", "40%", "70%"])
@pytest.mark.parametrize("warm_up", [0, "10s", 500])
def test_the_first_part_is_the_replay_of_a_trace_that_ends_there(trace: Trace, rest: str, warm_up: int | str) -> None:
    """The first part knows nothing of what comes later. The only difference: loads under way at the end of that trace
    store their values, and so evict others, between its last event and the end of the part.
    """
    plan = Plan(
        Rules(max_entries=20, absolute="1m"),
        vary={"rules.eviction": ["lru", "sieve", "w-tinylfu"], "rules.sliding": ["never", "10s"]},
        warm_up=warm_up,
    )
    study = sweep(trace, plan, rest=rest)
    ended = shape.between(trace, end=study.bounds_ns[1])
    assert 0 < len(ended) < len(trace)
    for candidate in study.values():
        alone, first = replay(ended, candidate.plan).to_dict(), candidate.first.to_dict()
        for name in ("reads", "hits", "stale_hits", "loads", "byte_hit_rate", "origin_time", "time_saved", "misses"):
            assert first[name] == alone[name], (candidate.name, name)
        assert first["read_time"] == pytest.approx(
            alone["read_time"], rel=0.01
        )  # few spans in a slice are told exactly


@pytest.mark.parametrize("measures", [("hit_rate", "memory_peak"), ("fresh_hit_rate", "stale_rate"), ("loads",)])
def test_the_front_of_a_front_is_the_same_and_what_is_off_it_is_beaten(trace: Trace, measures: tuple[str, ...]) -> None:
    study = sweep(trace, PLAN)
    front = study.front(measures)
    assert [one.name for one in unbeaten(front, measures)] == [one.name for one in front]
    table = dict(zip(study, costs(list(study.values()), measures), strict=True))
    for name, row in table.items():
        if name not in [one.name for one in front]:
            assert any(all(table[one.name] <= row) for one in front)


def test_results_from_before_lifetimes_were_drawn_by_compartment_are_not_taken() -> None:
    plain, varying = Plan(Rules(absolute="1h")), Plan(Rules(absolute="1h", jitter="10%"))

    def as_before(plan: Plan) -> str:
        depends_on = [3, version("vestigo-replay"), "trace", plan.replayed_to_dict()]
        return hashlib.blake2b(json.dumps(depends_on, sort_keys=True, default=str).encode(), digest_size=20).hexdigest()

    assert result_name("trace", plain) == as_before(plain)
    assert result_name("trace", varying) != as_before(varying)
