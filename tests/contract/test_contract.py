"""What the project promises: its public names, the edges of its layers, its README, its demo data."""

import re
import subprocess
import sys
from pathlib import Path

import matplotlib
import pyarrow.parquet as pq
import pytest

import vestigo
from vestigo import synth, write_trace
from vestigo.demo import files, generate

ROOT = Path(vestigo.__file__).parent
PROJECT = Path(__file__).parents[2]


def test_every_public_name_is_there_documented_and_listed() -> None:
    stub = (ROOT / "__init__.pyi").read_text()
    listed = re.findall(r'^    "(\w+)",$', stub, re.M)
    assert sorted(listed) == listed
    assert set(listed) == {*dir(vestigo), "__version__"}
    for name in dir(vestigo):
        assert getattr(vestigo, name).__doc__
    with pytest.raises(AttributeError, match="reply"):
        vestigo.reply  # noqa: B018


def test_three_packages_know_the_kernel() -> None:
    knows = {path.parent for path in ROOT.rglob("*.py") if re.search(r"import kernel", path.read_text())}
    assert knows == {ROOT / "prepared", ROOT / "engine", ROOT / "engine" / "native"}


def test_the_readmes_ten_lines_run_on_a_file_of_ones_own(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    matplotlib.use("agg")
    (code,) = re.findall(r"```python\n(.*?)```", (PROJECT / "README.md").read_text(), re.S)
    assert len(code.strip().splitlines()) <= 10
    write_trace(synth(3_000, keys=3_000, skew=0.5, seed=1), "reads.csv")
    exec(compile(code, "README", "exec"), {})
    assert "Found settings with hit rate " in capsys.readouterr().out
    assert (tmp_path / "report.html").stat().st_size > 1_000_000


def test_the_readme_links_every_screenshot() -> None:
    shots = {path.name for path in (PROJECT / "docs" / "screenshots").iterdir()}
    readme, pictures = (PROJECT / "README.md").read_text(), (PROJECT / "docs" / "pictures.md").read_text()
    assert shots == set(re.findall(r"\]\(screenshots/([\w.-]+)\)", pictures))
    assert shots == set(re.findall(r"docs/screenshots/([\w.-]+)", readme))


def test_the_reference_is_what_the_tables_say() -> None:
    done = subprocess.run(
        [sys.executable, "scripts/reference.py", "--check"], cwd=PROJECT, capture_output=True, text=True
    )
    assert (done.returncode, done.stderr) == (0, "")


def test_the_demo_data_is_what_the_generator_makes() -> None:
    shipped = ROOT / "demo" / files.TRACE
    assert shipped.stat().st_size < 3_000_000
    table = generate.generate()
    assert table.equals(pq.read_table(shipped))
    assert len(table) >= 150_000


def test_the_version_is_one() -> None:
    assert f'version = "{vestigo.__version__}"' in (PROJECT / "pyproject.toml").read_text()
