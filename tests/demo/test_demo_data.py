"""The demo data looks like a recording of something real, in every way that the tool looks at."""

import numpy as np
import pandas as pd
import pytest

from vestigo import Trace, read_trace
from vestigo.demo import files, scene
from vestigo.trace import Op


@pytest.fixture(scope="module")
def trace(tmp_path_factory: pytest.TempPathFactory) -> Trace:
    return read_trace(files.write_demo(tmp_path_factory.mktemp("demo"))[0])


@pytest.fixture(scope="module")
def rows(trace: Trace) -> pd.DataFrame:
    return trace.to_pandas()


def reads_of(rows: pd.DataFrame, lookup: str) -> pd.DataFrame:
    return rows[(rows["lookup"] == lookup) & (rows["op"] == "read")]


def test_everything_the_scenario_names_is_in_it(trace: Trace, rows: pd.DataFrame) -> None:
    assert set(trace.lookups) == set(scene.ORIGINS) == {"tide", "berth", "vessel", "weather", "chart", "notice"}
    assert sorted(trace.nodes) == scene.NODES
    assert set(rows["op"]) == {op.name.lower() for op in Op} - {"preload", "drop"}
    assert rows["force"].any()
    assert rows["scope"].nunique() > 10_000
    assert 47 * 3600 < trace.span_ns / 1e9 <= 48 * 3600
    assert trace.moved == 0


def test_no_key_text_stands_under_two_look_ups(rows: pd.DataFrame) -> None:
    assert rows.dropna(subset="key").groupby("key")["lookup"].nunique().max() == 1


def test_keys_are_skewed(rows: pd.DataFrame) -> None:
    for lookup in ("vessel", "chart"):
        counts = reads_of(rows, lookup)["key"].value_counts()
        assert counts.head(len(counts) // 10).sum() > 0.35 * counts.sum()


def test_days_have_a_rhythm_and_bursts(rows: pd.DataFrame) -> None:
    pages = rows[(rows["op"] == "read") & (rows["lookup"] != "chart")]
    by_hour = pages.groupby(pages["at"].dt.hour).size()
    assert by_hour.loc[7:9].mean() > 5 * by_hour.loc[0:3].mean()
    by_minute = pages.groupby(pages["at"].dt.floor("min")).size()
    assert by_minute.max() > 4 * by_minute.mean()


def test_origin_times_are_log_normal_about_their_medians(rows: pd.DataFrame) -> None:
    for lookup, origin in scene.ORIGINS.items():
        logs = np.log(reads_of(rows, lookup)["cost"].dt.total_seconds() * 1e3)
        assert 0.9 < np.exp(logs.median()) / origin.cost_ms < 1.8
        assert abs(logs.skew()) < 0.9


def test_the_first_calls_after_a_start_are_slow(rows: pd.DataFrame) -> None:
    weather = reads_of(rows, "weather")
    for start in (pd.Timestamp(scene.START, tz="UTC"), rows[rows["op"] == "restart"]["at"].iloc[-1]):
        begun = weather["at"].between(start, start + pd.Timedelta("90s"))
        assert weather[begun]["cost"].median() > 3 * weather["cost"].median()


def test_a_third_of_the_call_signs_asked_are_unknown_and_some_exist_later(rows: pd.DataFrame) -> None:
    vessel = reads_of(rows, "vessel")
    assert 0.28 < 1 - vessel["found"].mean() < 0.36
    found = vessel.groupby("key")["found"].agg(["first", "last"])
    assert (~found["first"].astype(bool) & found["last"].astype(bool)).sum() >= 10


def test_notices_are_mostly_empty_and_empty_answers_weigh_nothing(rows: pd.DataFrame) -> None:
    notice = reads_of(rows, "notice")
    assert notice["found"].mean() < 0.2
    assert set(notice[~notice["found"].astype(bool)]["size"]) == {0}


def test_values_of_one_version_have_one_size(rows: pd.DataFrame) -> None:
    for lookup in scene.ORIGINS:
        assert reads_of(rows, lookup).groupby(["key", "version"])["size"].nunique().max() == 1


def test_berths_are_read_more_often_than_they_change(rows: pd.DataFrame) -> None:
    writes = ((rows["lookup"] == "berth") & (rows["op"] == "write")).sum()
    assert 10 * writes < len(reads_of(rows, "berth"))


def test_every_night_the_charts_are_read_end_to_end(rows: pd.DataFrame) -> None:
    chart = reads_of(rows, "chart")
    night = chart[chart["at"].dt.hour == 2].groupby(chart["at"].dt.day)["key"].nunique()
    assert night.tolist() == [len(scene.TILES)] * 2
