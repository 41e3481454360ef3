"""The server of the page with knobs: exact numbers, only the newest replay of each tab, and nothing for strangers."""

import asyncio
import contextlib
import json
import re
import signal
import subprocess
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import psutil
import pytest

import vestigo as vg
from tests.browser.exploring import Client, exploring, kinds, write_long, write_morning
from tests.cli.calling import run
from tests.slowness import seconds
from vestigo.choosing import explorer
from vestigo.choosing.explorer import Explorer
from vestigo.engine import what_if
from vestigo.errors import GivenUp
from vestigo.measures import MEASURES
from vestigo.show.page.explored import SHOWN
from vestigo.stopping import Stop, check, stoppable
from vestigo.web.explore.settings import plan_asked
from vestigo.web.explore.work import Work

OF_THE_PAGE = [name for name in SHOWN if not MEASURES[name].of_origin]
"""The measures of the page where nothing is stated of the origin."""


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    return write_morning(tmp_path_factory.mktemp("explore"))


@pytest.fixture(scope="module")
def client(files: tuple[Path, Path]) -> Iterator[Client]:
    trace, plan = files
    with exploring(trace.parent, str(trace), "--plan", str(plan)) as (address, _):
        yield Client(address)


def test_a_long_trace_is_opened_while_a_sample_answers(tmp_path: Path) -> None:
    with exploring(tmp_path, str(write_long(tmp_path)), "--rules", "max_entries=2000", "--no-results") as (address, _):
        client = Client(address)
        status, _, opening = client.ask("GET", "")
        assert status == 200 and "being worked out from all 2,100,000 events" in opening
        wrong = client.replay(rules__max_entries="many")
        assert kinds(wrong) == ["problem"]
        sample, opened = client.replay(rules__max_entries="4000")
        assert (sample["kind"], opened["kind"]) == ("sample", "opened")
        beside = dict(zip(OF_THE_PAGE, sample["beside"][""]["today"], strict=True))
        assert float(numbers(sample)["hit_rate"].split()[0]) > float(beside["hit_rate"].split()[0])
        status, _, whole = client.ask("GET", "")
        assert status == 200 and "being worked out" not in whole and "chart-front" in whole
        assert kinds(client.replay(rules__max_entries="4000")) == ["sample", "now", "around"]


def numbers(told: dict[str, Any], of: str = "") -> dict[str, str]:
    return dict(zip(OF_THE_PAGE, (row[0] for row in told["numbers"][of]), strict=True))


@pytest.mark.parametrize(
    "changes",
    [
        {},
        {"lookup.vessel.max_entries": 20},
        {"rules.absolute": "4h", "rules.on_write": "drop", "rules.survives_restart": True},
        {"lookup.chart.eviction": "slru protected=70%", "lookup.chart.max_bytes": "1 MiB"},
    ],
    ids=["today", "a size", "rules for all", "a policy"],
)
def test_its_numbers_are_those_of_a_replay_of_the_same_plan(
    client: Client, files: tuple[Path, Path], changes: dict[str, Any]
) -> None:
    outcome = vg.replay(vg.read_trace(files[0]), vg.read_plan(files[1]).changed(changes))
    texts = {key: str(value).lower() if value is True else str(value) for key, value in changes.items()}
    (told,) = (one for one in client.replay(**texts) if one["kind"] == "now")
    shown, vessel = numbers(told), numbers(told, "vessel")
    for name in ("hit_rate", "fresh_hit_rate", "stale_rate", "loads", "memory_peak"):
        assert shown[name] == MEASURES[name].amount_text(getattr(outcome, name))
    assert shown["read_time.p95"] == MEASURES["read_time.p95"].amount_text(outcome.read_time(95))
    assert vessel["stale_rate"] == MEASURES["stale_rate"].amount_text(outcome.lookups["vessel"].stale_rate)
    assert told["point"] == [outcome.memory_peak, outcome.fresh_hit_rate]
    assert max(told["lines"]["calls"]) == max(one.loads for one in outcome.slices)


