"""Everything returned is compared by value, shown as the command line's tables, pickled, saved and loaded."""

import dataclasses
import hashlib
import json
import pickle
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

import vestigo as vg
from vestigo.data import same

PLAN = vg.Plan(
    vg.Rules(max_entries=10, absolute="1h"),
    {"reads": {"nulls": "keep 30s"}},
    vary={"rules.max_entries": [20, 50], "rules.absolute": ["1m", "5m"]},
    aim=vg.Aim(limits={"memory_peak": "<= 64 KiB"}, worth=vg.Worth(million_loads=3)),
)
TRACE = vg.synth(reads=5_000, keys=200, skew=0.9, changes="1m", nulls="5%", nodes=2, seed=1)

MANY_KEYS = vg.synth(reads=50_000, keys=5_000, skew=0.5, changes="1m", seed=1)


def returned() -> dict[str, Any]:
    found = vg.sweep(TRACE, PLAN)
    outcome = vg.replay(TRACE, PLAN)
    return {
        "trace": TRACE,
        "outcome": outcome,
        "measures": outcome.lookups["reads"],
        "slice": outcome.slices[0],
        "slices": outcome.slices,
        "comparison": vg.compare(TRACE, PLAN),
        "curve": vg.size_curve(TRACE, PLAN, sizes=[10, 20], lifetimes=["5m"]),
        "sweep": found,
        "candidate": found["#1"],
        "pick": found.choose(),
        "estimate": vg.KeySample(MANY_KEYS, "20%").estimate(vg.Rules(max_entries=1_000)),
        "one sample": vg.KeySample(MANY_KEYS, "20%", samples=1).estimate(vg.Rules(max_entries=1_000)),
        "search": vg.search(TRACE, vg.Plan(vary={"each.max_entries": [5, 50]})),
        "survey": vg.survey(TRACE),
        "plan": PLAN,
    }


EACH, AGAIN = returned(), returned()


@pytest.mark.parametrize("name", EACH)
def test_what_is_returned_is_the_same_again_and_after_every_way_there_and_back(name: str, tmp_path: Path) -> None:
    what = EACH[name]
    assert what == AGAIN[name]
    assert what != AGAIN["plan" if name != "plan" else "trace"]
    assert pickle.loads(pickle.dumps(what)) == what
    path = vg.save(what, tmp_path / ("it.arrow" if name == "trace" else "it.json"))
    assert vg.load(path) == what
    assert list(tmp_path.iterdir()) == [path]


@pytest.mark.parametrize("name", EACH)
def test_what_is_returned_is_told_and_shown(name: str) -> None:
    what = EACH[name]
    json.dumps(what.to_dict(), allow_nan=False)
    if name == "plan":
        return
    assert isinstance(what.to_pandas(), pd.DataFrame) and len(what.to_pandas())
    assert len(repr(what).splitlines()) == 1 and len(repr(what)) < 400
    lines = str(what).splitlines()
    assert max(map(len, lines)) <= 100
    html = what._repr_html_()
    if name == "one sample":  # which cannot tell its own error
        assert lines == ["The sample is too small to tell anything; take a larger share of the keys, or more samples."]
        return
    assert len(lines) > 1 and "<table>" in html and html.count("<tr>") == html.count("</tr>")


def test_one_number_more_makes_it_another() -> None:
    assert vg.replay(TRACE, PLAN) != vg.replay(TRACE, vg.Rules(max_entries=11))
    assert EACH["curve"] != vg.size_curve(TRACE, PLAN, sizes=[10, 21], lifetimes=["5m"])
    assert not same({"a": np.array([1, 2])}, {"a": np.array([1, 3])})
    assert same([float("nan")], [float("nan")]) and not same((1,), (1, 2))
    with pytest.raises(TypeError, match="unhashable"):
        hash(TRACE)


