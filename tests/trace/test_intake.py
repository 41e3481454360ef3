"""Templates, patterns and units say what the columns of a file mean. Code never does."""

from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from vestigo import Intake, Plan, PlanError, Trace, TraceError, read_plan, read_trace

SIX = 1_772_431_200_000_000_000  # 2026-03-02T06:00:00Z


def read(tmp_path: Path, text: str, **options: Any) -> Trace:
    path = tmp_path / "t.csv"
    path.write_text(text)
    return read_trace(path, **options)


def refused(tmp_path: Path, text: str, **options: Any) -> str:
    with pytest.raises(TraceError) as error:
        read(tmp_path, text, **options)
    return str(error.value).replace(str(tmp_path), "")


def test_columns_have_other_names_and_keys_are_composed(tmp_path: Path) -> None:
    columns = {"at": "{ts}", "key": "{route}:{user}", "lookup": "page", "version": "{etag}"}
    trace = read(tmp_path, "ts,route,user,etag\n5,/a,7,x\n6,/a,8,x\n7,/b,7,y\n", columns=columns)
    assert list(trace.keys[:]) == ["/a:7", "/a:8", "/b:7"]
    assert trace.lookups == ("page",)
    assert trace.version.tolist() == [0, 0, 1]


def test_a_part_of_a_key_that_is_missing_is_named(tmp_path: Path) -> None:
    said = refused(tmp_path, "at,route,user\n5,/a,7\n6,/a,\n", columns={"key": "{route}:{user}"})
    assert "/t.csv, line 3, column 'key': found nothing" in said


def test_patterns_give_look_up_and_key_and_what_fits_none_is_said(tmp_path: Path) -> None:
    text = "at,path\n1,/tiles/3/a/b\n2,/vessels/X?full=1\n3,/health\n4,/tides\n5,/vessels/\n"
    patterns = {"vessel": "/vessels/{id}", "tile": ["/tiles/{z}/{place...}"], "tide": "/tides"}
    trace = read(tmp_path, text, patterns=patterns, match="{path}")
    assert [(trace.lookups[lookup], key) for lookup, key in zip(trace.key_lookup, trace.keys, strict=True)] == [
        ("tile", "3/a/b"),
        ("vessel", "X?full=1"),
        ("tide", "/tides"),
    ]
    (note,) = trace.notes
    assert note.endswith("t.csv: left out 2 rows that no pattern matches, the first in line 4 ('/health', '/vessels/')")
    assert note.split(": ", 1)[1] in refused(tmp_path, text, patterns=patterns, match="{path}", strict=True)


def test_a_row_after_those_left_out_is_named_by_its_own_line(tmp_path: Path) -> None:
    said = refused(tmp_path, "at,size,p\n1,1,no\n2,x,yes\n", patterns={"l": "yes"}, match="{p}")
    assert "/t.csv, line 3, column 'size': found 'x'" in said


def test_signs_in_a_pattern_stand_for_themselves(tmp_path: Path) -> None:
    trace = read(tmp_path, 'at,p\n1,a.b(c)+x\n2,aXb(c)+x\n3,"a.b(c)+\n"\n', patterns={"l": "a.b(c)+{k}"}, match="{p}")
    assert list(trace.keys[:]) == ["x", "\n"]


def test_a_null_is_told_by_another_column(tmp_path: Path) -> None:
    text = "at,key,rows\n1,a,0\n2,b,3\n3,c,\n4,d,none\n"
    assert read(tmp_path, text, null_where={"rows": 0}).found.tolist() == [0, 1, -1, 1]
    assert read(tmp_path, text, null_where={"rows": ["0", "none"]}).found.tolist() == [0, 1, -1, 0]


@pytest.mark.parametrize(
    ("cell", "options"),
    [
        ("2026-03-02T06:00:00Z", {}),
        ("2026-03-02t07:00:00.000000000+01:00", {}),
        ("2026-03-02 00:30:00-0530", {}),
        ("2026-03-02T07:00:00", {"zone": "Europe/Berlin"}),
        ("1772431200", {}),
        ("1772431200.000", {}),
        ("1772431200000", {}),
        ("1772431200000000", {}),
        ("1772431200000000000", {}),
        ("1772431200000.0", {"at_unit": "ms"}),
    ],
)
def test_times_are_told_in_many_ways(tmp_path: Path, cell: str, options: dict[str, str]) -> None:
    trace = read(tmp_path, f"at,key\n{cell},a\n", **options)
    assert trace.at.tolist() == [SIX]
    assumed = cell.replace(".", "").isdigit() and len(cell) < 19 and not options
    assert len(trace.notes) == assumed


def test_offsets_can_be_mixed_and_a_zone_is_for_those_without_one(tmp_path: Path) -> None:
    text = "at,key\n2026-03-02T06:00:01Z,a\n2026-03-02T08:00:02+02:00,b\n2026-03-02T07:00:03,c\n"
    assert (read(tmp_path, text, zone="Europe/Berlin").at - SIX).tolist() == [10**9, 2 * 10**9, 3 * 10**9]
    assert "line 4, column 'at': found '2026-03-02T07:00:03'; it must be a time with an offset" in (
        refused(tmp_path, text)
    )


