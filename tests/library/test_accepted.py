"""What users have given in a notebook and was lost: it means what it says, or a note says what became of it."""

import collections
import dataclasses
import pickle
import tomllib
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from fractions import Fraction
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import vestigo as vg
from tests.library.cases import seen
from vestigo.rules.schema import plan_schema
from vestigo.trace.columns import MISSING

KEYS = list("abacb")
TIMES = pd.date_range("2026-01-01", periods=5, freq="s", tz="UTC")
SECONDS = [1_767_225_600 + n for n in range(5)]
EXPECTED = vg.read_trace({"at": [at * 10**9 for at in SECONDS], "key": KEYS})


@dataclasses.dataclass
class Read:
    at: int
    key: str


Pair = collections.namedtuple("Pair", "at key")  # as users have them


class Streamed:
    """A table that offers Arrow's stream and nothing else, as those of other libraries do."""

    def __init__(self, table: pa.Table) -> None:
        self._table = table

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self._table.__arrow_c_stream__(requested_schema)


ARROW = pa.table({"at": SECONDS, "key": pa.array(KEYS, pa.string_view())})
TABLES: dict[str, Any] = {
    "seconds": pd.DataFrame({"at": SECONDS, "key": KEYS}),
    "milliseconds": {"at": [at * 1000 for at in SECONDS], "key": KEYS},
    "texts": {"at": list(map(str, SECONDS)), "key": KEYS},
    "records": [{"at": at, "key": key} for at, key in zip(SECONDS, KEYS, strict=True)],
    "a generator": ({"at": at, "key": key} for at, key in zip(SECONDS, KEYS, strict=True)),
    "dataclasses": [Read(at, key) for at, key in zip(SECONDS, KEYS, strict=True)],
    "named tuples": [Pair(at, key) for at, key in zip(SECONDS, KEYS, strict=True)],
    "times": pd.DataFrame({"at": TIMES, "key": KEYS}),
    "categories": pd.DataFrame({"at": pd.Categorical(TIMES), "key": pd.Categorical(KEYS)}),
    "an index of times": pd.DataFrame({"key": KEYS}, index=TIMES),
    "a named index": pd.DataFrame({"at": TIMES, "key": KEYS}).set_index("at"),
    "two levels": pd.DataFrame({"at": TIMES, "key": KEYS}).set_index(["at", "key"]),
    "a stream": Streamed(ARROW),
    "a reader": ARROW.to_reader(),
    "a batch": pa.record_batch({"at": SECONDS, "key": KEYS}),
}


@pytest.mark.parametrize("form", TABLES)
def test_a_table_in_memory_means_what_the_same_file_means(form: str, tmp_path: Path) -> None:
    trace = vg.read_trace(TABLES[form])
    assert trace == EXPECTED
    pd.DataFrame({"at": SECONDS, "key": KEYS}).to_csv(tmp_path / "t.csv", index=False)
    assert vg.read_trace(tmp_path / "t.csv") == EXPECTED
    if form == "seconds":
        assert trace.notes == ("table: times taken as s since 1970-01-01 UTC, by their size (at_unit states another)",)
    assert vg.replay(trace, vg.Rules(absolute="100ms")).hits == 0


def noted(table: Any, **options: Any) -> tuple[str, ...]:
    return vg.read_trace(table, **options).notes


def test_what_is_not_used_or_changes_nothing_is_noted() -> None:
    frame = pd.DataFrame({"at": TIMES, "key": KEYS})
    assert noted(frame.assign(costs=1, sise=2, Scope="x")) == (
        "table: column 'costs' is not used; did you mean cost?",
        "table: column 'sise' is not used; did you mean size?",
        "table: column 'Scope' is not used; did you mean scope?",
    )
    assert noted(frame.assign(lookup=["x", "x", None, "y", float("nan")])) == (
        "table: 2 rows name no look-up and belong to 'reads'",
    )
    assert noted(frame.assign(rows=-1), null_where={"rows": -7}) == (
        "table: null_where: no row has rows = -7, so no read counts as a null by that",
    )
    assert noted(frame, format="csv", at_unit="s", zone="Europe/Oslo") == (
        "table: format = csv is not used: it is for files",
        "table: zone = Europe/Oslo is not used: every time has an offset",
        "table: at_unit = s is not used: the times are no numbers",
    )
    assert "every key is '(b)'" in noted(frame, columns={"key": "(b)"})[0]
    assert noted(pd.DataFrame({"key": KEYS}, index=TIMES)) == ("table: the index of the table is taken as column 'at'",)