def test_what_ifs_are_replayed_on_another_trace_and_stand_beside_todays_settings_on_it(
    client: Client, files: tuple[Path, Path]
) -> None:
    trace, plan = vg.read_trace(files[0]), vg.read_plan(files[1])
    now, around = client.replay(whatif__nodes="2", whatif__origin="3")
    there = vg.replay(trace, vg.Plan(**{**_parts(plan), "what_if": vg.WhatIf(nodes=2, origin=3)}))
    assert (now["kind"], around["kind"]) == ("now", "around")
    assert numbers(now)["hit_rate"] == MEASURES["hit_rate"].amount_text(there.hit_rate)
    assert around["around"]["beside"][""]["today"][0] == MEASURES["hit_rate"].amount_text(there.hit_rate)
    again = client.replay(whatif__nodes="2", whatif__origin="3", around=around["around"]["name"])
    assert kinds(again) == ["now"]


def _parts(plan: vg.Plan) -> dict[str, Any]:
    return {name: getattr(plan, name) for name in ("rules", "lookups", "keys", "pools", "warm_up")}


def test_what_means_nothing_is_said_at_its_knob(client: Client) -> None:
    (told,) = client.replay(lookup__vessel__absolute="5", rules__max_entries="none")
    assert told["kind"] == "problem"
    said = {one["key"]: one["text"] for one in told["problems"]}
    assert said["rules.max_entries"].startswith("'none' is not a number of entries")
    (told,) = client.replay(lookup__vessel__absolute="5")
    assert told["problems"][0]["key"] == "lookup.vessel.absolute" and "no unit" in told["problems"][0]["text"]
    (told,) = client.replay(rules__jitter="10%", lookup__nowhere__absolute="5s")
    assert told["kind"] == "problem" and told["problems"][0]["text"]
    (told,) = client.replay(whatif__nodes="0")
    assert "nodes" in told["problems"][0]["text"]


def test_the_plan_can_be_replayed_alone(client: Client, files: tuple[Path, Path]) -> None:
    asked = {"tab": "t", "around": "", "settings": {"lookup.vessel.max_entries": "20", "whatif.nodes": "2"}}
    status, _, text = client.ask("POST", "plan", asked)
    assert status == 200
    path = files[1].parent / "taken.toml"
    path.write_text(json.loads(text)["plan"])
    plan = vg.read_plan(path)
    assert plan.rules_for("vessel").max_entries == 20 and plan.what_if.nodes == 2
    assert plan.aim == vg.read_plan(files[1]).aim


def test_pages_to_read_say_what_the_command_line_says(client: Client) -> None:
    status, head, text = client.ask("GET", "check?lookup.vessel.max_entries=20")
    assert status == 200 and "likely mistake" in text and "vessel.max_entries = 20" in text
    assert "script-src 'none'" in text.replace("&#39;", "'") and head["referrer-policy"] == "no-referrer"
    status, _, text = client.ask("GET", "keys?rules.absolute=5s")
    assert status == 200 and "most origin time" in text and "key?rules.absolute=5s&amp;of-lookup=" in text
    assert 'href="./#rules.absolute=5s"' in text
    link = text.split('href="key?')[1].split('"')[0].replace("&amp;", "&")
    status, _, text = client.ask("GET", f"key?{link}")
    assert status == 200 and "<svg" in text and "What would have helped" in text
    assert 'href="keys?rules.absolute=5s"' in text and 'href="./#rules.absolute=5s"' in text
    status, _, text = client.ask("GET", "key?of-lookup=vessel&of-key=%3Cscript%3E")
    assert status == 400 and "has no key" in text and "<script>" not in text
    status, _, text = client.ask("GET", "check?rules.absolute=5")
    assert status == 400 and "has no unit" in text


def test_the_best_within_limits_comes_as_settings_that_a_replay_confirms(client: Client) -> None:
    limits = {"aim.memory_peak": "4 MiB", "aim.stale_rate": "no limit"}
    (best,) = client.best("best", limits)
    assert best["kind"] == "best" and "Nothing else that was tried, in any of" in best["said"]
    (now,) = (one for one in client.replay(**best["settings"]) if one["kind"] == "now")
    assert now["point"][0] <= 4 << 20 and numbers(now)["fresh_hit_rate"] in best["said"]
    points = client.best("line", limits)
    peaks = [one["point"][0] for one in points]
    assert [one["number"] for one in points] == [*range(len(points))] and peaks == sorted(peaks, reverse=True)
    (now,) = (one for one in client.replay(**points[3]["settings"]) if one["kind"] == "now")
    assert now["point"] == points[3]["point"]


