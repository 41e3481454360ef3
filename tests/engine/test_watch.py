"""What is told of single reads and keys adds up to the outcome, and is written batch by batch."""

from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow.csv as arrow_csv
import pyarrow.ipc
import pyarrow.parquet as pq
import pytest
from hypothesis import given

import vestigo as vg
from tests.agreement.cases import Case, cases
from tests.telling import told
from vestigo import InputError, Rules
from vestigo.engine import write_read_by_read
from vestigo.engine.native import watched as native_watched
from vestigo.outcome import CAUSES
from vestigo.prepared import memory

LINES = """\
0 read a node=n cost=5
2 read a node=n
4 read a node=m found=no
6 write a node=m
8 read a node=n
9 read a node=n"""


def lines(text: str) -> vg.Trace:
    return told(*text.splitlines())


def rows(reads: vg.Reads, *names: str) -> list[tuple[Any, ...]]:
    frame = reads.to_pandas()[list(names)].astype(object)
    return list(frame.where(frame.notna(), None).itertuples(index=False, name=None))


def test_each_read_has_a_row(engine: Any) -> None:
    reads = vg.read_by_read(lines(LINES), Rules(absolute="1h", overlap="join"), engine=engine)
    assert len(reads) == 5
    assert rows(reads, "event", "node", "answer", "cause", "null") == [
        (0, "n", "miss", "first", False),
        (1, "n", "joined", None, False),
        (2, "m", "miss", "elsewhere", True),
        (4, "n", "hit", None, False),
        (5, "n", "hit", None, False),
    ]
    spans = rows(reads, "read_time", "age", "stale_age")
    assert [span for span, _, _ in spans] == [5, 3, 5, 1e-6, 1e-6]
    assert spans[3][1:] == (8, 4)  # changed when a read found nothing


def test_the_warm_up_is_there_and_marked(engine: Any) -> None:
    reads = vg.read_by_read(lines("0 read a\n1 read a\n2 read a"), vg.Plan(warm_up=2), engine=engine)
    assert rows(reads, "answer", "counted") == [("miss", False), ("hit", False), ("hit", True)]


def test_a_trace_without_reads_or_rows_has_none(engine: Any) -> None:
    for trace in (lines("0 write a"), vg.read_trace({"at": [], "key": []})):
        assert len(vg.read_by_read(trace, Rules(), engine=engine).to_pandas()) == 0
        assert vg.key_by_key(trace, Rules(), engine=engine).to_pandas()["reads"].sum() == 0


@given(cases())
def test_keys_add_up_to_the_outcome_exactly(case: Case) -> None:
    outcome = vg.replay(case.trace, case.plan)
    counted = vg.key_by_key(case.trace, case.plan)
    keys = counted.to_arrow().to_pandas()
    names = "reads hits joined misses stale_hits false_nulls loads origin_time_ns evictions held_byte_ns".split()
    names.append("idle_byte_ns")
    assert {name: int(keys[name].sum()) for name in names} == {name: getattr(outcome, name) for name in names}
    assert {cause: int(keys[f"misses.{cause}"].sum()) for cause in CAUSES} == dict(outcome.misses_by_cause)
    assert keys["oldest_stale_ns"].max() == outcome.oldest_stale_ns or keys.empty
    assert np.allclose(counted.to_pandas()["origin_time"], counted.column("origin_time") / 1e9)


@given(cases())
def test_reads_add_up_to_the_outcome_exactly(case: Case) -> None:
    outcome = vg.replay(case.trace, case.plan)
    reads = vg.read_by_read(case.trace, case.plan).to_arrow().to_pandas()
    counted = reads[reads.counted]
    assert (counted.answer == "hit").sum() == outcome.hits and (counted.answer == "joined").sum() == outcome.joined
    assert counted.read_time_ns.sum() == outcome.read_time_ns
    assert counted.age_ns.sum() == outcome.answer_age_ns
    assert counted[counted.answer == "hit"].stale_age_ns.sum() == outcome.stale_age_ns
    assert (counted.null & (counted.answer == "hit")).sum() == outcome.nulls_hit


