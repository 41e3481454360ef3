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


def test_what_1_0_promises_is_still_there(monkeypatch: pytest.MonkeyPatch) -> None:
    """A name may go only if it warns of that. What is new is added to the list: scripts/promised.py prints it."""
    monkeypatch.syspath_prepend(str(PROJECT / "scripts"))
    from promised import promised

    there = {
        line.split()[0] if line.startswith("vestigo.") else " ".join(line.split()[:2]): line for line in promised()
    }
    for line in (PROJECT / "tests" / "contract" / "promised.txt").read_text().splitlines():
        words = line.split()
        name, taken = (words[0], words[1:]) if words[0] != "vestigo" else (" ".join(words[:2]), words[2:])
        if name in there:
            assert set(taken) <= set(there[name].split()), f"{name} no longer takes what it promised"
        else:
            module, _, own = name.rpartition(".")
            where = vestigo if module == "vestigo" else getattr(vestigo, module.rpartition(".")[2])
            with pytest.warns(DeprecationWarning, match=own):
                getattr(where, own)
    assert len(there) > 120


def test_every_public_name_stands_on_the_page_of_the_library() -> None:
    page = (PROJECT / "docs" / "api.md").read_text()
    told = re.findall(r"^\.\. auto\w+:: vestigo\.(\w+)$", page, re.M)
    assert sorted(told) == sorted({*dir(vestigo)} - {"__version__", "figures", "shape", "what_if"})


def test_the_version_is_the_same_everywhere() -> None:
    project, citation, changes = (
        (PROJECT / name).read_text() for name in ("pyproject.toml", "CITATION.cff", "CHANGELOG.md")
    )
    assert re.findall(r'^version = "([\d.]+)"', project, re.M) == [vestigo.__version__]
    assert re.findall(r"^version: ([\d.]+)", citation, re.M) == [vestigo.__version__]
    assert re.findall(r"^## ([\d.]+) \(\d{4}-\d\d-\d\d\)", changes, re.M)[0] == vestigo.__version__


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