def test_limits_that_nothing_keeps_or_that_mean_nothing_are_said_at_their_knob(client: Client) -> None:
    (none,) = client.best("best", {"aim.memory_peak": "1 B"})
    assert none["settings"] is None and none["said"] == "Nothing that was tried keeps these limits."
    (wrong,) = client.best("best", {"aim.memory_peak": "16"})
    assert [one["key"] for one in wrong["problems"]] == ["aim.memory_peak"] and "no unit" in wrong["problems"][0][
        "text"
    ]
    (other,) = client.best("line", {"aim.loads": "5"})
    assert "is not limited on this page" in other["problems"][0]["text"]


def test_a_search_that_cannot_be_made_says_why(tmp_path: Path) -> None:
    trace = vg.write_trace(vg.synth(500, keys=20, seed=1), tmp_path / "short.arrow")
    plan = tmp_path / "plan.toml"
    plan.write_text('[aim]\nleast = "surge.minute"\n')
    with exploring(tmp_path, str(trace), "--plan", str(plan)) as (address, _):
        (told,) = Client(address).best("best", {"aim.memory_peak": "4 KiB"})
        assert "a search cannot make" in told["problems"][0]["text"]


def test_strangers_get_nothing(client: Client) -> None:
    base = client.where.path
    for method, path in (
        ("GET", "/"),
        ("GET", "/wrong-token/"),
        ("POST", "/wrong-token/replay"),
        ("GET", base[:-2] + "/"),
    ):
        status, _, text = client.ask(method, path)
        assert status in (404, 405) and "vessel" not in text
    asked = {"tab": "t", "around": "", "settings": {}}
    assert client.ask("GET", "", host="elsewhere.example")[0] == 403
    assert client.ask("POST", "replay", asked, origin="http://elsewhere.example")[0] == 403
    assert client.ask("POST", "replay", asked, origin="null")[0] == 403
    assert client.ask("POST", "replay", asked, origin=f"http://{client.where.netloc}")[0] == 200
    assert client.ask("GET", "replay")[0] == 405


@pytest.mark.parametrize(
    "body",
    [
        *(b"", b"[]", b"null", b"{", b'{"tab": 1, "settings": {}, "around": ""}', b'{"tab": "t", "settings": [1]}'),
        *(b'{"tab": "t", "settings": {"a": 1}, "around": ""}', b"[" * 100_000, b"\xff\xfe"),
    ],
)
def test_bodies_that_no_page_sends_are_refused(client: Client, body: bytes) -> None:
    assert client.ask("POST", "replay", body)[0] == 400


def test_a_body_that_is_too_large_and_settings_that_are_too_many_are_refused(client: Client) -> None:
    assert client.ask("POST", "replay", b" " * 300_000)[0] == 413
    (told,) = client.replay(**{f"rules__r{number}": "1" for number in range(600)})
    assert told["kind"] == "problem"


def test_the_head_keeps_the_page_to_itself(client: Client) -> None:
    status, head, text = client.ask("GET", "")
    assert status == 200 and head["cache-control"] == "no-store" and head["x-frame-options"] == "DENY"
    assert "connect-src 'self'" in text.replace("&#39;", "'") and "unsafe-eval" not in text[:2000]


def test_a_replay_is_given_up_between_batches(monkeypatch: pytest.MonkeyPatch) -> None:
    from vestigo.prepared import memory

    monkeypatch.setattr(memory, "BATCH_EVENTS", 500)
    opened = Explorer(vg.synth(5_000, keys=100, seed=1), vg.Rules(max_entries=10))
    plan = opened.asked({"rules.max_entries": 20})
    looks = 0

    class Third(Stop):
        def check(self) -> None:
            nonlocal looks
            looks += 1
            if looks == 3:
                self.ask()
            super().check()

    with pytest.raises(GivenUp), stoppable(Third()):
        opened.around(plan.what_if).replay(plan)
    assert looks == 3
    assert opened.around(plan.what_if).replay(plan).to_dict() == vg.replay(opened.trace, plan, name="now").to_dict()