def test_nothing_is_nothing_in_every_form() -> None:
    frame = pd.DataFrame({"at": TIMES, "key": KEYS, "rows": [1, 0, None, float("nan"), 2]})
    assert vg.read_trace(frame, null_where={"rows": 0}).found.tolist() == [1, 0, -1, -1, 1]
    nodes = [vg.read_trace({"at": [1], "key": ["a"], "node": [no]}).nodes for no in ("", None, float("nan"))]
    assert nodes == [(), (), ()]


def test_a_trace_goes_through_pandas_and_back() -> None:
    trace = vg.synth(500, keys=40, changes="1s", nulls="10%", nodes=2, cost="90us")
    for table in (trace.to_pandas(), trace.to_dict()):
        again = vg.read_trace(table)
        assert again == trace and again.notes == ()


def test_costs_are_durations_in_any_form() -> None:
    costs = pd.to_timedelta(["90ms", "2s", None])
    for given in (costs, pd.Categorical(costs), costs.to_pytimedelta(), pa.array(costs), ["90ms", "2s", ""]):
        trace = vg.read_trace({"at": [1, 2, 3], "key": list("abc"), "cost": given}, at_unit="s")
        assert trace.cost.tolist() == [90_000_000, 2 * 10**9, MISSING]


def test_versions_are_texts_or_numbers_in_pandas_as_they_are_in_the_trace() -> None:
    for versions, kind in (([7, 9, None], "Int64"), (["v7", "v9", None], "str")):
        trace = vg.read_trace({"at": [1, 2, 3], "key": list("aaa"), "version": versions}, at_unit="s")
        given = trace.to_pandas()["version"]
        assert (given.dropna().tolist(), str(given.dtype)) == (versions[:2], kind)


@pytest.mark.parametrize(
    ("values", "kept"),
    [
        (np.array([10, 20]), (10, 20)),
        (np.geomspace(10, 1000, 3).astype(int), (10, 100, 1000)),
        (pd.Series([10, 20]), (10, 20)),
        (range(5, 7), (5, 6)),
        ((size for size in (5, 6)), (5, 6)),
        ({5: 0}.keys(), (5,)),
    ],
)
def test_values_that_vary_come_in_any_form(values: Any, kept: tuple[int, ...]) -> None:
    trace = seen()["tr"]
    plan = vg.Plan(vg.Rules(max_entries=50), vary={"rules.max_entries": values})
    assert plan.vary["rules.max_entries"] == kept and all(type(one) is int for one in kept)
    for _ in range(2):
        assert list(vg.sweep(trace, plan)) == ["today", *(f"max_entries={size}" for size in kept)]


def test_numbers_and_durations_of_others_are_taken_everywhere() -> None:
    rules = vg.Rules(
        max_entries=np.int64(50),
        max_bytes=np.int32(50_000),
        absolute=timedelta(minutes=10),
        sliding=pd.Timedelta("1m"),
        serve_stale=np.timedelta64(5, "s"),
        drop_first=np.bool_(True),
    )
    assert rules == vg.Rules(
        max_entries=50, max_bytes=50_000, absolute="10m", sliding="1m", serve_stale="5s", drop_first=True
    )
    plan = vg.Plan(rules, warm_up=np.int64(10), vary={"rules.absolute": [timedelta(seconds=90), pd.Timedelta("1h")]})
    assert (plan.warm_up, plan.vary["rules.absolute"]) == (10, ("90s", "1h"))
    assert vg.Plan(warm_up=None) == vg.Plan() == vg.Plan(warm_up=timedelta(0))
    curve = seen()["curve"]
    assert curve.hit_rate(np.int64(50)) == curve.hit_rate(50) and curve.hit_rate(max_bytes="1 MiB") > 0.9
    assert seen()["o"].read_time(np.float64(95)) == seen()["o"].measure("read_time.p95")


