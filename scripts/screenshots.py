"""Makes docs/screenshots/ from the demo data: ``make screenshots``.

Needs Debian's packages xvfb, xterm, x11-apps, imagemagick and fonts-dejavu-core for the terminal's picture, and
chromium for pages.
"""

import dataclasses
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import matplotlib
import pandas as pd

from vestigo import compare, figures, read_by_read, read_plan, read_trace, search, size_curve, survey, why, write_trace
from vestigo.demo.files import write_demo

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
VESTIGO = Path(sys.executable).parent / "vestigo"
_MILLISECONDS_FOR_THE_LINE = 15_000


AS_SPANS = """
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor

import vestigo as vg

trace = vg.read_trace("vestigo-demo/skerrow-quay.parquet").block(0, 20_000)
provider = TracerProvider()
provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter(), max_queue_size=40_000))
tracer = provider.get_tracer("desk")
columns = (trace.at, trace.op, trace.lookup, trace.key, trace.cost, trace.found)
for at, op, lookup, key, cost, found in zip(*(column.tolist() for column in columns)):
    if op < 2:
        about = {"desk.lookup": trace.lookups[lookup], "desk.key": str(trace.keys[key]), "desk.found": found != 0}
        name = f"{trace.lookups[lookup]}.{'read' if op == 0 else 'store'}"
        tracer.start_span(name, attributes=about, start_time=at).end(at + max(cost, 0))
provider.shutdown()
"""
"""The demo's first events as a service would send them."""

LISTEN = (
    "vestigo listen recording --for 25s --span-writes 'name={...}.store' --intake 'columns.lookup={desk.lookup}' "
    "--intake 'columns.key={desk.key}' --intake null_where.desk.found=false"
)


def beside_a_service(folder: Path) -> None:
    """The counters of a desk whose settings differ from the plan's, every half hour of the demo's two days."""
    trace, plan = write_demo(folder / "vestigo-demo")
    live = read_plan(plan).changed({"lookup.vessel.sliding": "1m"})
    reads = read_by_read(trace, live).to_pandas()
    reads["hits"], reads["misses"] = reads["answer"] == "hit", reads["answer"] != "hit"
    rises = reads.groupby([pd.Grouper(key="at", freq="30min", label="right"), "lookup"], observed=True)[
        ["hits", "misses"]
    ].sum()
    rises.groupby("lookup", observed=True).cumsum().reset_index().to_csv(folder / "counted.csv", index=False)


