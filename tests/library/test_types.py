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


@pytest.mark.skipif(not PYRIGHT.exists(), reason="pyright is not there (Node.js)")
def test_scripts_of_users_pass_and_what_is_wrong_is_found(tmp_path: Path) -> None:
    """pyright has the settings of nobody here. mypy looks at the same scripts in `make lint`."""
    wrong = tmp_path / "wrong.py"
    lines = ("vg.Rules(max_entires=5)", "vg.read_trace('t.csv', at_units='s')", "vg.replay(5, vg.Rules())")
    wrong.write_text("\n".join(["import vestigo as vg", *lines]))
    command = [str(PYRIGHT), "--pythonpath", sys.executable, *SCRIPTS, str(wrong)]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    found = re.findall(r"(\w+\.py):(\d+):\d+ - error", done.stdout)
    assert list(dict.fromkeys(found)) == [("wrong.py", line) for line in "234"]


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