def test_mappings_stand_for_the_parts_of_a_plan() -> None:
    plan = vg.Plan(
        {"max_entries": 5},
        lookups={"a": {"absolute": "1m"}},
        pools={"p": {"lookups": ["a", "b"], "max_entries": 9}},
        candidates={"c": vg.Rules(max_entries=9), "d": {"rules": {"max_entries": 8}}, "e": {"max_entries": 7}},
        aim={"least": "loads"},
        what_if={"nodes": 2},
        intake={"at_unit": "s"},
        counters={"hits": "found_total"},
        trace_path="t.csv",
    )
    assert (plan.rules, plan.pools["p"].max_entries, plan.trace_path) == (vg.Rules(max_entries=5), 9, Path("t.csv"))
    assert plan.candidates["c"] == vg.Plan(vg.Rules(max_entries=9))
    assert [plan.candidates[name].rules.max_entries for name in "cde"] == [9, 8, 7]
    assert (plan.aim, plan.what_if, plan.intake) == (
        *(vg.Aim(least="loads"), vg.WhatIf(nodes=2), vg.Intake(at_unit="s")),
    )


def test_what_a_sweep_does_not_try_is_said_wherever_the_sweep_is() -> None:
    trace = seen()["tr"]
    stated = vg.Plan(
        vg.Rules(max_entries=50), lookups={"reads": {"max_entries": 7}}, vary={"rules.max_entries": [1, 2]}
    )
    found = vg.sweep(trace, stated)
    assert list(found) == ["today"]
    idle = "rules.max_entries changes nothing: every look-up states max_entries itself, or shares a pool"
    same = "2 combinations are the same as others and tried once ('max_entries=1' and 'today', for example)"
    assert found.left_out == found.notes == (idle, same)
    assert idle in repr(found) and found["max_entries=2"] is found.today
    assert f"Note: {idle}." in found.choose().because
    page = vg.report(trace, stated, found=found).to_html()
    assert idle in page and "2 combinations are the same as others" in page
    twice = vg.sweep(trace, vg.Plan(vg.Rules(), vary={"rules.absolute": ["60s", "1m"]}))
    assert list(twice) == ["today", "absolute=60s"] and twice["absolute=1m"].name == "absolute=60s"
    jitter = {"rules.absolute": ["never", "1m"], "rules.jitter": ["0%", "10%"]}
    assert "contradicts itself and is left out" in vg.sweep(trace, vg.Plan(vary=jitter)).left_out[-1]


def test_patterns_and_parts_that_hold_nothing_are_said() -> None:
    trace = seen()["tr"]
    outcome = vg.replay(trace, vg.Plan(keys={"reads": {"zzz": {"absolute": "1m"}}}))
    assert "reads: no key matches 'zzz', so its rules hold for none" in outcome.assumptions
    nothing = vg.shape.only(trace, keys="zzz")
    assert nothing.notes == ("synth: no event is of these look-ups, keys and nodes, so nothing is left",)
    assert "the trace holds no reads, so every rate is 0" in vg.replay(nothing, vg.Rules()).assumptions
    with pytest.raises(vg.InputError, match="nothing to choose by"):
        vg.sweep(nothing, seen()["plan"]).choose()
    assert "The trace holds no reads." in str(vg.survey(nothing))


def test_the_index_of_a_table_of_counters_is_its_times_or_nothing() -> None:
    counted = pd.DataFrame({"hits": [0, 9, 20, 31, 40], "misses": [0, 3, 5, 7, 9]})
    trace, rules = seen()["tr"], vg.Rules(max_entries=50)
    expected = vg.confirm(trace, rules, counted.assign(at=TIMES))
    assert vg.confirm(trace, rules, counted.set_axis(TIMES)) == expected
    with pytest.raises(vg.InputError, match=r"the scrapes have hots$"):
        vg.confirm(trace, rules, pd.DataFrame({"at": TIMES, "hots": range(5)}))


def test_a_driven_cache_that_cannot_go_on_says_why() -> None:
    driven = vg.drive(seen()["tr"], vg.Rules(), read=lambda lookup, key, load: 1)
    for said in (str(driven), driven._repr_html_(), repr(driven)):
        assert "answered with something of type int" in " ".join(said.split())


