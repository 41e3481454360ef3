"""Every example runs and prints what is kept beside it."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

EXAMPLES = sorted((Path(__file__).parents[2] / "examples").glob("*.py"))
WITH_NODE = ("beside_a_service",)


@pytest.mark.parametrize("example", EXAMPLES, ids=lambda path: path.stem)
def test_an_example_prints_what_is_kept(example: Path) -> None:
    packages = example.with_suffix("") / "node_modules"
    if example.stem in WITH_NODE and not (shutil.which("node") and packages.exists()):
        pytest.skip("Node.js or its packages are missing")
    done = subprocess.run([sys.executable, str(example)], capture_output=True, text=True, timeout=120)
    assert done.stderr == ""
    assert done.stdout == example.with_suffix(".txt").read_text()
