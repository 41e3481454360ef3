"""A real service, under load from another process, has a lifetime that its plan does not: that is named."""

import re
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import pytest

from tests.cli.calling import run

HERE = Path(__file__).parent
PLAN = """
[trace]
path = "recording"

[rules]
absolute = "{}"

[counters]
hits = 'desk_reads_total{{answer="held", cache="{{lookup}}"}}'
misses = 'desk_reads_total{{answer="asked", cache="{{lookup}}"}}'
"""


@pytest.mark.clock
def test_a_lifetime_that_is_not_the_plan_s_is_named(tmp_path: Path) -> None:
    command = [sys.executable, str(HERE / "desk_service.py"), str(tmp_path / "recording"), "100"]
    service = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert service.stdout is not None
    port = service.stdout.readline().strip()
    load = subprocess.Popen([sys.executable, str(HERE / "desk_load.py"), port, "4.5"])
    try:
        (tmp_path / "scrapes").mkdir()
        time.sleep(0.5)
        while load.poll() is None:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/metrics", timeout=10) as answer:
                (tmp_path / "scrapes" / f"{time.time_ns()}.prom").write_bytes(answer.read())
            time.sleep(0.25)
    finally:
        load.wait(timeout=30)
        service.communicate(timeout=30)
    for lifetime, status in (("100ms", 0), ("3s", 1)):
        (tmp_path / "plan.toml").write_text(PLAN.format(lifetime))
        done = run("confirm", "--counters", "scrapes", "--tolerate", "4%", cwd=tmp_path)
        assert (done.returncode, done.stderr.count("\n") > 3) == (status, False), done
    said = " ".join(done.stdout.split())
    assert said.startswith("The running cache does not match the prediction: ")
    assert " runs with absolute = " in said, done.stdout
    named = re.split(r"[, ]", said.split(" runs with absolute = ")[1])[0]
    assert 50 <= int(named.removesuffix("ms")) <= 200, done.stdout
