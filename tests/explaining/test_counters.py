"""Counters of a running service are read from what it shows, or from tables; what is wrong is said with its place."""

import json
import os
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from vestigo import CounterNames, InputError, Plan, PlanError, RulesError, read_plan
from vestigo.explaining.confirm.counters import read_counters
from vestigo.rules.counter_names import Series
from vestigo.rules.plan_text import plan_text

AT = 1_773_734_400
COUNTED = CounterNames(
    hits='reads_total{result="hit",cache="{lookup}"}',
    misses=['reads_total{result="miss",cache="{lookup}"}', 'late_total{cache="{lookup}"}'],
    entries="held",
)


def text(hits: int, misses: int, late: int = 0, stamp: str = "", end: str = "") -> str:
    return (
        "# HELP reads Reads.\n# TYPE reads counter\n"
        f'reads_total{{cache="vessel",node="a",result="hit"}} {hits}{stamp}\n'
        f'reads_total{{cache="vessel",node="b",result="hit"}} 1{stamp}\n'
        f'reads_total{{cache="vessel",node="a",result="miss"}} {misses}{stamp}\n'
        f'# TYPE late counter\nlate_total{{cache="vessel"}} {late}{stamp}\n'
        f"# TYPE held gauge\nheld {hits}{stamp}\n{end}"
    )


@pytest.mark.parametrize(
    ("names", "stamps", "end"),
    [
        (["a.prom", "b.prom"], [f" {AT}000", f" {AT + 60}000"], ""),
        (["a.txt", "b.txt"], [f" {AT}.0", f" {AT + 60}.0"], "# EOF\n"),
        (["2026-03-17T08-00-00.prom", "2026-03-17T08-01-00.prom"], ["", ""], ""),
        ([f"s-{AT}.prom", f"s-{AT + 60}.prom"], ["", ""], ""),
        ([f"{AT}000.prom", f"{AT + 60}000.prom"], ["", ""], ""),
        (["a", "b"], ["", ""], ""),
    ],
)
def test_text_of_a_service_is_one_moment_a_file(tmp_path: Path, names: list[str], stamps: list[str], end: str) -> None:
    for number, (name, stamp) in enumerate(zip(names, stamps, strict=True)):
        (tmp_path / name).write_text(text(10 + 30 * number, 5 + 9 * number, number, stamp, end))
        os.utime(tmp_path / name, (AT + 60 * number, AT + 60 * number))
    found = read_counters(tmp_path, COUNTED)
    assert np.diff(found.at_ns).tolist() == [60 * 10**9]
    assert (found.at_ns[0] == AT * 10**9, found.lookups) == (True, ["vessel"])
    for lookup in ("vessel", None):
        rises = {name: found.rises(name, lookup) for name in ("hits", "misses", "loads")}
        assert [None if one is None else one.tolist() for one in rises.values()] == [[30.0], [10.0], None]
    assert (found.most("entries", None), found.most("bytes", None)) == (40.0, None)
    assert found.to_dict()["hits"] == {"vessel": [11.0, 41.0]}


ROWS = [
    {"at": AT + 60 * number, "lookup": name, "hits": 10 * number, "misses": number, "note": "x", "entries": number}
    for number in range(3)
    for name in ("vessel", "berth")
]


@pytest.mark.parametrize("how", ["csv", "json", "jsonl", "records", "frame"])
def test_tables_have_a_row_a_moment(tmp_path: Path, how: str) -> None:
    given: Any = ROWS
    if how == "frame":
        given = pd.DataFrame(ROWS)
    elif how != "records":
        given = tmp_path / f"counts.{how}"
        lines = "\n".join(map(json.dumps, ROWS))
        whole = {"csv": pd.DataFrame(ROWS).to_csv(index=False), "json": json.dumps(ROWS), "jsonl": lines}
        given.write_text(whole[how])
    found = read_counters(given, CounterNames())
    hits, all_hits = found.rises("hits", "vessel"), found.rises("hits", None)
    assert hits is not None
    assert all_hits is not None
    assert (hits.tolist(), all_hits.tolist(), found.most("entries", None)) == ([10.0, 10.0], [20.0, 20.0], 4.0)


def test_a_counter_that_falls_began_anew() -> None:
    rows = [{"at": at, "hits": hits, "reads": reads} for at, hits, reads in ((0, 50, 90), (1, 70, 120), (2, 5, 8))]
    found = read_counters(rows, CounterNames())
    hits = found.rises("hits", None)
    assert hits is not None
    assert (hits.tolist(), found.restarts) == ([20.0, 5.0], 1)


