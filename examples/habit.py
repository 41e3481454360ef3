"""The whole habit: record, choose, deploy by template, watch, see the drift, choose again. Each step is a command."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

import vestigo as vg

HERE = Path(__file__).parent
WEEK_NS = 7 * 86_400 * 10**9
MONDAY_NS = 1_773_619_200 * 10**9
PLAN = """\
[rules]
max_entries = 100
absolute    = "10m"

[aim]
most        = "hit_rate"
memory_peak = "<= 800 KiB"

[counters]
hits   = 'desk_reads_total{answer="held",cache="{lookup}"}'
misses = 'desk_reads_total{answer="asked",cache="{lookup}"}'
"""


def week(begins_ns: int, seed: int, vessels_later: int) -> vg.Trace:
    """A week of reads. In its second half there may be another number of vessels."""
    draws = np.random.default_rng(seed)
    at = np.sort(draws.integers(begins_ns, begins_ns + WEEK_NS, 20_000))
    of_vessels = draws.random(len(at)) < 0.7
    vessels = np.where(at < begins_ns + WEEK_NS // 2, 400, vessels_later)
    vessel, tide = vessels * draws.random(len(at)) ** 2, 30 * draws.random(len(at))
    key = np.where(of_vessels, vessel, tide).astype(int)
    size = np.where(of_vessels, 1500, 6000)
    return vg.read_trace({"at": at, "lookup": np.where(of_vessels, "vessel", "tide"), "key": key, "size": size})


def vestigo(*words: str) -> str:
    """What a command prints."""
    done = subprocess.run([sys.executable, "-m", "vestigo", *words], capture_output=True, text=True)
    assert done.returncode in (0, 1), done.stderr
    said = " ".join("URL" if word.startswith("http:") else word for word in words)
    return f"$ vestigo {said}\n{done.stdout}(exit status {done.returncode})\n"


def head(text: str, lines: int) -> None:
    print("\n".join(text.splitlines()[:lines]))
    print(text.splitlines()[-1], end="\n\n")


with tempfile.TemporaryDirectory() as folder:
    here = HERE.resolve()
    os.chdir(folder)
    vg.write_trace(week(MONDAY_NS, 1, 400), "first.arrow")
    vg.write_trace(week(MONDAY_NS + WEEK_NS, 2, 2_000), "second.arrow")
    Path("plan.toml").write_text(PLAN)
    Path("desk.json.j2").write_bytes((here / "forms" / "desk.json.j2").read_bytes())
    deploy = ("--write", "desk.json", "--template", "desk.json.j2")

    head(vestigo("choose", "first.arrow", "--write", "picked.toml"), 3)
    head(vestigo("choose", "first.arrow", *deploy), 1)
    print(Path("desk.json").read_text())

    # The second week: the service runs with these settings, and is watched until something is off.
    command = [sys.executable, here / "habit" / "desk.py", "desk.json", "first.arrow", "second.arrow"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as service:
        assert service.stdout is not None
        url = service.stdout.readline().strip()
        watched = ("--plan", "picked.toml", "--every", "1ms", "--until-off", "--scrape", url)
        print(vestigo("confirm", "first.arrow", *watched))

    before = ("--before", "first.arrow", "--plan", "picked.toml")
    head(vestigo("check", "second.arrow", *before, *deploy), 12)
    print(Path("desk.json").read_text())
