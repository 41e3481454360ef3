"""A running cache is watched: what is normal at each hour, what leaves it and comes back, services that are away."""

import csv
import json
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

import vestigo as vg
from tests.cli.calling import run
from vestigo.explaining.confirm.counters import counters_of, read_counters
from vestigo.explaining.confirm.expected import Expected, Normal, expected
from vestigo.explaining.confirm.fetching import Away, Fetching
from vestigo.explaining.confirm.live import Live
from vestigo.explaining.confirm.scrapes import Sample, Scrape, as_text, in_text
from vestigo.explaining.confirm.watch import Turn, Watch
from vestigo.units import SECOND

HOUR, MINUTE = 3600 * SECOND, 60 * SECOND
BEGINS = 1_773_705_600 * SECOND  # midnight
NAMES = vg.CounterNames()
BY_LOOKUP = vg.CounterNames(
    hits='desk_reads_total{answer="held",cache="{lookup}"}', misses='desk_reads_total{answer="asked",cache="{lookup}"}'
)


def two_days(seed: int = 1) -> vg.Trace:
    """Two days on two nodes: 500 keys at night, 50 by day, a read each four seconds."""
    draws = np.random.default_rng(seed)
    at = BEGINS + np.arange(0, 48 * HOUR, 4 * SECOND)
    by_day = (at // HOUR % 24 >= 8) & (at // HOUR % 24 < 20)
    key = np.where(by_day, draws.integers(0, 50, len(at)), draws.integers(0, 500, len(at)))
    node = draws.choice(["n", "m"], len(at), p=[0.8, 0.2])
    return vg.read_trace({"at": at, "key": key, "lookup": np.full(len(at), "desk"), "node": node})


PLAN = vg.Plan(vg.Rules(absolute="30m"))


@pytest.fixture(scope="module")
def normal() -> Expected:
    return expected(two_days(), PLAN)


def test_each_hour_has_the_rate_that_a_replay_gives_it(normal: Expected) -> None:
    answers = vg.read_by_read(two_days(), PLAN).to_pandas()
    hour = (two_days().at // HOUR % 24)[: len(answers)]
    for each in (3, 12):
        one = normal.at(BEGINS + each * HOUR + 5, None)
        assert one is not None and one.hour == each and one.reads == 900
        assert one.hit_rate == pytest.approx((answers["answer"][hour == each] == "hit").mean(), abs=1e-12)
        assert one.low < one.hit_rate < one.high
    assert normal.lookups == ["desk"] and len(normal.hours) == 48


def test_other_recordings_of_the_same_traffic_are_normal(normal: Expected) -> None:
    outside = total = 0
    for seed in range(2, 8):
        for one in expected(two_days(seed), PLAN).hours[:24]:
            if one.hour > 0:  # the first hour of the recording is cold
                beside = normal.at(one.hour * HOUR, None)
                assert beside is not None
                outside += not beside.low <= one.hit_rate <= beside.high
                total += 1
    assert total == 138 and outside <= 1


def test_the_ranges_are_written_as_csv_and_json(normal: Expected, tmp_path: Path) -> None:
    with normal.write(tmp_path / "normal.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 48 and float(rows[12]["hit_rate"]) == pytest.approx(normal.hours[12].hit_rate, rel=1e-5)
    told = json.loads(normal.write(tmp_path / "normal.json").read_text())
    assert told == json.loads(json.dumps(normal.to_dict())) and told["zone"] == "UTC"
    vg.save(normal, tmp_path / "kept.json")
    assert vg.load(tmp_path / "kept.json") == normal
    with pytest.raises(vg.InputError, match=r"neither \.csv nor \.json"):
        normal.write(tmp_path / "normal.txt")


def test_only_some_nodes(normal: Expected) -> None:
    of_m = expected(two_days(), PLAN, nodes=["m"])
    here, whole = of_m.at(12 * HOUR, None), normal.at(12 * HOUR, None)
    assert here is not None and whole is not None
    assert here.hit_rate < whole.hit_rate - 0.1 and 120 < here.reads < 240  # few reads keep less
    with pytest.raises(vg.InputError, match="nodes: 'x' is unknown"):
        expected(two_days(), PLAN, nodes=["x"])
    with pytest.raises(vg.RulesError, match="has one cache for all nodes"):
        expected(two_days(), vg.Plan(vg.Rules(per="all")), nodes=["m"])


def test_counters_of_some_nodes_are_compared_with_their_reads_alone() -> None:
    """One node of two runs with other settings; its own counters tell."""
    trace = two_days()
    alone = vg.read_trace(trace.to_pandas().query("node == 'm'"))
    span = int(trace.at[0]) / 1e9, (int(trace.at[-1]) + 1) / 1e9
    for lifetime, matches in (("30m", True), ("3h", False)):
        given = vg.replay(alone, vg.Rules(absolute=lifetime))
        counters = [
            {"at": span[0], "hits": 0, "misses": 0, "evictions": 0},
            {"at": span[1], "hits": given.hits, "misses": given.misses, "evictions": given.evictions},
        ]
        found = vg.confirm(trace, PLAN, counters, nodes=["m"])
        assert found.is_as_predicted is matches
        assert found.compared[0].predicted == pytest.approx(vg.replay(alone, PLAN).hit_rate, abs=1e-12)
    assert found.tries and found.tries[0].off < found.off / 5


def test_it_leaves_the_prediction_once_and_comes_back_once() -> None:
    hours = [Normal(hour, None, 900, 0.8, 0.75, 0.85, 0.16) for hour in range(24)]
    watch = Watch(Expected("made up", hours, 0.01))
    hits, misses, turns = 0, 0, list[Turn]()
    scrapes = [_scrape(BEGINS, 0, 0)]
    for minute in range(1, 100):
        is_bad = 30 <= minute < 60
        hits, misses = hits + (50 if is_bad else 80), misses + (50 if is_bad else 20)
        scrapes.append(_scrape(BEGINS + minute * MINUTE, hits, misses))
        turns += watch.see(counters_of(scrapes[-2:], NAMES))
    assert [one.is_off for one in turns] == [True, False] and watch.off == {} and watch.turns == 1
    off, back = turns
    assert 30 <= (off.at_ns - BEGINS) // MINUTE <= 34 and 65 <= (back.at_ns - BEGINS) // MINUTE <= 70
    assert off.hit_rate < off.low < back.hit_rate


def test_few_reads_and_hours_that_nobody_knows_tell_nothing() -> None:
    watch = Watch(Expected("made up", [Normal(0, None, 900, 0.8, 0.75, 0.85, 0.16)], 0.01))
    few = [_scrape(BEGINS + minute * MINUTE, 0, minute * 5) for minute in range(15)]
    assert [turn for pair in pairwise(few) for turn in watch.see(counters_of(pair, NAMES))] == []
    unknown = [_scrape(BEGINS + 5 * HOUR + minute * MINUTE, 0, minute * 500) for minute in range(5)]
    assert not any(list(watch.see(counters_of(pair, NAMES))) for pair in pairwise(unknown))


def test_a_restart_of_the_service_counts_from_zero() -> None:
    watch = Watch(Expected("made up", [Normal(0, None, 900, 0.8, 0.75, 0.85, 0.16)], 0.01))
    pair = [_scrape(BEGINS, 10_000, 90_000), _scrape(BEGINS + MINUTE, 800, 200)]
    assert list(watch.see(counters_of(pair, NAMES))) == []


def _scrape(at_ns: int, hits: int, misses: int) -> Scrape:
    return Scrape(at_ns, [Sample("hits", {}, hits, ""), Sample("misses", {}, misses, "")])


def test_what_is_kept_is_read_back_whatever_the_labels_are(tmp_path: Path) -> None:
    labels = {"cache": 'a "b"\\ \n #at 5'}
    scrapes = [Scrape(BEGINS + number, [Sample("hits", labels, float(number) * 2**50, "")]) for number in range(3)]
    (tmp_path / "kept.prom").write_text("".join(map(as_text, scrapes)))
    names = vg.CounterNames(hits='hits{cache="{lookup}"}', misses='hits{cache="{lookup}"}')
    found = read_counters(tmp_path / "kept.prom", names)
    assert found.at_ns.tolist() == [one.at_ns for one in scrapes] and found.lookups == [labels["cache"]]
    assert found.values["hits", labels["cache"]].tolist() == [0.0, 2.0**50, 2.0**51]
    assert in_text(as_text(scrapes[1]), "x", 7).samples[0].labels == labels


class Service:
    """A service whose page the test writes."""

    def __init__(self) -> None:
        self.status, self.page = 200, b""
        service = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.send_response(service.status)
                self.send_header("Content-Length", str(len(service.page)))
                self.end_headers()
                self.wfile.write(service.page)

            def log_message(self, *_: object) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}/metrics"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def shows(self, hits: int, misses: int) -> None:
        self.page = (
            f'desk_reads_total{{answer="held",cache="desk"}} {hits}\n'
            f'desk_reads_total{{answer="asked",cache="desk"}} {misses}\nother_total 7\n'
        ).encode()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


@pytest.fixture
def service() -> Iterator[Service]:
    made = Service()
    yield made
    made.stop()


def test_counters_are_fetched_and_kept(service: Service, tmp_path: Path) -> None:
    fetching = Fetching(service.url, BY_LOOKUP, tmp_path / "kept.prom")
    service.shows(0, 0)
    assert fetching.fetch() is None
    service.shows(80, 20)
    counters = fetching.fetch()
    assert counters is not None and counters.rises("hits", "desk").tolist() == [80.0]  # type: ignore[union-attr]
    kept = (tmp_path / "kept.prom").read_text()
    assert "other_total" not in kept and kept.count("# at ") == 2
    assert read_counters(tmp_path / "kept.prom", BY_LOOKUP).rises("misses", "desk").tolist() == [20.0]  # type: ignore[union-attr]


def test_a_service_that_is_away_for_a_while_is_told_once(service: Service, tmp_path: Path) -> None:
    said: list[str] = []
    fetching = Fetching(service.url, BY_LOOKUP, tmp_path / "kept.prom")
    pages = iter([(200, 0), (200, 80), (503, 0), (503, 0), (200, 900), (200, 1000)])

    def turn_page(_: float) -> None:
        try:
            service.status, hits = next(pages)
        except StopIteration:
            raise KeyboardInterrupt from None
        service.shows(hits, hits // 4)

    turn_page(0)
    hours = [Normal(hour, None, 900, 0.8, 0.7, 0.9, 0.16) for hour in range(24)]
    live = Live(fetching, Watch(Expected("made up", hours, 0.05)), 1, said.append, turn_page)
    with pytest.raises(KeyboardInterrupt):
        next(live.turns())
    assert [line.partition(": ")[2] for line in said] == [
        "it answers with status 503; it is asked again every 1.00 ns",
        "answers again",
    ]
    assert live.in_words == "6 scrapes, 2 of them without an answer: the running cache never left the prediction"


def test_what_is_no_page_of_counters(service: Service, tmp_path: Path) -> None:
    service.page = b"<html>hello</html>"
    with pytest.raises(vg.InputError, match="is no text of Prometheus"):
        Fetching(service.url, BY_LOOKUP, tmp_path / "kept.prom").fetch()
    fetching = Fetching(service.url, BY_LOOKUP, tmp_path / "kept.prom")
    service.shows(0, 0)
    fetching.fetch()
    fetching.fetch()
    service.page = b"<html>under repair</html>"
    with pytest.raises(Away, match="its answer has no counters"):
        fetching.fetch()
    service.page = b"x 1\n" * 2**23
    with pytest.raises(vg.InputError, match="gives more than 16 MiB"):
        fetching.fetch()
    service.stop()
    with pytest.raises(Away, match="refused"):
        fetching.fetch()


@pytest.mark.parametrize("url", ["127.0.0.1:9000", "file:///etc/passwd", "http://", "http://[::1", "http://a:99999/"])
def test_what_is_no_address_is_refused(url: str, tmp_path: Path) -> None:
    with pytest.raises(vg.InputError, match="is no address; write it as http://"):
        Fetching(url, NAMES, tmp_path / "kept.prom")


def test_the_command_watches_keeps_and_ends(service: Service, tmp_path: Path) -> None:
    trace = vg.synth(reads=3000, keys=100, seed=2, rate=1)
    vg.write_trace(trace, tmp_path / "reads.arrow")
    asked = ["confirm", "reads.arrow", "--rules", "absolute=10m"]
    done = run(*asked, "--expected", "normal.csv", cwd=tmp_path)
    assert done.returncode == 0 and (tmp_path / "normal.csv").read_text().startswith("hour_utc,lookup,reads,hit_rate")
    service.page = b"hits 0\nmisses 0\n"
    done = run(*asked, "--scrape", service.url, "--every", "100ms", "--for", "1s", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "never left the prediction" in done.stderr and done.stdout == ""
    assert read_counters(tmp_path / "counters.prom", NAMES).rises("hits", None) is not None
    for wrong, said in {
        ("--scrape", "nowhere"): "is no address",
        ("--scrape", service.url, "--every", "0s"): "--every: must be longer than 0s",
        ("--scrape", service.url, "--counters", "a.prom", "--counters", "b.prom"): "name one file",
        ("--scrape", service.url, "--counters", "a.csv"): "name the file .prom",
        (): "no counters: name scrapes",
    }.items():
        done = run(*asked, *wrong, cwd=tmp_path)
        assert done.returncode == 2 and said in done.stderr
