"""The recipes of docs/from-your-service.md run as they stand, with small services in place of the reader's own."""

import os
import re
import socket
import subprocess
import sys
from pathlib import Path

import pytest

PAGE = (Path(__file__).parents[2] / "docs" / "from-your-service.md").read_text()
RECIPES = re.findall(r"^```sh\n(.*?)^```", PAGE, re.DOTALL | re.MULTILINE)
EXPECTED = [
    "SELECT vessels  worth keeping",
    "vessel  worth keeping",
    "vessel  ",
    "berth_status  ",
    "vessel  ",
]
SERVICE = """
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor
from opentelemetry.trace import SpanKind

provider = TracerProvider()
provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter()))
tracer = provider.get_tracer("desk")
for number in range(200):
    SPAN
provider.shutdown()
"""
DATABASE = """with tracer.start_as_current_span("SELECT vessels", kind=SpanKind.CLIENT, attributes={
        "db.query.summary": "SELECT vessels", "db.query.text": "SELECT * FROM vessels WHERE sign = ?",
        "db.query.parameter.0": f"Q{number % 9}", "db.response.returned_rows": 1}): pass"""
OWN = """with tracer.start_as_current_span("vessel.store" if number % 20 == 19 else "vessel.read",
        attributes={"vessel.sign": f"Q{number % 9}"}): pass"""


def free_port() -> int:
    with socket.socket() as listening:
        listening.bind(("127.0.0.1", 0))
        return int(listening.getsockname()[1])


@pytest.mark.parametrize(("recipe", "expected"), list(zip(RECIPES, EXPECTED, strict=True)))
def test_a_recipe_runs_as_it_stands(tmp_path: Path, recipe: str, expected: str) -> None:
    (tmp_path / "desk_with_database_spans.py").write_text(SERVICE.replace("SPAN", DATABASE))
    (tmp_path / "desk_with_spans_of_its_own.py").write_text(SERVICE.replace("SPAN", OWN))
    port = str(free_port())
    script = recipe.replace("4318", port).replace("vestigo listen", f"vestigo listen --address 127.0.0.1:{port}")
    is_there = f"until (echo > /dev/tcp/127.0.0.1/{port}) 2> /dev/null; do sleep 0.1; done"
    script = script.replace("--for 12s", "--for 10s").replace("sleep 3", is_there)
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    done = subprocess.run(
        ["bash", "-euc", script],
        cwd=tmp_path,
        env={**os.environ, "PATH": path},
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert done.returncode == 0, done.stderr
    assert expected in done.stdout