@pytest.mark.parametrize("base", [vg.Rules(max_entries=5, absolute="1h"), vg.Rules(), {"max_bytes": "1 MiB"}])
def test_a_written_plan_is_read_as_it_was(base: Any, tmp_path: Path) -> None:
    plan = vg.Plan(
        base,
        lookups={"b": {"absolute": "never"}, "a.b": vg.Rules(nulls="keep 5s", jitter="0%")},
        keys={"b": {"x/{}": {"absolute": "1m"}, "{...}": {"sliding": "2m"}}},
        pools={"p": vg.Pool(lookups=["c", "d"], max_bytes="1 MiB")},
        candidates={
            "more": vg.Plan(base).changed({"rules.max_entries": 90}),
            "built on it": vg.Plan(base, lookups={"b": {"absolute": "never"}, "a.b": {"nulls": "keep 5s"}}),
            "nothing": vg.Plan(),
        },
        warm_up=500,
        trace_path=tmp_path / "t.parquet",
        intake=vg.Intake(columns={"key": "{url}"}, at_unit="ms", null_where={"rows": [0, "-"]}),
        what_if=vg.WhatIf(nodes=2, traffic="1.5"),
        vary={"lookup.a.b.absolute": ["1m", timedelta(hours=1)], "rules.pin": [[], ["k"]], "pool.p.max_bytes": [2**20]},
        aim=vg.Aim(most="hit_rate", limits={"loads": ["<= today", "<= 500"]}),
        counters=vg.CounterNames(hits='reads_total{result="hit", cache="{lookup}"}'),
    )
    assert vg.read_plan(plan.write(tmp_path / "plan.toml")) == plan
    jsonschema.validate(tomllib.loads((tmp_path / "plan.toml").read_text()), plan_schema())
    assert vg.load(vg.save(plan, tmp_path / "plan.json")) == plan
    assert vg.Plan.from_dict(plan.to_dict()) == plan == pickle.loads(pickle.dumps(plan))
    prices = dataclasses.replace(plan, aim=vg.Aim(worth=vg.Worth(stale_read=0.5, currency="EUR")))
    assert vg.read_plan(prices.write(tmp_path / "plan.toml")) == prices


def test_code_of_ones_own_is_in_no_file(tmp_path: Path) -> None:
    for plan in (vg.Plan(vg.Rules(keep_if=lambda value: value.found)), vg.Plan(vary={"rules.keep_if": [bool]})):
        with pytest.raises(vg.RulesError, match="code of your own, which no file can hold"):
            plan.write(tmp_path / "plan.toml")
    assert not list(tmp_path.iterdir())


def test_what_was_done_by_then_comes_with_the_interruption(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("os.cpu_count", lambda: 1)  # with one thread, what the others are compared with comes first
    trace, plan = seen()["tr"], vg.Plan(vg.Rules(max_entries=50), vary={"rules.max_entries": list(range(1, 30))})

    def stop(what: str, done: int, of: int) -> None:
        if done == 20:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt) as stopped:
        vg.sweep(trace, plan, progress=stop)
    assert isinstance(stopped.value, vg.Interrupted) and not isinstance(stopped.value, Exception)
    part = stopped.value.found
    assert isinstance(part, vg.Sweep) and 1 < len(part) < 30 and part.today == vg.sweep(trace, plan).today
    assert part.choose().candidate.name in part


def test_a_share_of_the_keys_is_pickled_and_copied() -> None:
    sample = vg.KeySample(seen()["tr"], "20%", samples=2)
    again = pickle.loads(pickle.dumps(sample))
    rules = vg.Rules(max_entries=20)
    assert again.estimate(rules) == sample.estimate(rules)
    with ThreadPoolExecutor(4) as threads:
        assert len({one.hit_rate for one in threads.map(sample.estimate, [rules] * 8)}) == 1


def test_shares_are_written_one_way() -> None:
    assert vg.Rules(jitter=Fraction(1, 10), absolute="1h") == vg.Rules(jitter="10%", absolute="1h")
