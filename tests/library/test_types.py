"""Scripts of users pass the type checkers, strictly, and what they say of types is so."""

import inspect
import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import get_type_hints

import pytest

import vestigo as vg
from vestigo.rules.plan import Plan
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.read import IntakeOptions

HERE = Path(__file__)
SCRIPT = HERE.with_name("users_script.py")
EXAMPLES = HERE.parents[2] / "examples"
PYRIGHT = HERE.parents[1] / "browser" / "node_modules" / ".bin" / "pyright"
SCRIPTS = [str(SCRIPT), *map(str, sorted(EXAMPLES.glob("*.py")))]


def run(command: list[str], folder: Path) -> str:
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    return "" if done.returncode == 0 else done.stdout + done.stderr


@pytest.fixture(scope="module")
def strict(tmp_path_factory: pytest.TempPathFactory) -> list[str]:
    """mypy, as strict as it can be, with the settings of nobody."""
    kept = tmp_path_factory.mktemp("mypy")
    command = [sys.executable, "-m", "mypy", "--strict", "--config-file=", "--follow-imports=silent"]
    return [*command, f"--cache-dir={kept}"]


def test_mypy_is_content_with_scripts_of_users(strict: list[str], tmp_path: Path) -> None:
    assert run([*strict, *SCRIPTS], tmp_path) == ""


@pytest.mark.skipif(not PYRIGHT.exists(), reason="pyright is not there (Node.js)")
def test_pyright_is_content_with_scripts_of_users(tmp_path: Path) -> None:
    assert run([str(PYRIGHT), "--pythonpath", sys.executable, *SCRIPTS], tmp_path) == ""


def test_the_checkers_find_what_is_wrong(strict: list[str], tmp_path: Path) -> None:
    wrong = tmp_path / "wrong.py"
    lines = ("vg.Rules(max_entires=5)", "vg.read_trace('t.csv', at_units='s')", "vg.replay(5, vg.Rules())")
    wrong.write_text("\n".join(["import vestigo as vg", *lines]))
    said = run([*strict, str(wrong)], tmp_path)
    assert [line.split(":")[1] for line in said.splitlines() if "error" in line and "Found" not in line] == list("234")


def test_a_users_script_runs(tmp_path: Path) -> None:
    shutil.copy(SCRIPT, tmp_path)
    done = subprocess.run([sys.executable, SCRIPT.name], cwd=tmp_path, capture_output=True, text=True, check=True)
    assert int(done.stdout) > 0 and done.stderr == ""


def named_in(kind: type) -> list[str]:
    """The names that the signature for type checkers has."""
    body = inspect.getsource(kind).split("def __init__(")[1].split(") -> None: ...")[0]
    return re.findall(r"^ +(\w+): ", body, re.MULTILINE)


@pytest.mark.parametrize("kind", [vg.Rules, vg.Pool, vg.WhatIf, vg.CounterNames])
def test_the_types_of_rules_name_each_rule(kind: type) -> None:
    """They stand beside the rules, because what a user gives has other types than what a rule holds."""
    assert sorted(named_in(kind)) == sorted(kind.model_fields)  # type: ignore[attr-defined]


def test_the_types_of_a_plan_and_an_intake_name_each_part() -> None:
    assert named_in(Plan) == [name for name, one in Plan.__dataclass_fields__.items() if one.init]
    assert list(get_type_hints(IntakeOptions)) == list(Intake.__dataclass_fields__)