def test_a_newer_change_of_a_tab_gives_up_its_older_replay_and_no_others() -> None:
    async def ask() -> None:
        work = Work()
        async with work.task("a") as first, work.task("b") as other, work.task("a") as second:
            with pytest.raises(GivenUp):
                await first.do(lambda: 1)
            assert await other.do(lambda: 2) == 2
            assert await second.do(lambda: 3) == 3
            async with contextlib.AsyncExitStack() as many:
                for number in range(100):
                    await many.enter_async_context(work.task(f"tab {number}"))
                with pytest.raises(GivenUp):
                    await second.do(lambda: 4)  # a hundred tabs never wait at once
        assert work._tasks == {}

    asyncio.run(ask())


def test_long_traces_are_answered_from_a_sample_first(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(explorer, "LONG", 10_000)
    trace = vg.synth(50_000, keys=20_000, skew=0.6, seed=1)
    opened = Explorer(trace, vg.Rules(max_entries=1000))
    plan = opened.asked({"rules.max_entries": 3000})
    around = opened.around(plan.what_if)
    estimate = around.estimate(plan)
    assert estimate is not None
    assert abs(estimate.hit_rate - around.replay(plan).hit_rate) < 0.05
    assert around.estimate(opened.asked({"rules.eviction": "gdsf"})) is None  # which a sample cannot tell
    few_keys = Explorer(vg.synth(50_000, keys=500, skew=0.9, seed=1), vg.Rules(max_entries=100))
    assert few_keys.around(few_keys.plan.what_if).estimate(few_keys.plan) is None  # a sample has most events


def test_no_settings_pass_the_ceilings_that_are_shown(files: tuple[Path, Path]) -> None:
    opened = Explorer(files[0], files[1])
    around = opened.around(opened.plan.what_if)
    most, fresh = around.ceilings["hit_rate"].hit_rate, around.ceilings["fresh_hit_rate"].fresh_hit_rate
    for changes in (
        {"rules.per": "all", "rules.max_entries": "no limit", "rules.absolute": "never"},
        {"rules.tell_nodes": "copy", "rules.on_write": "replace", "rules.max_entries": "no limit"},
        {"rules.survives_restart": True, "rules.absolute": "never", "rules.nulls": "keep"},
    ):
        outcome = around.replay(opened.asked(changes))
        assert outcome.hit_rate <= most and outcome.fresh_hit_rate <= fresh


def test_what_a_plan_says_is_different_can_be_taken_back() -> None:
    opened = Explorer(vg.synth(500, keys=20, seed=1), vg.Plan(vg.Rules(max_entries=5), what_if=vg.WhatIf(nodes=2)))
    assert plan_asked(opened, {}).what_if.nodes == 2
    assert plan_asked(opened, {"whatif.nodes": "as recorded"}).what_if == vg.WhatIf()
    assert plan_asked(opened, {"whatif.origin": "2"}).what_if == vg.WhatIf(nodes=2, origin=2)


def test_candidates_of_an_earlier_sweep_are_known(files: tuple[Path, Path]) -> None:
    trace, plan_file = vg.read_trace(files[0]), files[1]
    plan = vg.read_plan(plan_file)
    few = vg.Plan(**_parts(plan), vary={"rules.absolute": ["1m", "1h"]}, aim=plan.aim)
    results = plan_file.parent / "few.results"
    assert [one.name for one in Explorer(trace, few, results=results).known] == []
    vg.sweep(trace, few, results=results)
    assert [one.name for one in Explorer(trace, few, results=results).known] == ["absolute=1m", "absolute=1h"]


def test_tabs_that_ask_at_once_get_their_own_answers(client: Client) -> None:
    with ThreadPoolExecutor(4) as threads:
        sizes = [5, 10, 20, 40] * 2
        asked = [
            threads.submit(client.replay, tab=f"tab {place}", lookup__vessel__max_entries=str(size))
            for place, size in enumerate(sizes)
        ]
        rates = [numbers(one.result()[0], "vessel")["hit_rate"] for one in asked]
    assert rates[:4] == rates[4:] and len(set(rates)) == 4


@pytest.mark.clock
def test_ctrl_c_ends_it_and_wrong_calls_are_one_sentence(files: tuple[Path, Path], tmp_path: Path) -> None:
    with exploring(files[0].parent, str(files[0]), "--plan", str(files[1])) as (address, process):
        assert Client(address).ask("GET", "")[0] == 200
        process.send_signal(signal.SIGINT)
        begun = time.monotonic()
        assert process.wait(10) == 0 and time.monotonic() - begun < seconds(2)
    done = run("explore", str(files[0]), "--address", "0.0.0.0:0", cwd=tmp_path)
    assert done.returncode == 2 and "others would reach it there" in done.stderr
    done = run("explore", "nowhere.csv", cwd=tmp_path)
    assert done.returncode == 2 and done.stderr.startswith("vestigo: nowhere.csv")


def used_by(process: subprocess.Popen[str]) -> int:
    return int(psutil.Process(process.pid).memory_info().rss)


@pytest.fixture
def small_machine(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> int:
    """Commands think that the machine has 8 GiB: the module that Python imports at its start says so. Returns what one
    trace may take.
    """
    (tmp_path / "sitecustomize.py").write_text("import vestigo.machine as m\nm.memory_bytes = lambda: 8 << 30\n")
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    return 2 << 30


@pytest.mark.clock
def test_replaced_what_ifs_end_at_once_and_give_their_memory_back(files: tuple[Path, Path], small_machine: int) -> None:
    trace = vg.read_trace(files[0])
    most_times = (small_machine // what_if.EVENT_BYTES - len(trace)) // trace.reads
    with (
        exploring(files[0].parent, str(files[0]), "--plan", str(files[1])) as (address, process),
        ThreadPoolExecutor(12) as threads,
    ):
        client = Client(address)
        before = used_by(process)
        begun = time.monotonic()
        (told,) = client.replay(whatif__traffic=str(most_times + 2))
        assert time.monotonic() - begun < seconds(1)
        assert told["problems"][0]["key"] == "whatif.traffic"
        assert re.match(
            r"[\d]+ makes [\d,]+ events of [\d,]+, which take 2.0\d GiB of memory when replayed; the most here is "
            r"2.00 GiB, so write less, or sample the trace \(vestigo convert --sample\)$",
            told["problems"][0]["text"],
        )
        asked = []
        for number in range(10):
            asked.append(threads.submit(client.replay, whatif__traffic=str(most_times - number)))
            time.sleep(0.3)
        begun = time.monotonic()
        assert kinds(client.replay()) == ["now", "around"]
        assert time.monotonic() - begun < seconds(2)
        ended = [one.result(5) for one in asked]
        assert [kinds(one) for one in ended] == [[]] * 10
        assert time.monotonic() - begun < seconds(3)
        most = psutil.Process(process.pid).memory_info().rss
        assert most - before < small_machine


@pytest.mark.clock
def test_ctrl_c_ends_long_work_too(files: tuple[Path, Path]) -> None:
    with (
        exploring(files[0].parent, str(files[0]), "--plan", str(files[1])) as (address, process),
        ThreadPoolExecutor(12) as threads,
    ):
        client = Client(address)
        for name in ("check?whatif.traffic=20", "keys?whatif.traffic=30", "check?"):
            threads.submit(client.ask, "GET", name)
        for number in range(4):
            threads.submit(client.replay, tab=str(number), whatif__traffic=str(30 + number))
        time.sleep(1)
        process.send_signal(signal.SIGINT)
        begun = time.monotonic()
        assert process.wait(20) == 0
        assert time.monotonic() - begun < seconds(2)
        assert process.stderr is not None
        assert len(process.stderr.read().splitlines()) == 1  # that it listens


@pytest.mark.clock
def test_a_page_that_nobody_waits_for_is_given_up() -> None:
    async def leave() -> bool:
        work, is_over = Work(), threading.Event()

        def long() -> None:
            try:
                while True:
                    check()
                    time.sleep(0.01)
            finally:
                is_over.set()

        async with work.task() as task:
            doing = asyncio.ensure_future(task.do(long))
            await asyncio.sleep(0.1)
            doing.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await doing
        return await asyncio.to_thread(is_over.wait, 2)

    assert asyncio.run(leave())