def test_daylight_saving_an_hour_that_comes_twice_is_the_first_and_a_skipped_one_goes_on(tmp_path: Path) -> None:
    text = "at,key\n2026-10-25T01:30:00,a\n2026-10-25T02:30:00,b\n2026-10-25T03:30:00,c\n2026-03-29T02:30:00,d\n"
    at = read(tmp_path, text, zone="Europe/Berlin").at
    hours = (at[1:] - at[1]) / 3.6e12  # from the first of October; the one of March is sorted to the front
    assert hours.tolist() == [0, 1, 3]
    assert at[0] == 1_774_747_800_000_000_000  # 01:30 UTC: an hour that is skipped, by the offset before


def test_parts_of_a_unit_are_kept(tmp_path: Path) -> None:
    trace = read(tmp_path, "at,key,cost\n-1.5,a,0.0000015\n2.25,b,\n", at_unit="s", cost_unit="s")
    assert trace.at.tolist() == [-1_500_000_000, 2_250_000_000]
    assert trace.cost.tolist() == [1500, -1]


def test_floats_are_times_too_but_no_ns() -> None:
    table = pa.table({"at": [1.5, 2.0], "key": ["a", "b"]})
    with pytest.raises(TraceError, match=r"row 1, column 'at': found 1\.5"):
        read_trace(table)


@pytest.mark.parametrize("wrong", [float("nan"), float("inf"), 1e300])
def test_a_number_that_is_no_time_is_named(tmp_path: Path, wrong: float) -> None:
    pq.write_table(pa.table({"at": [1.5, wrong], "key": ["a", "b"]}), tmp_path / "t.parquet")
    with pytest.raises(TraceError, match=r"row 2, column 'at': found (nan|inf|1e\+300)"):
        read_trace(tmp_path / "t.parquet", at_unit="s")


@pytest.mark.parametrize(
    "cell", ["99999999999999999999", "9223372036854775807", "1e9", "12:00", "2026-02-30T00:00:00Z"]
)
def test_what_is_no_time_is_named(tmp_path: Path, cell: str) -> None:
    assert f"line 3, column 'at': found {cell!r}".replace("'", "") in (
        refused(tmp_path, f"at,key\n1700000000,a\n{cell},b\n", at_unit="s").replace("'", "")
    )


def test_all_wrong_options_are_named_at_once() -> None:
    with pytest.raises(TraceError) as error:
        Intake(
            columns={"kye": "{x}", "key": "{x"},
            patterns={"a": "{b", "c": 5},  # type: ignore[dict-item]
            null_where={"rows": {}},
            at_unit="min",
            zone="Atlantis",
        )
    assert [problem.split(": ")[0] for problem in error.value.problems] == [
        "columns.kye", "columns.key", "patterns.a", "patterns.c", "null_where.rows", "at_unit", "zone"
    ]  # fmt: skip
    assert "did you mean 'key'?" in error.value.problems[0]


def test_options_that_contradict_each_other_are_named() -> None:
    with pytest.raises(TraceError, match=r"columns\.lookup: is there besides patterns"):
        Intake(columns={"lookup": "x"}, patterns={"l": "/{}"}, match="{path}")
    with pytest.raises(TraceError, match="match: is there without patterns"):
        Intake(match="{path}")


def test_patterns_need_something_to_match(tmp_path: Path) -> None:
    assert "match: patterns are there, but not what they are matched with" in (
        refused(tmp_path, "at,path\n1,/a\n", patterns={"l": "/{}"})
    )


def test_a_column_that_the_file_does_not_have_is_named(tmp_path: Path) -> None:
    said = refused(tmp_path, "at,key\n1,a\n", columns={"scope": "{session}"}, null_where={"rows": 0})
    assert said.splitlines() == [
        "/t.csv: no column 'session', which column 'scope' is made of; the file has at, key",
        "/t.csv: no column 'rows', which null_where is made of; the file has at, key",
    ]


def test_a_plan_says_what_columns_mean_and_options_come_on_top(tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text('[trace]\npath = "t.csv"\nat_unit = "ms"\n[trace.columns]\nat = "{ts}"\nkey = "{a}"\n')
    intake = read_plan(plan).intake
    assert intake == Intake(columns={"at": "{ts}", "key": "{a}"}, at_unit="ms")
    (tmp_path / "t.csv").write_text("ts,a,b\n5,x,y\n")
    trace = read_trace(tmp_path / "t.csv", intake, columns={"key": "{b}"})
    assert (trace.at.tolist(), list(trace.keys[:])) == ([5_000_000], ["y"])


def test_what_is_wrong_in_a_plan_is_named_with_its_line(tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text("[trace]\nzone = 'Atlantis'\n[trace.columns]\nkey = '{'\n[trace.null_where]\nrows = 0\n")
    with pytest.raises(PlanError) as error:
        read_plan(plan)
    assert [problem.split(": ")[0][len(str(plan)) :] for problem in error.value.problems] == [", line 2", ", line 4"]
    assert Plan().intake == Intake()


@pytest.mark.parametrize(
    "options",
    [
        {"columns": {"key": "{at}-{nested}"}},
        {"columns": {"key": "{nested}"}},
        {"null_where": {"nested": 1}},
        {"match": "{nested}", "patterns": {"l": "{}"}},
    ],
)
def test_lists_where_a_text_is_asked_for_are_refused(tmp_path: Path, options: dict[str, Any]) -> None:
    pq.write_table(pa.table({"at": [1], "key": ["a"], "nested": [[1, 2]]}), tmp_path / "t.parquet")
    with pytest.raises(TraceError, match=r"a column of list|list<"):
        read_trace(tmp_path / "t.parquet", **options)
