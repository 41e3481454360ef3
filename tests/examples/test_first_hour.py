"""The first hour, followed to the letter: the demo, then each command of the page, which prints what the page shows."""

from pathlib import Path

import pytest

from tests.cli.calling import run, run_apart

PROJECT = Path(__file__).parents[2]


def test_the_demo_and_every_step_print_what_the_page_shows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(str(PROJECT / "scripts"))
    import first_hour  # type: ignore[import-not-found]

    demo, *steps = first_hour.first_hour()
    assert len(steps) == 9 and all(step.shown for step in steps)
    _check_demo(tmp_path, *demo.words)
    for step in steps:
        done = run(*step.words, cwd=tmp_path / first_hour.FOLDER)
        assert done.returncode == step.status, done.stderr
        assert step.missing(done.stdout) == []


def _check_demo(folder: Path, *words: str) -> None:
    """It answers within 100 columns, without a blank at the end of a line, and leaves its files."""
    done = run_apart(*words, cwd=folder)
    assert done.returncode == 0 and done.stderr == ""
    names = sorted(path.name for path in (folder / "harbour").iterdir())
    expected = "odd-keys.csv picked.toml plan.results plan.toml report.html skerrow-quay.parquet"
    assert names == expected.split()
    printed = done.stdout.splitlines()
    assert "\nReplayed: 4 nodes, a cache each. Today's settings answer 39.8 % of 153,193 reads" in done.stdout
    assert "\nFound settings with fresh hits 72.2 % (today 32.9 %)" in done.stdout
    assert not any(line.endswith(" ") for line in printed) and max(map(len, printed)) <= 100
    for name in ("no cache", "today", "half-a-day", "no limits, fresh"):
        assert any(line.startswith(name) for line in printed)
