"""A survey counts what a plain loop counts, judges by its numbers, and cries wolf at nothing."""

from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vestigo import Trace, read_trace, survey, synth
from vestigo.demo.files import ODD_KEYS, write_demo
from vestigo.demo.odd_keys import rows as odd_rows
from vestigo.describing.findings import NARROW, SHARED, SPELLINGS, WIDE
from vestigo.describing.verdict import FIX_KEYS, FIX_ORIGIN, ONLY_NULLS, TOO_FAST, TOO_LITTLE, WITHIN_REQUEST, WORTH
from vestigo.show.survey import answer

SECOND = 10**9
Row = dict[str, Any]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo")
    write_demo(folder)
    return folder


def trace_of(rows: list[Row]) -> Trace:
    names = ["at", "op", "lookup", "key", "version", "found", "size", "cost", "scope"]
    return read_trace({name: [row.get(name) for row in rows] for name in names})


def plain_count(rows: list[Row], lookup: str | None) -> Counter[str]:
    """The survey's words as a plain loop; every row gives version, found, size and cost."""
    counts: Counter[str] = Counter()
    value: dict[Any, Any] = {}
    last_read: dict[Any, Row] = {}
    reads: Counter[Any] = Counter()
    scopes, scoped, seconds = set(), set[Any](), Counter[int]()
    there: set[Any] = set()
    nulls, created, gaps = set(), set(), []
    for row in rows:
        key = (row["lookup"], row["key"])
        if lookup not in (None, row["lookup"]):
            continue
        now = row["version"] if row["found"] else None
        changed = value[key] != now if key in value else row["op"] != "read"
        counts["changes"] += changed
        known, was_there = key in value, (key, now) in there
        value[key] = now
        there.add((key, now))
        if row["op"] != "read":
            continue
        counts["answerable"] += known
        if was_there:
            counts["fresh_answerable"] += 1
            counts["null_answerable"] += now is None
            counts["saveable"] += row["cost"]
            counts["scope_answerable"] += (row["scope"], key, now) in scoped
        counts["reads"] += 1
        counts["nulls"] += now is None
        counts["origin"] += row["cost"]
        if key in last_read:
            before = last_read[key]
            counts["repeats"] += 1
            gaps.append(row["at"] - before["at"])
            counts["fresh"] += before["value"] == now
        if now is None:
            nulls.add(key)
        elif key in nulls:
            created.add(key)
        if row["scope"] is not None:
            counts["scoped"] += 1
            counts["scope_repeats"] += (row["scope"], key) in scoped
            scoped |= {(row["scope"], key), (row["scope"], key, now)}
            scopes.add(row["scope"])
        reads[key] += 1
        seconds[row["at"] // SECOND] += 1
        last_read[key] = {**row, "value": now}
    counts |= Counter(
        keys=len(reads),
        once=sum(times == 1 for times in reads.values()),
        null_keys=len(nulls),
        created=len(created),
        scopes=len(scopes),
        busiest=max(seconds.values(), default=0),
        gap=sorted(gaps)[(len(gaps) + 1) // 2 - 1] if gaps else 0,
        size=sum(row["size"] for row in last_read.values() if row["value"] is not None),
    )
    return counts


events = st.fixed_dictionaries(
    {
        "at": st.integers(0, 4 * SECOND),
        "op": st.sampled_from(["read"] * 5 + ["write"]),
        "lookup": st.sampled_from(["l", "m"]),
        "key": st.sampled_from("abc"),
        "version": st.sampled_from("xyz"),
        "found": st.booleans(),
        "size": st.integers(1, 9),
        "cost": st.integers(0, 9),
        "scope": st.sampled_from([None, "p", "q"]),
    }
)


@given(rows=st.lists(events, max_size=40))
@settings(max_examples=200, deadline=None)
def test_every_number_is_what_a_plain_loop_counts(rows: list[Row]) -> None:
    rows.sort(key=lambda row: row["at"])
    found = survey(trace_of(rows)) if rows else None
    if found is None:
        return
    for name, traits in [(None, found.total), *found.lookups.items()]:
        expected = plain_count(rows, name)
        numbers = {
            "reads": traits.reads,
            "keys": traits.keys,
            "once": round(traits.once_share * traits.keys),
            "repeats": traits.repeats,
            "fresh": traits.fresh_repeats,
            "nulls": traits.nulls,
            "answerable": traits.answerable,
            "fresh_answerable": traits.fresh_answerable,
            "null_answerable": traits.null_answerable,
            "scope_answerable": traits.scope_answerable,
            "null_keys": traits.null_keys,
            "created": traits.null_keys_created,
            "origin": round(traits.origin_time * 1e9),
            "saveable": round(traits.saveable_time * 1e9),
            "size": traits.size_of_all,
            "changes": traits.changes,
            "scopes": traits.scopes,
            "scoped": traits.scoped_reads,
            "scope_repeats": traits.scope_repeats,
            "busiest": traits.busiest_second,
            "gap": round(traits.gap_p50 * 1e9),
        }
        assert numbers == {key: expected[key] for key in numbers}


def test_percentiles_are_values_that_occur() -> None:
    costs = list(range(100, 0, -1))
    traits = survey(read_trace({"at": range(100), "key": ["a"] * 100, "cost": costs, "size": costs})).total
    ns = [traits.cost_p50 * 1e9, traits.cost_p95 * 1e9, traits.cost_first * 1e9]
    assert [round(one) for one in ns] == [50, 95, 100]
    assert (traits.size_p50, traits.size_p95, traits.size_of_all) == (50, 95, 1)


def test_what_is_not_given_is_filled_in_and_counted() -> None:
    trace = read_trace({"at": [1, 2, 3], "key": list("abc"), "cost": [None, 5, None], "size": [7, None, None]})
    traits = survey(trace).total
    assert (traits.costs_assumed, traits.sizes_assumed, traits.size_of_all) == (2, 2, 21)
    assert round(traits.origin_time * 1e9) == 15


def rows_of(lookup: str, count: int, **columns: Any) -> list[Row]:
    """`columns` give a value for each number, or one for all."""
    given = {"cost": 10**6, "version": 1, "found": True, "size": 9, "key": "k"} | columns
    return [
        {"at": number * SECOND, "op": "read", "lookup": lookup}
        | {name: value(number) if callable(value) else value for name, value in given.items()}
        for number in range(count)
    ]


@pytest.mark.parametrize(
    ("kind", "columns"),
    [
        (WORTH, {}),
        (TOO_FAST, {"version": lambda number: number}),
        (FIX_ORIGIN, {"key": str}),
        (TOO_LITTLE, {"key": str, "cost": 1000}),
        (TOO_LITTLE, {"cost": 100}),
        (ONLY_NULLS, {"found": lambda number: number % 20 == 0, "key": lambda number: str(number % 20)}),
        (WITHIN_REQUEST, {"scope": lambda number: str(number // 10), "key": lambda number: str(number // 10)}),
        (FIX_KEYS, {"key": lambda number: f"k/{number}"}),
    ],
)
def test_each_verdict_has_its_case(kind: str, columns: dict[str, Any]) -> None:
    rows = [*rows_of("one", 200, **columns), *rows_of("other", 200)]
    verdict = survey(trace_of(rows)).verdicts["one"]
    assert verdict.kind == kind
    assert verdict.sentence.startswith(f"{kind}: ")


def test_without_costs_reads_are_weighed() -> None:
    rows = [*rows_of("one", 300, cost=None), *rows_of("other", 100, cost=None, key=str)]
    found = survey(trace_of(rows))
    assert list(found.lookups) == ["one", "other"]
    assert "74.8 % of all reads" in found.verdicts["one"].sentence
    assert found.verdicts["other"].kind == FIX_ORIGIN


def test_look_ups_are_ranked_by_the_time_that_could_be_saved() -> None:
    rows = [*rows_of("cheap", 300, cost=10), *rows_of("dear", 30), *rows_of("unique", 300, key=str)]
    assert list(survey(trace_of(rows)).lookups) == ["dear", "cheap", "unique"]


def test_the_demo_has_nothing_wrong_with_its_keys_and_says_true_things(demo: Path) -> None:
    found = survey(read_trace(demo / "skerrow-quay.parquet"))
    assert found.findings == ()
    assert {name: verdict.kind for name, verdict in found.verdicts.items()} == dict.fromkeys(
        ["weather", "chart", "vessel", "tide", "berth"], WORTH
    ) | {"notice": ONLY_NULLS}
    vessel, weather, tide = (found.lookups[name] for name in ("vessel", "weather", "tide"))
    assert 0.3 < vessel.null_share < 0.35 and vessel.null_keys_created > 20
    assert weather.reads_per_change < 4
    assert tide.changes == 6  # six stations, one midnight
    assert found.total.fresh_repeats == sum(one.fresh_repeats for one in found.lookups.values())


def test_every_mistake_in_the_odd_keys_is_found_and_nothing_else(demo: Path) -> None:
    found = survey(read_trace(demo / ODD_KEYS))
    assert sorted((one.kind, one.lookup) for one in found.findings) == sorted(
        [(NARROW, "berth"), (WIDE, "notice"), (SHARED, "tide"), *[(SPELLINGS, "chart")] * 2, (SPELLINGS, "vessel")]
    )
    by_kind = {one.kind: one for one in found.findings}
    assert by_kind[NARROW].sentence.startswith("part 3 of the key")
    assert "without it, 90.7 % of the reads would repeat a key instead of 0 %" in by_kind[NARROW].sentence
    assert found.verdicts["berth"].kind == FIX_KEYS
    assert set(by_kind[WIDE].examples) == {"at A1", "at A2", "at A3", "at A4"}
    assert all(1 <= len(one.examples) <= 5 and one.reads > 0 for one in found.findings)


def test_the_odd_keys_that_ship_are_those_that_are_made(demo: Path) -> None:
    lines = (demo / ODD_KEYS).read_text().splitlines()
    assert lines == [",".join(map(str, row)) for row in odd_rows()]


def test_a_value_that_changes_and_never_comes_back_is_not_too_wide() -> None:
    rows = rows_of("l", 200, version=lambda number: number // 5)
    assert survey(trace_of(rows)).findings == ()


def test_sizes_tell_several_answers_where_there_are_no_versions() -> None:
    sizes = [100, 900, 2_000, 3_300, 5_000]
    rows = rows_of("l", 50, version=None, size=lambda number: sizes[number % 5])
    (finding,) = survey(trace_of(rows)).findings
    assert (finding.kind, finding.examples) == (WIDE, ("k",))
    assert (
        "the sizes of 1 key switch back and forth" in finding.sentence
        and "fewer than 1 of 1,000 such traces" in finding.sentence
    )


@pytest.mark.parametrize(
    "sizes",
    [[4_000, 900], [4_000, 4_000, 17], [150, 151, 149, 152, 150, 148], [4_000, 900, 1_100]],
    ids=["packed or plain", "cut short", "alike by chance", "two packings"],
)
def test_sizes_that_something_else_explains_are_no_finding(sizes: list[int]) -> None:
    rng = np.random.default_rng(1)
    drawn = rng.choice(sizes, 500).tolist()
    rows = rows_of("l", 500, version=None, size=lambda number: drawn[number])
    assert survey(trace_of(rows)).findings == ()


def test_a_plausible_access_log_raises_no_alarm(tmp_path: Path) -> None:
    """200,000 lines: parts, transfers cut short, HEADs, packed and plain, short answers of varying length."""
    rng = np.random.default_rng(7)
    lines = 200_000
    pages = np.minimum(rng.zipf(1.3, lines), 2_000)
    whole = rng.integers(400, 60_000, 2_001)[pages]
    short = pages % 3 == 0
    sizes = np.where(short, 120 + rng.poisson(12, lines), np.where(rng.random(lines) < 0.4, whole // 4, whole))
    cut, part, head = (rng.random(lines) < share for share in (0.03, 0.03, 0.02))
    sizes = np.where(cut | part, (sizes * rng.random(lines)).astype(np.int64), np.where(head, 0, sizes))
    days = [f"02/Mar/2026:{row // 10_000 + 1:02}:{row // 180 % 60:02}:{row // 3 % 60:02} +0000" for row in range(lines)]
    text = "".join(
        f'192.0.2.{row % 250} - - [{day}] "{"HEAD" if head[row] else "GET"} /pilot/{pages[row]} HTTP/1.1" '
        f'{206 if part[row] else 200} {sizes[row]} "-" "-"\n'
        for row, day in enumerate(days)
    )
    strange = '192.0.2.7 - - [02/Mar/2026:23:00:00 +0000] "{}" {} 0 "-" "-"\n'
    (tmp_path / "desk.log").write_text(text + strange.format("-", 408) + strange.format(r"\x16\x03\x01", 400))
    trace = read_trace(tmp_path / "desk.log")
    assert "left out 2 requests: the status (400, 408) says that they failed" in str(
        trace.notes
    ) and "malformed" not in str(trace.notes)
    assert survey(trace).findings == ()


def test_a_trace_that_shows_no_changes_is_not_said_to_repeat_unchanged_values() -> None:
    shown = [{"at": at, "lookup": "berth", "key": "a", "version": 1, "cost": 5} for at in range(9)]
    hidden = [{"at": at, "lookup": "tide", "key": "a", "cost": 5} for at in range(9)]
    found = survey(trace_of(hidden))
    assert not found.total.changes_known and "unchanged value" not in repr(found)
    assert "the trace does not tell whether its value was unchanged" in found.verdicts["tide"].sentence
    assert "shows no changes (neither versions nor writes), so how many" in str(answer(found)).replace("\n", " ")
    assert found.to_dict()["assumptions"] == ["a size of 1.00 KiB for 9 reads"]
    both = survey(trace_of(sorted(shown + hidden, key=lambda row: row["at"])))
    assert {name: one.changes_known for name, one in both.lookups.items()} == {"berth": True, "tide": False}
    assert "For tide, the trace shows no changes" in str(answer(both))
    assert "ask for a value that was there before" in both.verdicts["berth"].sentence


def test_numbers_as_keys_are_compared_between_look_ups_only() -> None:
    trace = read_trace({"at": range(60), "key": list(range(30)) * 2, "lookup": ["l"] * 30 + ["m"] * 30})
    (finding,) = survey(trace).findings
    assert (finding.kind, finding.reads) == (SHARED, 60)


def test_a_survey_as_plain_data(demo: Path) -> None:
    found = survey(read_trace(demo / "skerrow-quay.parquet"))
    plain = found.to_dict()
    assert plain["lookups"]["notice"]["verdict"] == ONLY_NULLS
    assert plain["total"]["reads"] == 153_508
    frame = found.to_pandas()
    assert frame.index.tolist() == ["all", *found.lookups]
    assert np.isclose(frame.loc["all", "fresh_repeat_share"], 0.8688, atol=1e-3)
    assert '<td style="text-align: right">153,508</td>' in found._repr_html_()
    assert "weather  worth keeping" in str(found)
    assert repr(found).endswith("153,508 reads of 8,721 keys, 0 findings>")


def test_what_is_done_to_one_survey_is_not_in_the_next() -> None:
    trace = synth(reads=500, keys=50, seed=1)
    first, untouched = survey(trace), survey(trace)
    first.curves["reads"].gap_counts[:] = 0
    assert survey(trace) == untouched != first
