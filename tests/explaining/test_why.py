"""The story of a key: each kind of step, one read in a sentence, and changes that would have helped."""

from typing import Any

import matplotlib
import pytest
from hypothesis import given

import vestigo as vg
from tests.agreement.cases import Case, cases
from tests.engine.test_own_policies import Newest
from tests.telling import told
from vestigo import InputError, Plan, Rules
from vestigo.explaining.why.steps import READS
from vestigo.explaining.why.story import Stay
from vestigo.trace import Op

matplotlib.use("agg")


def lines(*text: str) -> vg.Trace:
    return told(*text)


def steps(story: vg.Story) -> list[tuple[Any, ...]]:
    return [(one.at_ns // 10**9, one.where, one.what, one.cause, one.other) for one in story.steps]


def test_a_life_is_told_in_order(engine: Any) -> None:
    trace = lines(
        "0 read a node=n cost=1",
        "5 read a node=n",
        "6 read a node=n",
        "7 write a node=m",
        "8 read a node=n",
        "20 read a node=n cost=1",
    )
    story = vg.why(trace, Rules(absolute="10s"), key="a", engine=engine)
    assert steps(story) == [
        (0, "n", "missed", "first", None),
        (1, "n", "loaded", None, None),
        (5, "n", "hit", None, None),
        (7, "m", "changed", "write", None),
        (8, "n", "stale hit", None, None),
        (20, "n", "expired", "aged", None),
        (20, "n", "missed", "aged", None),
    ]
    assert (story.steps[2].times, story.steps[2].until_ns) == (2, 6 * 10**9)
    assert story.steps[4].span_ns == 10**9
    assert (story.total["reads"], story.total["hits"], story.total["stale_hits"], story.total["misses"]) == (5, 3, 1, 2)


@pytest.mark.parametrize(
    ("text", "rules", "last"),
    [
        (("0 read a", "1 read b"), {"max_entries": 1}, (1, None, "evicted", None, "b")),
        (("0 read a node=n", "1 write a node=n"), {"on_write": "drop"}, (1, "n", "dropped", None, "n")),
        (
            ("0 read a node=n", "0 read a node=m", "1 write a node=m", "9 read b node=m"),
            {"tell_nodes": "drop", "tell_delay": "2s"},
            (3, "n", "dropped", None, "m"),
        ),
        (("0 read a node=n", "1 write a node=n"), {"on_write": "replace"}, (1, "n", "written", None, "n")),
        (("0 read a node=n", "1 write a node=m"), {"tell_nodes": "copy"}, (1, "m", "changed", "write", None)),
        (("0 read a", "1 clear"), {}, (1, None, "cleared", None, None)),
        (("0 read a", "1 restart"), {}, (1, None, "restarted", None, None)),
        (("0 read a found=no",), {}, (0, None, "null", None, None)),
        (("0 read a size=100",), {"keep_if": ["size <= 10 B"]}, (0, None, "refused", None, None)),
        (("0 read a version=1", "1 read a version=2"), {}, (1, None, "stale hit", None, None)),
        (("0 read a scope=s",), {"per": "scope"}, (0, "s", "freed", None, None)),
        (("0 read a", "20 read a"), {"absolute": "10s", "serve_stale": "1h"}, (20, None, "loaded", None, None)),
        (("0 read a", "20 read b"), {"absolute": "10s", "collect": "prompt"}, (10, None, "expired", "aged", None)),
    ],
)
def test_what_happens_is_named_with_who_did_it(engine: Any, text: tuple[str, ...], rules: Any, last: Any) -> None:
    story = vg.why(lines(*text), Rules(**{"entry_overhead": 0, **rules}), key="a", engine=engine)
    if rules.get("tell_nodes") == "copy":
        assert ("copied", "m") in [(one.what, one.other) for one in story.steps]
    else:
        assert steps(story)[-1] == last


def test_stays_are_told_apart_by_what_they_hold() -> None:
    trace = lines("0 read a", "5 write a", "30 read a", "40 read b")
    story = vg.why(trace, Rules(absolute="10s"), key="a")
    second = 10**9
    assert story.stays == [
        Stay(None, 0, 30 * second, 5 * second, 10 * second),
        Stay(None, 30 * second, 40 * second, None, None),
    ]
    assert story.total["held_ns"] == 40 * second


@pytest.mark.parametrize(
    ("text", "rules", "sentence"),
    [
        (
            ("0 read a node=n", "2 write a node=m", "9 read a node=n"),
            {"absolute": "10s"},
            "At 1970-01-01 00:00:09.000 on n: answered with a value 9.00 s old, loaded at 00:00:00.000, but changed at "
            "00:00:02.000 by a write on m; `on_write` acts only on the writer's node, and `tell_nodes` tells no other; "
            "`absolute = 10s` ends it at 00:00:10.000.",
        ),
        (
            ("0 read a", "2 write a", "9 read a"),
            {},
            '`on_write = "leave"` leaves the old value there; no lifetime ends it.',
        ),
        (
            ("0 read a version=1", "2 read b", "9 read a version=2"),
            {},
            "the trace shows the change only at this or another read, so no rule on writes can act on it",
        ),
        (
            ("0 read a node=n", "1 write a node=m", "2 read a node=n"),
            {"tell_nodes": "drop", "tell_delay": "5s"},
            "the news of it takes `tell_delay = 5s`",
        ),
        (
            ("0 read a cost=3", "1 write a", "5 read a"),
            {},
            "while the value was being loaded; the load came in after it",
        ),
        (
            ("0 read a", "1 read a"),
            {"sliding": "1m"},
            "and not changed since; without more hits `sliding = 1m` ends it",
        ),
        (
            ("0 read a", "12 read a"),
            {"absolute": "10s", "serve_stale": "5s"},
            "`absolute = 10s` ended it at 00:00:10.000, and `serve_stale = 5s` serves it on",
        ),
        (("0 read a",), {}, "missed (first): nothing had loaded this key before; the load took 0 s."),
        (("0 read a node=n", "1 read a node=m"), {}, "not on this node"),
        (
            ("0 read a", "1 read a", "4 read b", "6 read a"),
            {"max_entries": 1},
            "it was evicted at 00:00:04.000 for b, 3.00 s after its last use; the room is limited to 1 entry;",
        ),
        (("0 read a", "20 read a"), {"absolute": "10s"}, "loaded at 00:00:00.000, had ended by `absolute = 10s`"),
        (("0 read a", "20 read a"), {"sliding": "10s"}, "it had not been used for `sliding = 10s`"),
        (
            ("0 read a", "20 read a"),
            {"absolute_at": "00:00:10", "zone": "UTC"},
            "its value had ended by `absolute_at = 00:00:10`",
        ),
        (
            ("0 read a node=n", "1 write a node=n", "2 read a node=n"),
            {"on_write": "drop"},
            "dropped at 00:00:01.000 by a write on n",
        ),
        (("0 read a", "1 clear", "2 read a"), {}, "it was cleared at 00:00:01.000"),
        (("0 read a", "1 restart", "2 read a"), {}, "it was lost in a restart"),
        (
            ("0 read a found=no", "2 read a found=no"),
            {},
            '`nulls = "skip"` gives no answer from that; the load took 0 s, and the origin had nothing.',
        ),
        (("0 read a size=9", "2 read a size=9"), {"keep_if": ["size <= 5 B"]}, "`keep_if` or `when_full` refused it"),
        (("0 read a", "2 read a force=yes"), {}, "the caller asked for a fresh value"),
        (("0 read a", "2 read a"), {"drop_first": True}, "callers drop the entry first"),
        (("0 read a cost=9", "2 read a cost=1"), {}, "another reader was loading it already"),
        (
            ("0 read a cost=9", "2 read a"),
            {"overlap": "join"},
            "joined a load under way, which began at 00:00:00.000, and waited 7.00 s for it.",
        ),
        (
            ("0 read a found=no", "2 read a found=no"),
            {"nulls": "keep 10s"},
            "answered with nothing 2.00 s old, loaded at 00:00:00.000, and not changed since; `nulls = 10s` ends it",
        ),
    ],
)
def test_one_read_is_explained_in_a_sentence(text: tuple[str, ...], rules: Any, sentence: str) -> None:
    trace = lines(*text)
    story = vg.why(trace, Rules(**{"entry_overhead": 0, **rules}), key="a", at=int(trace.at[-1]))
    assert story.read is not None and sentence in story.read
    assert story.read_at_ns == int(trace.at[-1])


def test_a_story_is_told_of_a_policy_of_ones_own_by_the_reference_engine() -> None:
    trace = lines("0 read a", "1 read b", "2 read c", "3 read b")
    story = vg.why(trace, Rules(max_entries=2, eviction=Newest), key="b", at=3 * 10**9, engine="reference")
    assert story.read is not None and "it was evicted at 00:00:02.000 for c, 1.00 s after its last use" in story.read
    assert [dict(one.changes) for one in story.advice] == [{"lookup.reads.max_entries": 4}]


def test_a_load_at_the_beginning_of_all_times_is_told_from_when_it_began() -> None:
    story = vg.why(lines("0 read a cost=5", "7 write a", "9 read a"), Rules(), key="a", at=9 * 10**9)
    assert story.steps[1].loaded_ns == 0
    assert story.stays == [Stay(None, 5 * 10**9, 9 * 10**9, 7 * 10**9)]


def test_a_time_may_be_since_the_first_event() -> None:
    trace = lines("100 read a", "110 read a")
    assert "00:01:50.000: answered" in str(vg.why(trace, Rules(), key="a", at="9s").read)


def test_the_read_nearest_to_a_time_on_a_node_is_explained() -> None:
    trace = lines("0 read a node=n", "10 read a node=m", "14 read a node=n")
    assert "14.000 on n: answered" in str(vg.why(trace, Rules(), key="a", at="1970-01-01T00:00:11Z", node="n").read)
    assert "10.000 on m: missed (elsewhere)" in str(
        vg.why(trace, Rules(), key="a", at="1970-01-01T01:00:11+01:00").read
    )


@pytest.mark.parametrize(
    ("text", "rules", "key", "value", "hits"),
    [
        ([f"{at} read a" for at in range(0, 200, 14)], {"absolute": "10s"}, "absolute", "15s", 7),
        ([f"{at} read a" for at in range(0, 200, 14)], {"sliding": "10s"}, "sliding", "15s", 14),
        ([f"{at} read {'ab'[at % 2]}" for at in range(20)], {"max_entries": 1}, "max_entries", 2, 9),
        ([f"{at} read a found=no" for at in range(9)], {}, "nulls", "keep", 8),
        ([f"{at} read a cost=5" for at in range(4)], {}, "overlap", "join", None),
        ([f"{at} read a node={'nm'[at % 2]}" for at in range(2)], {}, "per", "all", 1),
        ([f"{at} read a" for at in range(9)], {"drop_first": True}, "drop_first", False, 8),
        (["0 read a", "1 restart", "2 read a"], {}, "survives_restart", True, 1),
        ([f"{at} read a" for at in range(0, 100, 9)], {"clear_every": "10s"}, "clear_every", "never", 9),
        (["0 read a size=9", "1 read a size=9"], {"keep_if": ["size <= 5 B"]}, "keep_if", "all", 1),
        (
            ["0 write a node=n", *(f"{at} {'read' if at % 3 else 'write'} a node=n" for at in range(1, 30))],
            {"on_write": "drop"},
            "on_write",
            "replace",
            10,
        ),
    ],
)
def test_what_would_have_helped_is_found_by_replaying(
    text: list[str], rules: Any, key: str, value: Any, hits: int | None
) -> None:
    trace, plan = lines(*text), Plan(Rules(**{"entry_overhead": 0, **rules}))
    found = {(*one.changes, str(*one.changes.values())): one for one in vg.why(trace, plan, key="a").advice}
    if hits is None:
        assert found == {}  # who joins is no hit
        return
    advice = found[f"lookup.reads.{key}", str(value)]
    assert advice.hits == hits
    then = vg.key_by_key(trace, plan.changed(advice.changes)).to_pandas().set_index("key")["hits"]["a"]
    now = vg.key_by_key(trace, plan).to_pandas().set_index("key")["hits"]["a"]
    assert then - now == advice.hits


def test_stale_answers_are_advised_against_as_far_as_the_trace_shows_writes() -> None:
    reads = [f"{at} read a node={'nm'[at % 2]} version={at // 50}" for at in range(200)]
    written = ["50 write a node=n version=1", "100 write a node=n version=2"]
    text = sorted([*reads, *written], key=lambda line: int(line.split()[0]))
    advice = vg.why(lines(*text), Rules(), key="a").advice
    assert {"lookup.reads.on_write": "drop", "lookup.reads.tell_nodes": "drop"} in [dict(one.changes) for one in advice]
    assert all(one.fresh_hits > 0 for one in advice)


@pytest.mark.parametrize(
    ("asked", "message"),
    [
        ({"key": "abe"}, r"the trace has no key 'abe'; the closest are 'abd', 'abc'"),
        ({"key": "zzz", "lookup": "x"}, r"the trace has no key 'zzz' of x; no key is close to it"),
        ({"key": "abc"}, r"several look-ups have the key 'abc': x, y; name one with lookup"),
        ({"key": "abd", "lookup": "z"}, r"^look-up 'z' is unknown"),
        ({"key": "abd", "node": "q"}, r"^node 'q' is unknown; known are n"),
        (
            {"key": "abd", "at": "1971-01-01 00:00:00Z"},
            r"at: 1971-01-01 00:00:00.000 is outside the trace, which goes from 1970-01-01 00:00:00.000 to",
        ),
        ({"key": "abd", "at": "noon"}, r"^at: 'noon' is not a time; write a duration since the first event"),
    ],
)
def test_what_is_not_there_is_said_with_what_is(asked: Any, message: str) -> None:
    trace = lines("0 read abc lookup=x node=n", "1 read abc lookup=y node=n", "2 read abd lookup=y node=n")
    with pytest.raises(InputError, match=message):
        vg.why(trace, Rules(), **asked)


@given(cases())
def test_a_story_holds_every_read_of_its_key_whatever_the_rules(case: Case) -> None:
    trace = case.trace
    if not len(trace.keys):
        return
    text, lookup = str(trace.keys[0]), trace.lookups[trace.key_lookup[0]]
    reads = trace.at[(trace.key == 0) & (trace.op == Op.READ)]
    story = vg.why(trace, case.plan, lookup=lookup, key=text, at=int(reads[-1]) if len(reads) else None)
    told = [one for one in story.steps if one.what in READS]
    assert sum(one.times for one in told) == len(reads)
    assert [one.at_ns for one in story.steps] == sorted(one.at_ns for one in story.steps)
    assert (story.read is not None) == (len(reads) > 0)
    assert story.total["held_byte_ns"] >= story.total["idle_byte_ns"] >= 0
    assert all(stay.begins_ns <= stay.ends_ns for stay in story.stays)


def test_a_key_that_was_only_dropped_has_a_story_without_reads() -> None:
    story = vg.why(lines("0 drop a", "1 read b"), Rules(), key="a")
    assert story.read is None and not any(one.what in READS for one in story.steps)


def test_a_story_is_data() -> None:
    story = vg.why(lines("0 read a", "1 read a", "3 read a"), Rules(), key="a")
    assert story == vg.why(lines("0 read a", "1 read a", "3 read a"), Rules(), key="a")
    assert story.to_dict()["steps"][-1] == {"what": "hit", "times": 2, "at": 1.0, "until": 3.0, "event": 1}
    assert story.to_pandas()["what"].tolist() == ["missed", "loaded", "hit"]
    assert "a: 3 reads, 2 hits, 1 miss (1 first)." in str(story)


def test_a_story_is_drawn_with_a_band_for_each_node() -> None:
    trace = lines("0 read a node=n", "5 read a node=m", "7 write a node=m", "9 read a node=n", "20 read a node=n")
    axis = vg.figures.story(vg.why(trace, Rules(absolute="10s"), key="a"))
    assert [label.get_text() for label in axis.get_yticklabels()] == ["m", "n"]
    named = {text.get_text() for text in axis.get_legend().get_texts()}
    assert {"held, fresh", "held, stale", "held, but expired", "load", "changed at the origin"} <= named
