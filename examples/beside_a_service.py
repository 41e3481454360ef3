"""From a service in Node.js to settings that are confirmed by the running service, without a line of ours in it.

The desk's service (beside_a_service/service.mjs) sends OpenTelemetry spans. They are recorded, its own cache is driven
with the recording, a size is chosen, the service is started with it, and its counters are held against the prediction.
"""

import http.client
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import vestigo as vg

HERE = Path(__file__).parent / "beside_a_service"
VESTIGO = [sys.executable, "-m", "vestigo"]
READ_AS = ("columns.lookup=vessel", "columns.key={vessel.sign}", "columns.size={vessel.bytes}",
           "null_where.vessel.known=false")  # fmt: skip
COUNTED = vg.CounterNames(
    hits='desk_reads_total{answer="hit"}', misses='desk_reads_total{answer="miss"}', entries="desk_entries"
)


@contextmanager
def recorded(folder: Path) -> Iterator[str]:
    """Runs `vestigo listen`, waits until it listens, and gives the address for the service."""
    intake = [word for option in READ_AS for word in ("--intake", option)]
    command = [
        *VESTIGO,
        "listen",
        str(folder),
        "--address",
        "127.0.0.1:0",
        "--span-writes",
        "name=vessel.store",
        *intake,
    ]
    listener = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        assert listener.stderr is not None
        yield listener.stderr.readline().split("listening at ")[1].split(";")[0]
    finally:
        listener.terminate()
        said, _ = listener.communicate(timeout=30)
    print(f"listen: {said.splitlines()[0].removeprefix(f'{folder}: ')}")


@contextmanager
def service(endpoint: str, most: int) -> Iterator[http.client.HTTPConnection]:
    """The desk, with room for `most` vessels. When it ends, it sends the remaining spans."""
    command = ["node", str(HERE / "service.mjs"), endpoint, str(most)]
    desk = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert desk.stdout is not None
    try:
        yield http.client.HTTPConnection("127.0.0.1", int(desk.stdout.readline()), timeout=30)
    finally:
        desk.communicate(timeout=30)


def ask(connection: http.client.HTTPConnection, seed: int) -> None:
    """Sends 2,000 requests, one after the other: some vessels are asked for often, some are not known, some are
    stored.
    """
    draw = random.Random(seed)
    for number in range(2000):
        sign = f"Q{min(int(draw.paretovariate(0.4)), 400)}"
        request(connection, "PUT" if number % 40 == 39 else "GET", f"/vessels/{sign}")


def request(connection: http.client.HTTPConnection, method: str, path: str) -> str:
    connection.request(method, path)
    return connection.getresponse().read().decode()


def main(folder: Path) -> None:
    with recorded(folder / "before") as endpoint, service(endpoint, most=20) as desk:
        ask(desk, seed=1)

    today = vg.Rules(max_entries=20, nulls="keep", on_write="drop")
    before = vg.read_trace(folder / "before")
    driven = vg.drive(before, settings=today, command=f"node {HERE / 'driven.mjs'} 20")
    print(f"drive: {driven.differ} of {driven.driven.reads:,} reads are answered otherwise than in the replay")

    roomier = {f"room for {most}": today.model_copy(update={"max_entries": most}) for most in (40, 80, 160, 320)}
    plan = vg.Plan(today, candidates=roomier, counters=COUNTED)
    results = vg.compare(before, plan)
    fitting = [name for name in plan.candidates if results[name].memory_peak <= 10 * 1024]
    pick = max(fitting, key=lambda name: results[name].hit_rate)
    chosen = vg.Plan(roomier[pick], counters=COUNTED)
    print(f"compare: {pick} gives most hits of what fits into 10 KiB")

    scrapes = [folder / "first.prom", folder / "last.prom"]
    with recorded(folder / "after") as endpoint, service(endpoint, chosen.rules.max_entries or 0) as desk:
        scrapes[0].write_text(request(desk, "GET", "/metrics"))
        ask(desk, seed=3)
        scrapes[1].write_text(request(desk, "GET", "/metrics"))

    for settings, what in ((chosen, "as chosen"), (plan, "as it was before")):
        confirmation = vg.confirm(vg.read_trace(folder / "after"), settings, scrapes, tolerate="3%")
        rate = confirmation.compared[0]
        print(
            f"confirm, {what}: {10 * rate.measured:.0f} in 10 reads are hits, {10 * rate.predicted:.0f} predicted",
            end="; ",
        )
        best = confirmation.explained_by
        print("as predicted" if best is None else f"not as predicted: {', '.join(best.changes)} is another one there")


if __name__ == "__main__":
    if shutil.which("node") is None or not (HERE / "node_modules").exists():
        print("Node.js or its packages are missing (npm install in beside_a_service): nothing was recorded")
    else:
        with tempfile.TemporaryDirectory() as name:
            main(Path(name))
