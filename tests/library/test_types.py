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
needs_pyright = pytest.mark.skipif(not PYRIGHT.exists(), reason="pyright is not there (Node.js)")


def checked(*files: str, folder: Path) -> str:
    """What pyright says, with the settings of nobody. mypy looks at the same scripts in `make lint`."""
    command = [str(PYRIGHT), "--pythonpath", sys.executable, *files]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    return "" if done.returncode == 0 else done.stdout + done.stderr


@needs_pyright
def test_scripts_of_users_pass(tmp_path: Path) -> None:
    assert checked(*SCRIPTS, folder=tmp_path) == ""


@needs_pyright
def test_what_is_wrong_is_found(tmp_path: Path) -> None:
    wrong = tmp_path / "wrong.py"
    lines = ("vg.Rules(max_entires=5)", "vg.read_trace('t.csv', at_units='s')", "vg.replay(5, vg.Rules())")
    wrong.write_text("\n".join(["import vestigo as vg", *lines]))
    found = re.findall(r"wrong.py:(\d):\d+ - error", checked(str(wrong), folder=tmp_path))
    assert list(dict.fromkeys(found)) == list("234")


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
