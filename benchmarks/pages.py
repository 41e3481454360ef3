"""How long pages take in a browser: until the report is drawn, and from a turn of a knob to the numbers on the screen.

It uses the demo, and 10 M Zipf(0.9) reads over 1 M keys. It needs Debian's chromium and the package playwright.
"""

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import vestigo as vg
from vestigo.demo.files import write_demo

VESTIGO = Path(sys.executable).parent / "vestigo"
TURNS = 30
MEASURED = {"sample": "sample drawn", "exact": "change drawn"}


@contextmanager
def exploring(folder: Path, *words: str) -> Iterator[tuple[str, float]]:
    """The address of the page, and the seconds until it was served."""
    begun = time.monotonic()
    command = [VESTIGO, "explore", *words]
    server = subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert server.stdout is not None
    try:
        yield server.stdout.readline().strip(), time.monotonic() - begun
    finally:
        server.terminate()
        server.wait()


def turned(page: Any, address: str, rule: str, key: str) -> dict[str, list[float]]:
    """Milliseconds from the input event to the drawn numbers, by the browser's own timeline."""
    page.goto("about:blank")  # another fragment alone would not load the page anew
    page.goto(address)
    page.wait_for_selector("html[data-drawn]")
    page.wait_for_timeout(500)
    page.evaluate("performance.clearMeasures()")
    slider = page.get_by_label(f"{rule}, slider")
    slider.focus()
    for turn in range(1, TURNS + 1):
        page.keyboard.press(key)
        while page.evaluate("performance.getEntriesByName('change drawn').length") < turn:
            page.wait_for_timeout(20)
        page.wait_for_timeout(200)
    durations = "performance.getEntriesByName(%s).map((one) => one.duration)"
    return {name: page.evaluate(durations % json.dumps(entry)) for name, entry in MEASURED.items()}


def show(name: str, times: dict[str, list[float]]) -> None:
    for kind, each in times.items():
        if each:
            slow = sorted(each)[int(len(each) * 0.9)]
            print(f"{name}, {kind}: median {statistics.median(each):.0f} ms, nine of ten within {slow:.0f} ms")


def main() -> None:
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as name, sync_playwright() as playwright:
        folder = Path(name)
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        trace, plan = write_demo(folder / "demo")
        begun = time.monotonic()
        report = vg.report(trace, plan).write(folder / "report.html")
        print(f"report of the demo: {time.monotonic() - begun:.1f} s, {report.stat().st_size / 1e6:.2f} MB")
        drawn = []
        for _ in range(5):
            page.goto(report.as_uri())
            page.wait_for_selector("html[data-drawn]")
            drawn.append(page.evaluate("performance.now()"))
        print(f"report in the browser: all charts drawn after {statistics.median(drawn):.0f} ms")
        with exploring(folder / "demo", "--plan", "plan.toml") as (address, seconds):
            print(f"explore on the demo: ready after {seconds:.1f} s")
            show("max_entries", turned(page, address, "max_entries", "ArrowLeft"))
            tended = "#lookup.berth.tell_nodes=copy&lookup.berth.on_write=replace&rules.overlap=join"
            show("absolute, where servers tell each other", turned(page, address + tended, "absolute", "ArrowRight"))
        vg.write_trace(vg.synth(10_000_000, keys=1_000_000, skew=0.9, seed=1), folder / "long.arrow")
        with exploring(folder, "long.arrow", "--rules", "max_entries=20000") as (address, seconds):
            print(f"explore on 10 M reads: ready after {seconds:.1f} s")
            show("max_entries", turned(page, address, "max_entries", "ArrowLeft"))
        browser.close()


if __name__ == "__main__":
    main()