def test_what_passes_64_bits_is_exact() -> None:
    trace = vg.read_trace({"at": [0, 10**18, 2 * 10**18], "key": ["a", "b", "a"], "size": [2**50, 7, 2**50]})
    keys = vg.key_by_key(trace, Rules(entry_overhead=0))
    assert keys.column("held_byte_ns").tolist() == [2 * 10**18 * 2**50, 10**18 * 7]
    assert [int(one) for one in keys.to_arrow()["held_byte_ns"].to_pylist()] == [2 * 10**18 * 2**50, 10**18 * 7]
    assert int(vg.replay(trace, Rules(entry_overhead=0)).held_byte_ns) == sum(keys.column("held_byte_ns"))


def test_the_keys_with_most_misses_are_the_worst() -> None:
    keys = vg.key_by_key(lines("0 read a\n1 read b\n2 read b\n3 read b force=yes"), Rules())
    assert keys.worst("misses").tolist() == [1, 0]
    assert keys.worst("stale_hits").tolist() == []
    assert [row["key"] for row in keys.worst_to_dict(most=1)["misses"]] == ["b"]


@pytest.mark.parametrize("ending", ["parquet", "csv", "arrow"])
def test_batches_are_written_as_one_table(ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    trace = vg.synth(2000, keys=90, seed=3)
    whole = vg.read_by_read(trace, Rules(max_entries=20)).to_arrow().to_pandas()
    monkeypatch.setattr(memory, "is_long", lambda _: True)
    monkeypatch.setattr(memory, "BATCH_EVENTS", 300)
    path = tmp_path / f"reads.{ending}"
    assert write_read_by_read(trace, Rules(max_entries=20), path) == trace.reads
    read = {"parquet": pq.read_table, "csv": arrow_csv.read_csv, "arrow": _arrow}[ending]
    written = read(path).to_pandas()
    assert list(written.columns) == list(whole.columns)
    assert written["answer"].tolist() == whole["answer"].astype(str).tolist()
    assert written["read_time_ns"].tolist() == whole["read_time_ns"].tolist()
    assert pd.to_datetime(written["at"]).tolist() == whole["at"].tolist()


def _arrow(path: Path) -> Any:
    return pyarrow.ipc.open_file(path).read_all()


def test_a_csv_holds_no_formulas_and_other_files_hold_keys_as_they_are(tmp_path: Path) -> None:
    keys = ["=1+1", "+a", "-a", "@a", "a=b", "\ta"]
    trace = vg.read_trace({"at": range(6), "key": keys})
    write_read_by_read(trace, Rules(), tmp_path / "reads.csv")
    write_read_by_read(trace, Rules(), tmp_path / "reads.parquet")
    assert arrow_csv.read_csv(tmp_path / "reads.csv")["key"].to_pylist() == [
        "'=1+1",
        "'+a",
        "'-a",
        "'@a",
        "a=b",
        "'\ta",
    ]
    assert pq.read_table(tmp_path / "reads.parquet")["key"].to_pylist() == keys


def test_a_file_that_cannot_be_written_is_a_sentence(tmp_path: Path) -> None:
    with pytest.raises(InputError, match=r"its ending does not say the format; known are \.parquet"):
        write_read_by_read(lines("0 read a"), Rules(), tmp_path / "reads.xlsx")
    with pytest.raises(InputError, match="cannot be written: No such file"):
        write_read_by_read(lines("0 read a"), Rules(), tmp_path / "no" / "reads.csv")
    assert list(tmp_path.iterdir()) == []


def test_a_policy_that_knows_the_future_is_watched_where_its_look_up_has_no_keys() -> None:
    trace = lines("0 read a lookup=x\n1 clear lookup=y\n2 read a lookup=x")
    plan = vg.Plan(lookups={"y": {"eviction": "belady", "max_entries": 3}})
    assert vg.replay(trace, plan).hits == 1
    assert vg.key_by_key(trace, plan).to_pandas()["hits"].sum() == 1


def test_only_what_is_asked_is_told() -> None:
    from vestigo.engine.job import job
    from vestigo.outcome.seen import Watching

    trace = lines("0 read a\n1 read b\n2 read a")
    seen = native_watched.watch(job(trace, vg.Plan()), Watching(chosen=(1,)))
    assert (seen.answers, seen.keys) == (None, None)
    assert [(one.key, one.what) for one in seen.happenings] == [(1, "missed"), (1, "kept")]
    assert np.all([one.key == 1 for one in seen.happenings[:]])