@pytest.mark.parametrize(
    ("content", "name", "said"),
    [
        ("{", "a.json", "is not valid JSON: "),
        ("reads_total{ 5", "a.prom", "is no text of Prometheus or OpenMetrics: "),
        ('[{"hits": 1}]', "a.json", "record 1: has no `at`; write when it was counted, and the counters by name"),
        ('[{"at": "noon"}]', "a.json", "record 1: at = 'noon' is no time: "),
        ('[{"at": "2026-03-17T08:00:00"}]', "a.json", "it must be a time with an offset (2026-03-17T08:00:00Z)"),
        (
            '[{"at": 1, "hits": 1, "misses": 1}]',
            "a.json",
            "counters: only one scrape; give at least two",
        ),
        (
            '[{"at": 1, "found": 1}, {"at": 2, "found": 1}]',
            "a.json",
            "counters: none says hits; name them in",
        ),
        ('[{"at": 1, "hits": 1}, {"at": 2, "hits": 1}]', "a.json", "counters: none says misses or reads; name"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(tmp_path: Path, content: str, name: str, said: str) -> None:
    (tmp_path / name).write_text(content)
    with pytest.raises(InputError) as error:
        read_counters(tmp_path / name, CounterNames())
    assert said in str(error.value)


def test_a_counter_that_a_scrape_lacks_is_as_it_was_before() -> None:
    rows: list[dict[str, Any]] = [{"at": at, "hits": 10 * at, "misses": 10 * at} for at in range(5)]
    del rows[0]["hits"], rows[2]["hits"], rows[3]["hits"]  # it is first seen later, and missing for a while
    found = read_counters(rows, CounterNames())
    hits = found.rises("hits", None)
    assert hits is not None
    assert (hits.tolist(), found.restarts) == ([10.0, 0.0, 0.0, 30.0], 0)


def test_all_problems_of_a_table_are_said_at_once() -> None:
    with pytest.raises(InputError) as error:
        read_counters([{"hits": 1}, {"at": "noon"}, {"at": [1]}], CounterNames())
    assert [problem.split(":")[0] for problem in error.value.problems] == [
        "counters, record 1",
        "counters, record 2",
        "counters, record 3",
    ]


def test_what_is_not_there_is_said(tmp_path: Path) -> None:
    for where, said in ((tmp_path / "none", "cannot be read: No such file"), (tmp_path, "the folder holds no file")):
        with pytest.raises(InputError, match=said):
            read_counters(where, CounterNames())
    (tmp_path / "odd").write_bytes(b"\xff\xfe")
    with pytest.raises(InputError, match="is not UTF-8 text"):
        read_counters(tmp_path / "odd", CounterNames())


def test_series_are_written_as_prometheus_does() -> None:
    series = Series.parse(r'a:b_total{x="1,2}", y = "say \"{lookup}\"" ,z="{lookup}"}')
    assert series.labels == {"x": "1,2}", "y": 'say "{lookup}"', "z": "{lookup}"}
    labels = {"x": "1,2}", "y": 'say "{lookup}"', "z": "vessel", "other": "any"}
    assert (series.fits(labels), series.lookup_in(labels)) == (True, "vessel")
    assert not series.fits({**labels, "x": "2"})
    assert not series.fits({name: labels[name] for name in ("x", "y")})


@pytest.mark.parametrize("wrong", ["5a", "a{", "a{b}", "a{b=c}", 'a{b="c"', "", 7, ["a", 7]])
def test_what_is_no_series_is_said(wrong: Any) -> None:
    with pytest.raises(RulesError, match="is not a series; write"):
        CounterNames(hits=wrong)


def test_a_plan_says_which_counter_is_which(tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(
        """[counters]\nhits = 'reads_total{result="hit",cache="{lookup}"}'\nmisses = ["a", "b"]\n"""
    )
    plan = read_plan(tmp_path / "plan.toml")
    assert plan.counters.hits == COUNTED.hits
    assert [one.metric for one in plan.counters.misses] == ["a", "b"]
    (tmp_path / "again.toml").write_text(plan_text(plan.to_dict()))
    assert read_plan(tmp_path / "again.toml").counters == plan.counters != Plan().counters
    (tmp_path / "plan.toml").write_text('[counters]\nhit = "x"\nmisses = 5\n')
    with pytest.raises(PlanError) as error:
        read_plan(tmp_path / "plan.toml")
    assert [problem.partition("plan.toml, ")[2] for problem in error.value.problems] == [
        "line 2: 'hit' is unknown; did you mean 'hits'?",
        "line 3: counters.misses: 5 is not a series; write text, such as 'reads_total{result=\"hit\"}'",
    ]
