"""Bad moments rehearsed: what happens in each, how long readers suffer, and what helps."""

from typing import Any

import numpy as np
import pytest

import vestigo as vg
from vestigo.choosing.rehearsing.stage import Stage
from vestigo.choosing.rehearsing.worst import AFTER, most_at_once, worst_minute
from vestigo.engine import few_traces
from vestigo.measures import MOMENTS
from vestigo.trace import Op
from vestigo.units import SECOND

MINUTE = 60 * SECOND
NAMES = ["node", "restart", "clear", "outage", "slow", "readers"]


@pytest.fixture(scope="module")
def trace() -> vg.Trace:
    """An hour and a half on two nodes: a read each 100 ms of one of 200 keys, twice as many in the 31st minute. A load
    takes 300 ms.
    """
    draws = np.random.default_rng(5)
    begins = 1_773_705_600 * SECOND
    at = begins + np.arange(90 * 600) * SECOND // 10
    more = begins + 30 * MINUTE + np.arange(600) * SECOND // 10 + 1
    at = np.sort(np.concatenate([at, more]))
    return vg.read_trace(
        {
            "at": at,
            "key": draws.integers(0, 200, len(at)),
            "node": draws.choice(["n", "m"], len(at)),
            "cost": np.full(len(at), 3 * SECOND // 10),
        }
    )


PLAN = vg.Plan(
    vg.Rules(absolute="5m"),
    origin=vg.Origin(at_once=2, slow="1s"),
    candidates={"keeps": vg.Rules(absolute="5m", survives_restart=True, serve_on_failure="1h")},
)


def test_up_to_the_end_the_stage_is_the_trace_itself(trace: vg.Trace) -> None:
    """What was worked out of the trace serves the rehearsal, too."""
    end, before = ("2026-03-17T01:20:00Z", "2026-03-17T00:40:00Z")
    assert Stage.of(trace, PLAN, end, None).trace is trace
    earlier = Stage.of(trace, PLAN, before, None)
    assert earlier.trace.at[-1] == earlier.at_ns + AFTER < trace.at[-1]


@pytest.fixture(scope="module")
def found(trace: vg.Trace) -> vg.Rehearsal:
    return vg.rehearse(trace, PLAN)


def test_a_long_trace_goes_the_same_way_with_one_moment_kept_at_a_time(
    trace: vg.Trace, found: vg.Rehearsal, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(few_traces, "MOST_ROWS", 1)
    one_by_one = vg.rehearse(trace, vg.Plan(PLAN.rules, origin=PLAN.origin), moments=["node", "restart", "clear"])
    asked = [row for row in found.rows if row.settings == "today" and row.moment in ("", "node", "restart", "clear")]
    assert [row.to_dict() for row in one_by_one.rows] == [row.to_dict() for row in asked]


def test_the_worst_time_is_the_busiest_minute(trace: vg.Trace, found: vg.Rehearsal) -> None:
    assert found.at_ns == int(trace.at[0]) + 30 * MINUTE == worst_minute(trace, int(trace.at[0]))
    assert found.why_then == "the busiest minute"
    assert found.ends_ns <= found.at_ns + 40 * MINUTE
    late = int(trace.at[0]) + 40 * MINUTE
    assert worst_minute(trace, late) >= late


def test_every_moment_is_told_of_every_settings(found: vg.Rehearsal) -> None:
    assert list(found.moments) == NAMES
    assert found.settings == ["today", "keeps"]
    assert len(found.rows) == 2 * (1 + len(NAMES))
    assert found.row("").recovery is None or found.row("").recovery == 0
    frame = found.to_pandas()
    assert frame.loc[frame.moment == "outage", "failed"].tolist()[1] == 0 < frame.failed.max()
    assert set(found.to_dict()) >= {"at", "rows", "helps", "answer", "places"}


def test_a_restart_makes_calls_wait_and_settings_that_survive_it_do_not(found: vg.Rehearsal) -> None:
    today, keeps = found.row("restart"), found.row("restart", "keeps")
    assert today.waiting > 20 and today.slow > 20 and today.recovery is not None and today.recovery > 10
    assert (keeps.waiting, keeps.slow, keeps.recovery) == (found.row("", "keeps").waiting, 0, 0)
    assert found.row("node").slow < today.slow
    assert today.suffering > found.row("node").suffering


def test_an_outage_fails_what_is_loaded_while_it_lasts(found: vg.Rehearsal) -> None:
    outage = found.row("outage")
    assert outage.failed > 0 and outage.recovery is not None and outage.recovery >= 45
    assert found.row("outage", "keeps").failed == 0
    assert found.row("slow").failed == 0


def test_it_is_what_a_replay_of_the_same_events_gives(trace: vg.Trace, found: vg.Rehearsal) -> None:
    """The restart at the worst time, in a trace that is cut where the rehearsal ends."""
    until = int(np.searchsorted(trace.at, found.ends_ns, side="right"))
    cut = vg.what_if.with_restarts(trace.block(0, until), "2026-03-17T00:30:00+00:00")
    assert cut.at[cut.op == Op.RESTART].tolist() == [found.at_ns]
    plan = vg.Plan(vg.Rules(absolute="5m"), origin=vg.Origin(at_once=2), warm_up="30m")
    outcome = vg.replay(cut, plan, engine="reference")
    row = found.row("restart")
    assert (row.waiting, row.slow, row.busiest_second, row.reads) == (
        outcome.waiting_peak,
        outcome.slow_reads,
        outcome.surge_second,
        outcome.reads,
    )


def test_what_helps_is_less_bad_than_the_worst_and_the_best_comes_first(found: vg.Rehearsal) -> None:
    assert found.helps
    assert all(one.then.suffering < found.worst.suffering for one in found.helps)
    assert [one.then.suffering for one in found.helps] == sorted(one.then.suffering for one in found.helps)
    assert any("origin.at_once = 4" in one.what for one in found.helps)


def test_a_preload_helps_after_a_restart(trace: vg.Trace) -> None:
    """Where lifetimes are long. If they are short, all that was preloaded expires at once later."""
    plan = vg.Plan(vg.Rules(absolute="2h"), origin=vg.Origin(at_once=2, slow="1s"))
    found = vg.rehearse(trace, plan, moments=["restart"])
    helps = {one.what: one.then for one in found.helps}
    then = helps["preload = start"]
    assert (then.slow, found.worst.slow > 500) == (0, True)
    assert then.recovery is not None and found.worst.recovery is not None and then.recovery < found.worst.recovery / 4


def test_the_answer_says_it_and_the_table_shows_it(found: vg.Rehearsal) -> None:
    worst = found.worst
    assert found.in_words.startswith(f"With today's settings {worst.words} at 2026-03-17 00:30:00 UTC")
    assert f"{worst.slow:,} reads take longer than 1.00 s" in found.in_words
    shown = str(found)
    for words in (*found.moments.values(), "The origin serves 2 calls at a time", "What would help against"):
        assert words.split(" for ")[0] in " ".join(shown.split())


def test_an_origin_of_which_nothing_is_stated_serves_what_the_recording_shows(trace: vg.Trace) -> None:
    made = vg.read_trace({"at": [0, 4, 9, 9], "key": list("abcd"), "cost": [10, 5, 1, 1]})
    assert most_at_once(made) == 3
    assumed = vg.rehearse(trace, vg.Rules(absolute="5m"), moments=["clear"], at="20m", slow="2s")
    assert assumed.places == most_at_once(trace) > 0
    assert "the most that the recording shows at once" in assumed.assumptions[0]
    assert (assumed.at_ns, assumed.slow_ns) == (int(trace.at[0]) + 20 * MINUTE, 2 * SECOND)
    assert list(assumed.moments) == ["clear"]


def test_a_figure_shows_it_over_time(found: vg.Rehearsal) -> None:
    axes = vg.figures.rehearsal(found, "restart")
    assert [axis.get_ylabel() for axis in axes] == ["p95 of read time", "calls that wait", "origin calls"]
    texts = [text.get_text() for text in axes[0].get_legend().get_texts()]
    assert texts == [f"{name}: {found.takes(found.row('restart', name))}" for name in found.settings]
    one_moment = vg.read_trace({"at": [1], "key": ["a"]})
    axes = vg.figures.rehearsal(vg.rehearse(one_moment, vg.Rules(max_entries=5)))  # without a warning
    assert axes[0].get_xlim() == (0, 1)


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"moments": ["flood"]}, "restart"),
        ({"moments": []}, "none is named"),
        ({"at": "100h"}, "not within the trace"),
        ({"slow": 5}, "slow"),
    ],
)
def test_what_means_nothing_is_refused(trace: vg.Trace, asked: dict[str, Any], says: str) -> None:
    with pytest.raises((vg.RulesError, vg.UnknownName), match=says):
        vg.rehearse(trace, vg.Rules(), **asked)
    with pytest.raises(vg.RulesError, match="no reads"):
        vg.rehearse(vg.read_trace({"at": [1], "key": ["a"], "op": ["write"]}), vg.Rules())


def test_every_moment_has_a_name_that_an_aim_can_limit(found: vg.Rehearsal) -> None:
    assert (*found.moments,) == MOMENTS
