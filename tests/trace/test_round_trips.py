"""Any trace goes through any format and back, and any part of it is a trace."""

import csv
import re
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vestigo import Rules, Trace, TraceError, read_trace, replay, shape, write_trace
from vestigo.trace import Op
from vestigo.trace.reading.pattern import Pattern, divide, parse_patterns
from vestigo.trace.reading.template import Template

Row = dict[str, Any]
texts = st.text(st.characters(exclude_categories=("Cs",)), min_size=1, max_size=6)
quiet = settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))


def event(kind: str) -> st.SearchStrategy[Row]:
    keyed = kind not in ("clear", "restart")
    return st.fixed_dictionaries(
        {
            "at": st.integers(-(10**17), 4 * 10**18),
            "op": st.just(kind),
            "lookup": st.sampled_from(["l", "m,\n", "=n"]) if kind != "restart" else st.none(),
            "key": texts if keyed else st.none(),
            "size": st.none() | st.integers(0, 2**40),
            "cost": st.none() | st.integers(0, 10**12),
            "found": st.none() | st.booleans(),
            "version": st.none() | texts,
            "scope": st.none() | texts,
            "node": st.none() | st.sampled_from(["a", "b"]),
            "force": st.booleans(),
        }
    )


traces = st.lists(st.sampled_from([op.name.lower() for op in Op]).flatmap(event), min_size=1, max_size=25).map(
    lambda rows: read_trace({name: [row[name] for row in rows] for name in rows[0]}, at_unit="ns")
)


def whole(trace: Trace) -> None:
    """Every id is dense, numbered by first appearance, and every key belongs to the look-up of its rows."""
    for ids, count in (
        (trace.key, len(trace.keys)),
        (trace.version, len(trace.versions)),
        (trace.scope, len(trace.scopes)),
        (trace.node, len(trace.nodes)),
        (trace.lookup, len(trace.lookups)),
    ):
        there = ids[ids >= 0]
        assert np.unique(there).tolist() == list(range(count))
        assert np.all(np.diff(np.sort(np.unique(there, return_index=True)[1])) > 0)
    keyed = trace.key >= 0
    assert np.array_equal(trace.key_lookup[trace.key[keyed]], trace.lookup[keyed])
    assert np.all(np.diff(trace.at) >= 0)


@pytest.mark.parametrize("ending", [".csv", ".tsv", ".jsonl", ".parquet", ".arrow"])
@given(trace=traces)
@quiet
def test_any_trace_comes_back_as_it_was(tmp_path_factory: pytest.TempPathFactory, ending: str, trace: Trace) -> None:
    path = write_trace(trace, tmp_path_factory.mktemp("trip") / f"t{ending}")
    back = read_trace(path, **({} if ending in (".parquet", ".arrow") else {"cost_unit": "ns"}))
    whole(back)
    assert back.to_pandas().equals(trace.to_pandas())
    assert replay(back, Rules(max_entries=2)).to_dict() == replay(trace, Rules(max_entries=2)).to_dict()


@given(trace=traces, data=st.data())
@quiet
def test_parts_of_any_trace_are_traces_and_merge_to_the_whole(trace: Trace, data: st.DataObject) -> None:
    middle = int(data.draw(st.sampled_from(trace.at.tolist())))
    before, after = shape.between(trace, None, middle), shape.between(trace, middle)
    whole(before)
    whole(after)
    assert len(before) + len(after) == len(trace)
    merged = shape.merged([before, after])
    whole(merged)
    assert merged.to_pandas().equals(trace.to_pandas())
    for lookup in trace.lookups:
        whole(shape.only(trace, lookups=[lookup]))


@given(trace=traces, share=st.integers(1, 100), factor=st.floats(0.5, 1000))
@quiet
def test_a_sample_and_another_pace_keep_what_they_promise(trace: Trace, share: int, factor: float) -> None:
    part = shape.sampled(trace, f"{share}%")
    whole(part)
    keys = {(trace.lookups[lookup], key) for lookup, key in zip(trace.key_lookup, trace.keys, strict=True)}
    assert {(part.lookups[lookup], key) for lookup, key in zip(part.key_lookup, part.keys, strict=True)} <= keys
    assert np.count_nonzero(part.key < 0) == np.count_nonzero(trace.key < 0)
    try:
        paced = shape.faster(trace, factor)
    except TraceError:
        assert factor < 1
        return
    whole(paced)
    assert paced.at[0] == trace.at[0]
    assert abs(int(paced.span_ns) - trace.span_ns / factor) <= 1 + trace.span_ns / factor * 1e-5


@given(cells=st.lists(st.text('ab",\n\r1', max_size=5).filter(bool), min_size=1, max_size=30))
@quiet
def test_a_csv_file_is_read_as_the_standard_reader_reads_it(
    tmp_path_factory: pytest.TempPathFactory, cells: list[str]
) -> None:
    path = tmp_path_factory.mktemp("csv") / "t.csv"
    with path.open("w", newline="") as file:
        csv.writer(file, quoting=csv.QUOTE_NONNUMERIC, lineterminator="\n").writerows(
            [["at", "key"], *enumerate(cells)]
        )
    trace = read_trace(path)
    assert [trace.keys[key] for key in trace.key.tolist()] == cells


@given(text=st.text("ab/{}.?*", max_size=8))
@quiet
def test_a_template_is_made_of_columns_and_texts_or_refused(text: str) -> None:
    try:
        template = Template.parse(text)
    except ValueError as error:
        said = str(error)
    else:
        said = ""
        literal = [piece.replace("{", "{{").replace("}", "}}") for piece in template.pieces[::2]]
        columns = [f"{{{column}}}" for column in template.columns] + [""]
        assert "".join(one + other for one, other in zip(literal, columns, strict=True)) == text
    assert said.startswith(repr(text) if said else "")
    assert not said or "{" in text or "}" in text


@given(paths=st.lists(st.text("ab/.+\n", max_size=6), min_size=1, max_size=10))
@quiet
def test_patterns_match_what_the_standard_library_s_expressions_match(paths: list[str]) -> None:
    given_patterns = {"one": "/a/{x}", "two": ["/{x}/{y}", "b{...}"], "rest": "a.+{}", "all": "/{x...}"}
    patterns = parse_patterns(given_patterns)
    lookups, keys = (found.to_pylist() for found in divide(pa.array(paths, pa.large_string()), patterns))
    for path, lookup, key in zip(paths, lookups, keys, strict=True):
        expected: tuple[str | None, str | None] = (None, None)
        for pattern in reversed(patterns):
            if found := re.fullmatch(pattern.regex.removeprefix("(?s)^").removesuffix("$"), path, re.DOTALL):
                expected = (pattern.lookup, "/".join(found.groups()) if pattern.parts else path)
        assert (lookup, key) == expected


@pytest.mark.parametrize("text", ["{a-b}", "{a}{", "}", "{a..}", "{....}"])
def test_what_is_no_part_of_a_pattern_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r"which is not a part; write \{NAME\}"):
        Pattern.parse("l", text)
