"""A sweep on a real cluster of two processes. One of them is killed during the sweep."""

import os
import signal
from pathlib import Path

import pytest
from distributed import Client, LocalCluster

from tests.cli.calling import run
from vestigo import Plan, Rules, sweep, synth, write_trace
from vestigo.cli import cluster

PLAN = Plan(Rules(absolute="1m"), vary={"rules.max_entries": list(range(10, 200, 5)), "rules.eviction": ["lru", "arc"]})


@pytest.mark.filterwarnings("ignore")
def test_a_killed_worker_changes_nothing(tmp_path: Path) -> None:
    path = tmp_path / "t.arrow"
    trace = synth(reads=40_000, keys=2000, skew=0.8, changes="10m", seed=1)
    write_trace(trace, path)
    killed: list[int] = []
    with (
        LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster,
        Client(cluster) as client,
    ):
        process_ids = list(client.run(os.getpid).values())

        def kill_one(_: str, done: int, *__: int) -> None:
            if done >= 10 and not killed:
                killed.append(process_ids[0])
                os.kill(process_ids[0], signal.SIGKILL)

        study = sweep(path, PLAN, executor=client.get_executor(), progress=kill_one)
    assert killed
    assert study.to_dict() == sweep(trace, PLAN).to_dict()


@pytest.mark.filterwarnings("ignore")
def test_the_command_line_names_a_cluster(tmp_path: Path) -> None:
    write_trace(synth(reads=5000, keys=100, seed=1), tmp_path / "t.arrow")
    (tmp_path / "plan.toml").write_text('[trace]\npath = "t.arrow"\n[vary]\n"rules.max_entries" = [5, 50]\n')
    with LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None) as cluster:
        done = run("choose", "--front", "--cluster", cluster.scheduler_address, "--no-results", cwd=tmp_path)
        chosen = run("choose", "--cluster", cluster.scheduler_address, cwd=tmp_path)
    assert (done.returncode, done.stdout.splitlines()[0][:14]) == (0, "3 candidates, ")
    assert chosen.stdout.startswith("Today's settings are the best of 3 candidates: ")


def test_a_cluster_that_is_not_there_and_a_trace_that_is_not_prepared(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster, "_PATIENCE_SECONDS", 1)
    (tmp_path / "t.csv").write_text("at,key\n1,a\n2,a\n")
    (tmp_path / "plan.toml").write_text('[trace]\npath = "t.csv"\n[vary]\n"rules.max_entries" = [1, 2]\n')
    done = run("choose", "--front", "--plan", "plan.toml", "--cluster", "tcp://127.0.0.1:1", cwd=tmp_path)
    assert done.returncode == 2
    assert "prepare it first: vestigo convert" in done.stderr
    write_trace(synth(reads=50, keys=5, seed=1), tmp_path / "t.arrow")
    done = run("choose", "--front", "t.arrow", "--plan", "plan.toml", "--cluster", "tcp://127.0.0.1:1", cwd=tmp_path)
    assert done.returncode == 2
    assert "--cluster tcp://127.0.0.1:1: cannot be reached" in done.stderr
    done = run(
        "choose", "--front", "t.arrow", "t.csv", "--plan", "plan.toml", "--cluster", "tcp://127.0.0.1:1", cwd=tmp_path
    )
    assert done.returncode == 2 and "the workers open one prepared trace" in done.stderr
