"""The report collects what the other functions say, and its page needs nothing from elsewhere."""

import hashlib
import re
from base64 import b64encode
from dataclasses import replace
from pathlib import Path

import matplotlib.pyplot as plt
import pytest

import vestigo as vg
from vestigo.demo.files import write_demo

EXTERNAL = re.compile(r"""(?:src|href)=["'](?!#)|url\((?!["']?#)|@import""")


@pytest.fixture(scope="module")
def morning(tmp_path_factory: pytest.TempPathFactory) -> tuple[vg.Trace, vg.Plan]:
    """An hour of the demo, and seven candidates."""
    trace, plan_file = write_demo(tmp_path_factory.mktemp("demo"))
    few = {"rules.absolute": ["10m", "4h"], "lookup.chart.max_bytes": ["4 MiB", "8 MiB"]}
    plan = replace(vg.read_plan(plan_file), vary=few)
    return vg.shape.between(vg.read_trace(trace), "5h", "6h"), plan


@pytest.fixture(scope="module")
def made(morning: tuple[vg.Trace, vg.Plan]) -> vg.Report:
    return vg.report(*morning, asked=["morning.parquet", "--plan", "plan.toml"])


def test_its_parts_are_what_the_functions_give(morning: tuple[vg.Trace, vg.Plan], made: vg.Report) -> None:
    trace, plan = morning
    found = vg.sweep(trace, plan)
    assert made.pick == found.choose()
    assert made.survey == vg.survey(trace) and made.comparison == vg.compare(trace, plan)
    assert made.check == vg.check(trace, plan)
    assert made.picked.hits == found[made.pick.candidate.name].hits
    assert {one.name for one in made.curves} == set(trace.lookups)
    worst = vg.key_by_key(trace, plan).worst("origin_time_ns", 1)[0]
    assert made.stories[0].key == str(trace.keys[worst])
    again = vg.report(trace, plan, found=found, asked=["morning.parquet", "--plan", "plan.toml"])
    assert again == made


def test_it_is_saved_and_told_as_data(made: vg.Report, tmp_path: Path) -> None:
    assert vg.load(vg.save(made, tmp_path / "report.json")) == made
    told = made.to_dict()
    assert told["pick"]["name"] == made.pick.candidate.name and told["events"] == made.events
    assert str(made).startswith("Replayed: 4 nodes") and made.pick.because[0] in repr(made)
    assert len(made.to_pandas()) == len(made.found)


def test_the_page_is_the_same_each_time_says_the_answer_and_lets_nothing_in(made: vg.Report, tmp_path: Path) -> None:
    page = made.write(tmp_path / "report.html").read_text(encoding="utf-8")
    assert page == made.to_html() and len(page.encode()) < 6_000_000
    assert made.pick.because[0].split(":")[0] in page
    assert "vestigo choose morning.parquet --plan plan.toml" in page
    assert made.digest in page and f"Vestigo {vg.__version__}" in page
    assert "an overhead of 64\u00a0bytes an entry" in page  # a number and its unit are never parted
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', page)
    assert policy is not None
    said = policy[1].replace("&#39;", "'")
    assert said.startswith("default-src 'none'; script-src 'sha256-") and "connect-src 'none'" in said
    scripts = re.findall(r"<script>(.*?)</script>", page, re.DOTALL)
    assert len(scripts) == 3 and "unsafe-eval" not in said
    for text in scripts:
        assert b64encode(hashlib.sha256(text.encode()).digest()).decode() in said
    markup = re.sub(r"<script.*?</script>", "", page, flags=re.DOTALL)
    assert EXTERNAL.findall(markup) == []


def test_without_other_settings_it_says_that_nothing_was_compared() -> None:
    trace = vg.synth(2_000, keys=100, seed=1)
    made = vg.report(trace, vg.Rules(max_entries=20))
    page = made.to_html()
    assert not made.is_choice
    assert "No others were compared" in page and "What changes" not in page
    assert "vg.report(trace, plan)" in page


def test_where_staleness_is_unknown_nothing_is_said_of_it() -> None:
    trace = vg.read_trace({"at": [0, 10, 20, 30, 40], "key": ["a", "b", "a", "c", "a"]})
    made = vg.report(trace, vg.Plan(vg.Rules(max_entries=1), vary={"rules.max_entries": [2]}))
    page = made.to_html()
    assert not made.found.stale_known
    assert ">fresh hits<" not in page and "how many are stale is not known" in page


def test_where_no_candidate_keeps_the_limits_the_closest_is_named() -> None:
    trace = vg.synth(2_000, keys=100, seed=1)
    aim = vg.Aim(most="hit_rate", limits={"memory_peak": "<= 100 B"})
    page = vg.report(trace, vg.Plan(vg.Rules(max_entries=20), vary={"rules.max_entries": [10]}, aim=aim)).to_html()
    page = page.replace("\u00a0", " ")
    assert (
        "The closest is &#39;max_entries=10&#39;: memory peak 38.7 KiB, and the limit is &lt;= 100 B" in page
        and "the closest</th>" in page
    )


def test_a_trace_without_reads_is_refused() -> None:
    with pytest.raises(vg.InputError, match="holds no reads"):
        vg.report(vg.read_trace({"at": [], "key": []}), vg.Rules())


def test_one_event_is_enough_and_a_file_that_cannot_be_written_is_said(tmp_path: Path) -> None:
    made = vg.report({"at": [5], "key": ["a"]}, vg.Rules())
    with pytest.raises(vg.InputError, match=r"report\.html: cannot be written"):
        made.write(tmp_path / "nowhere" / "report.html")
    assert list(tmp_path.iterdir()) == []


def test_figures_that_others_left_open_are_no_matter_and_stay() -> None:
    open_before = [plt.figure().number for _ in range(20)]
    trace = vg.synth(2_000, keys=100, seed=1)
    assert vg.report(trace, vg.Rules(max_entries=10)).to_html().startswith("<!doctype html>")
    assert plt.get_fignums() == open_before