def two_days(folder: Path) -> None:
    """The demo's days as two recordings. On the second, there are twice as many vessels."""
    trace = read_trace(write_demo(folder / "vestigo-demo")[0])
    middle = int(trace.at.searchsorted(trace.at[0] + trace.span_ns // 2))
    write_trace(trace.block(0, middle), folder / "monday.parquet")
    later = trace.block(middle, len(trace)).to_pandas()
    is_other = (later["lookup"] == "vessel") & (later.index % 2 == 0)
    later.loc[is_other, "key"] += "-2"
    write_trace(read_trace(later), folder / "tuesday.parquet")


def figure_shots(folder: Path) -> None:
    matplotlib.use("agg")
    trace, plan = write_demo(folder)
    read = read_trace(trace)
    results = compare(read, read_plan(plan))
    figures.timeline(results["today"])[0].figure.savefig(SHOTS / "timeline.png", dpi=100)
    page = figures.survey(dataclasses.replace(survey(read), source="Skerrow Quay"))
    page[0].figure.savefig(SHOTS / "survey-figures.png", dpi=100)
    stated = read_plan(plan)
    story = why(read, stated, lookup="berth", key="A2")
    figures.story(story).figure.savefig(SHOTS / "story.png", dpi=100)
    found = search(read, stated)
    curves = [size_curve(read, stated, lookup=name) for name in read.lookups]
    page = figures.choice(found, found.choose(), curves, results["today"])
    page[0].figure.savefig(SHOTS / "choice.png", dpi=100)


def browser_shots(folder: Path) -> None:
    """Takes pictures of the report, and of the page with knobs with the best within 16 MiB, in Debian's Chromium."""
    from playwright.sync_api import sync_playwright

    demo = folder / "vestigo-demo"
    command = [VESTIGO, "explore", "--plan", "plan.toml"]
    server = subprocess.Popen(command, cwd=demo, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert server.stdout is not None
    address = server.stdout.readline().strip()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto((demo / "report.html").as_uri())
            page.wait_for_selector("html[data-drawn]")
            page.screenshot(path=SHOTS / "report.png")
            page.goto(address)
            page.wait_for_selector("html[data-drawn]")
            page.locator("#use-best:enabled").wait_for(timeout=120_000)
            page.wait_for_timeout(_MILLISECONDS_FOR_THE_LINE)
            page.fill("#limit-memory_peak", "16 MiB")
            page.press("#limit-memory_peak", "Enter")
            page.locator("#best-said", has_text="Nothing else that was tried").wait_for()
            page.locator("#place").select_option("lookup.vessel")
            page.wait_for_timeout(1_000)
            page.screenshot(path=SHOTS / "explore.png")
            browser.close()
    finally:
        server.terminate()
        server.wait()


def terminal_shot(name: str, command: str, folder: Path, points: int = 11) -> None:
    """Takes a picture of what a command prints, in an xterm on a virtual screen, when the command has ended. Long
    output has smaller letters.
    """
    display = ":97"
    server = subprocess.Popen(["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    env = {"DISPLAY": display, "PATH": f"{VESTIGO.parent}:{os.environ['PATH']}", "HOME": str(folder), "LANG": "C.UTF-8"}
    cells = {11: "140x42+0+0", 9: "157x52+0+0"}[points]
    look = ["-fa", "DejaVu Sans Mono", "-fs", str(points), "-geometry", cells, "-bg", "#fbfaf7", "-fg", "#22303a"]
    shown = f"printf '%s\\n' {shlex.quote(f'$ {command}')}; {command}; touch ended; sleep 60"
    ended = folder / "ended"
    try:
        time.sleep(1)
        terminal = subprocess.Popen(["xterm", *look, "-b", "12", "-e", "sh", "-c", shown], env=env, cwd=folder)
        until = time.monotonic() + 120
        while time.monotonic() < until and not ended.exists():
            time.sleep(0.2)
        time.sleep(1)  # the terminal draws
        subprocess.run(["import", "-window", "root", str(SHOTS / name)], env=env, check=True)
        terminal.terminate()
        terminal.wait()
    finally:
        ended.unlink(missing_ok=True)
        server.terminate()
        server.wait()


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        figure_shots(Path(folder) / "vestigo-demo")
        terminal_shot("demo.png", "vestigo demo | tail -50", Path(folder), 9)
        browser_shots(Path(folder))
        terminal_shot("choose.png", "vestigo choose --plan vestigo-demo/plan.toml", Path(folder))
        terminal_shot("front.png", "vestigo choose --front --plan vestigo-demo/plan.toml", Path(folder), 9)
        first = "vestigo replay vestigo-demo/skerrow-quay.parquet --rules max_entries=500 --rules absolute=10m"
        terminal_shot("replay.png", first, Path(folder), 9)
        asked = (
            "vestigo why --plan vestigo-demo/plan.toml --lookup berth --key A2 --node quay-4 --at '2026-03-17 00:35:17'"
        )
        terminal_shot("why.png", asked, Path(folder), 9)
        terminal_shot(
            "check.png", "vestigo check --plan vestigo-demo/plan.toml --no-results | head -50", Path(folder), 9
        )
        terminal_shot("rehearse.png", "vestigo rehearse --plan vestigo-demo/plan.toml --slow 500ms", Path(folder), 9)
        beside_a_service(Path(folder))
        terminal_shot(
            "confirm.png", "vestigo confirm --plan vestigo-demo/plan.toml --counters counted.csv", Path(folder), 9
        )
        (Path(folder) / "send.py").write_text(AS_SPANS)
        listen = f"{LISTEN} & (sleep 2; python send.py || touch failed); wait; vestigo survey recording | head -40"
        terminal_shot("listen.png", listen, Path(folder), 9)
        if (Path(folder) / "failed").exists():
            sys.exit("listen.png: its sender failed; correct AS_SPANS")
        shutil.copy(SHOTS.parents[1] / "examples" / "caches" / "lru.mjs", Path(folder) / "my-cache.mjs")
        rules = "--rules max_entries=300 --rules absolute=10m --rules on_write=drop"
        drive = f"vestigo drive vestigo-demo/skerrow-quay.parquet {rules} --command 'node my-cache.mjs 300 600'"
        terminal_shot("drive.png", drive, Path(folder), 9)
        terminal_shot("curve.png", "vestigo curve --plan vestigo-demo/plan.toml", Path(folder))
        terminal_shot("survey.png", "vestigo survey vestigo-demo/skerrow-quay.parquet", Path(folder), 9)
        two_days(Path(folder))
        drift = "vestigo check tuesday.parquet --before monday.parquet --plan vestigo-demo/picked.toml --no-results"
        terminal_shot("drift.png", drift, Path(folder), 9)


if __name__ == "__main__":
    main()
