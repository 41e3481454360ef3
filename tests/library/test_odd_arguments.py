"""Whatever is given as any argument of any function is taken, or refused with an error of ours."""

import inspect
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

import matplotlib.pyplot as plt
import numpy as np
import pandas as pd
import pytest

import vestigo as vg

ODD: list[Any] = [None, -1, 1.5, float("nan"), "", "5 moons", "\ud800", "a\0b", b"a", [], {"x": 1}, {1: 2}, len]
ODD += [object(), np.array([1, 2]), pd.NA, pd.NaT, datetime(2026, 1, 1)]  # a naive one is odd

TRACE = vg.synth(100, keys=20, changes="1m", seed=1)
PLAN = vg.Plan(vg.Rules(max_entries=5), vary={"rules.max_entries": [3, 7]})
FOUND, OUTCOME, CURVE = vg.sweep(TRACE, PLAN), vg.replay(TRACE, PLAN.rules), vg.size_curve(TRACE)
KEYS = vg.key_by_key(TRACE, PLAN.rules)
ON = {"trace": TRACE, "settings": PLAN}
COUNTED = [{"at": 1, "hits": 1, "misses": 2}, {"at": 100, "hits": 5, "misses": 9}]
NUMBERS = {"at": [1, 2], "key": ["a", "b"]}


def read_as(**values: Any) -> vg.Trace:
    """A table of which each column holds one value twice."""
    return vg.read_trace({**NUMBERS, **{name: [value, value] for name, value in values.items()}})


def fields(kind: type) -> dict[str, Any]:
    return dict.fromkeys(name for name in inspect.signature(kind).parameters)


CALLS: list[tuple[Callable[..., Any], Mapping[str, Any]]] = [
    (vg.replay, {**ON, "engine": "native", "name": "n"}),
    (vg.compare, {**ON, "engine": "native", "progress": None}),
    (vg.sweep, {**ON, "rest": "40%", "sample": None, "only": None, "executor": None, "engine": "native"}),
    (vg.search, {"trace": TRACE, "settings": vg.Rules(), "seconds": 1, "rest": "40%", "engine": "native"}),
    (vg.size_curve, {**ON, "lookup": "reads", "sizes": (), "lifetimes": (), "enough": "95%"}),
    (vg.survey, {"trace": TRACE}),
    (vg.why, {**ON, "key": "k0", "lookup": None, "at": None, "node": None}),
    (vg.key_by_key, {**ON, "engine": "native"}),
    (vg.read_by_read, {**ON, "engine": "native"}),
    (vg.confirm, {**ON, "counters": COUNTED, "tolerate": "1%", "progress": None}),
    (vg.drive, {**ON, "read": lambda lookup, key, load: load(), "write": None, "make": None, "clock": None}),
    (vg.drive, {**ON, "read": lambda lookup, key, load: load(), "speed": None, "patience": "1s", "progress": None}),
    (vg.Plan, {"rules": {}, "lookups": {}, "keys": {}, "pools": {}, "candidates": {}, "warm_up": 0, "aim": {}}),
    (vg.Plan, {"trace_path": None, "intake": {}, "what_if": {}, "vary": {}, "counters": {}}),
    (PLAN.changed, {"changes": {}}),
    (PLAN.rules.model_copy, {"update": {}}),
    (vg.Rules, fields(vg.Rules)),
    (vg.Pool, {"lookups": ["a"], "max_entries": 5}),
    (vg.WhatIf, fields(vg.WhatIf)),
    (vg.Aim, {"most": "hit_rate", "least": None, "limits": {}, "worth": None}),
    (vg.Worth, {"million_loads": 1, "gib_month": 0, "stale_read": 0, "currency": ""}),
    (vg.Intake, {"columns": {}, "patterns": {}, "null_where": {}, "zone": None, "behind": None}),
    (vg.synth, {"reads": 50, "keys": 9, "seed": 0}),
    (vg.KeySample, {"trace": TRACE, "sample": "10%", "samples": 3, "seed": 0}),
    (FOUND.choose, {"aim": None, "most": "hit_rate", "least": None, "limits": None, "worth": None, "seed": 0}),
    (FOUND.front, {"measures": ["hit_rate"], "part": "whole"}),
    (FOUND.today.measure, {"name": "hit_rate", "part": "whole"}),
    (OUTCOME.measure, {"name": "hit_rate"}),
    (OUTCOME.read_time, {"percentile": 95}),
    (KEYS.column, {"name": "reads"}),
    (CURVE.hit_rate, {"max_entries": 3, "max_bytes": None}),
    (vg.shape.between, {"trace": TRACE, "begin": None, "end": None}),
    (vg.shape.only, {"trace": TRACE, "lookups": None, "keys": None, "nodes": None}),
    (vg.shape.sampled, {"trace": TRACE, "sample": "10%", "seed": 0}),
    (vg.shape.faster, {"trace": TRACE, "speed": 2}),
    (vg.shape.merged, {"traces": [TRACE]}),
    (vg.shape.anonymised, {"trace": TRACE, "secret": "a long secret"}),
    (vg.what_if.on_nodes, {"trace": TRACE, "nodes": 2, "spread": "in turn"}),
    (vg.what_if.with_traffic, {"trace": TRACE, "times": 2, "within": "1m", "seed": 0}),
    (vg.what_if.with_changes, {"trace": TRACE, "times": 2, "seed": 0}),
    (vg.what_if.with_origin, {"trace": TRACE, "times": 2}),
    (vg.what_if.with_restarts, {"trace": TRACE, "moments": "03:00", "zone": "UTC"}),
    (vg.figures.causes, {"outcome": OUTCOME, "ax": None}),
    (vg.figures.worth, {"pick": vg.search(TRACE, vg.Plan(vary={"each.max_entries": [5, 50]})).choose(), "ax": None}),
    (vg.figures.timeline, {"outcome": OUTCOME, "ax": None}),
    (vg.figures.front, {"found": FOUND, "pick": None, "ax": None}),
    (vg.figures.heat, {"found": FOUND, "down": "x", "across": "x", "measure": "hit_rate"}),
    (vg.figures.size_curves, {"curves": CURVE, "ax": None}),
    (vg.read_trace, {"source": NUMBERS, "intake": None}),
    (read_as, {"at": 1, "key": "a", "cost": 1, "size": 1, "found": True, "version": 1, "scope": "a", "node": "a"}),
    (vg.read_plan, {"path": "none.toml"}),
    (vg.load, {"path": "none.json"}),
    (vg.save, {"what": OUTCOME, "path": "o.json"}),
    (PLAN.write, {"path": "p.toml"}),
    (vg.write_trace, {"trace": TRACE, "path": "t.csv"}),
]


@pytest.mark.parametrize(("call", "usual"), CALLS, ids=[getattr(call, "__name__", "") for call, _ in CALLS])
def test_an_odd_argument_is_taken_or_refused(
    call: Callable[..., Any], usual: Mapping[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    raw = []
    for name in usual:
        for odd in ODD:
            try:
                call(**{**usual, name: odd})
                plt.close("all")
            except vg.VestigoError:
                plt.close("all")
            except Exception as error:  # all of them are listed below
                raw.append(f"{name}={odd!r}: {type(error).__name__}: {error}")
    assert raw == []