def test_a_candidate_has_its_measures_as_an_outcome_has_and_is_found_by_its_number() -> None:
    found = EACH["sweep"]
    candidate = found["#2"]
    alone = vg.replay(TRACE, candidate.plan)
    for name in ("hit_rate", "fresh_hit_rate", "loads", "memory_peak", "hits", "reads", "evictions"):
        assert getattr(candidate, name) == getattr(alone, name)
    assert candidate.read_time(95) == alone.read_time(95) and candidate.answer_age() == alone.answer_age()
    assert candidate is found[candidate.name] and list(found)[2] == candidate.name
    with pytest.raises(AttributeError, match="no attribute 'hitrate'"):
        candidate.hitrate  # noqa: B018
    with pytest.raises(vg.InputError, match="which are kept of a candidate; replay its plan"):
        candidate.read_time(42)
    with pytest.raises(KeyError):
        found["#99"]


def test_hostile_names_are_no_markup() -> None:
    name = "<script>alert(1)</script>"
    trace = vg.read_trace({"at": [0, 1], "key": ["a", "a"], "lookup": [name, name]})
    html = vg.replay(trace, vg.Rules())._repr_html_()
    assert "<script" not in html and "&lt;script" in html


def digested(what: Any, written_as: int = 3) -> str:
    """What somebody else could write, with the right digest."""
    digest = hashlib.blake2b(json.dumps(what).encode(), digest_size=20).hexdigest()
    return json.dumps({"vestigo": written_as, "what": what, "digest": digest})


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("", "is not JSON"),
        ("[1]", "is not a file that vestigo.save wrote"),
        ('{"vestigo": 3, "what": 1}', "is not a file that vestigo.save wrote"),
        ('{"vestigo": 4, "what": 1, "digest": "x"}', "is not a file that vestigo.save wrote"),
        ('{"vestigo": 1, "what": 1}', "was written by an earlier version of Vestigo"),
        ('{"vestigo": 3, "what": 1, "digest": "x"}', "is damaged"),
        (digested({"$": "Outcome", "of": {}}), "is damaged"),
        (digested({"$": "os.system", "of": ["x"]}), "is damaged"),
        (digested({"$": "ndarray", "of": {"dtype": "O", "shape": [1], "values": [1]}}), "is damaged"),
        (digested({"$": "Rules", "of": {"max_entries": -1}}), "is damaged"),
        (digested({"$": "Trace", "of": {"at": [1]}}), "is damaged"),
        (digested({"$": "Outcome", "fields": {}}, 2), "is damaged"),
        (digested({"$": "os.system", "items": ["x"]}, 2), "is damaged"),
        (digested({"$": "array", "of": "O", "shape": [1], "values": [1]}, 2), "is damaged"),
        (digested({"$": "Rules"}, 2), "is damaged"),
    ],
)
def test_files_that_save_did_not_write_are_refused(content: str, says: str, tmp_path: Path) -> None:
    (tmp_path / "it.json").write_text(content)
    with pytest.raises(vg.InputError, match=says):
        vg.load(tmp_path / "it.json")


def test_what_an_earlier_version_saved_is_read(tmp_path: Path) -> None:
    pick = vg.load(Path(__file__).parent / "kept" / "pick-format-2.json")
    trace = vg.synth(reads=300, keys=20, seed=1, changes="1m")
    plan = vg.Plan(vg.Rules(max_entries=5), vary={"rules.max_entries": [8]}, aim=pick.aim)
    again = vg.sweep(trace, plan).choose()
    assert dataclasses.replace(pick, because=again.because) == again  # its sentences are those of that version
    assert pick.because[0] == again.because[0]
    assert vg.load(vg.save(pick, tmp_path / "again.json")) == pick


def test_what_cannot_be_saved_says_so_and_leaves_nothing(tmp_path: Path) -> None:
    for what, name, says in (
        (vg.Plan(vg.Rules(keep_if=lambda value: value.found)), "p.json", "code of your own"),
        (EACH["outcome"], "o.csv", "is saved as .json"),
        (TRACE, "t.json", "is saved as .arrow"),
        (EACH["outcome"], "nowhere/o.json", "cannot be written"),
    ):
        with pytest.raises(vg.InputError, match=says):
            vg.save(what, tmp_path / name)
    assert list(tmp_path.iterdir()) == []
