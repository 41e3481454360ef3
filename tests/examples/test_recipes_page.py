"""The recipes of docs/recipes.md run as they stand, on small files of the kinds that they name."""

import gzip
import re
import shlex
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import run
from vestigo.demo.files import write_demo

PAGE = (Path(__file__).parents[2] / "docs" / "recipes.md").read_text()
COMMANDS = [
    line
    for block in re.findall(r"^```sh\n(.*?)^```", PAGE, re.DOTALL | re.MULTILINE)
    for line in block.replace("\\\n", "").splitlines()
]
ELSEWHERE = ("listen recording", "survey recording", "--cluster")
"""Run by the recipes of docs/from-your-service.md, and by the tests of clusters."""
HERE = [line for line in COMMANDS if not any(words in line for words in ELSEWHERE)]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("recipes")
    trace, plan = write_demo(made)
    morning = vg.shape.between(vg.read_trace(trace), "5h", "6h")
    vg.write_trace(morning, made / "week.parquet")
    text = plan.read_text()
    plan.write_text(
        text[: text.index("[vary]")] + '[vary]\n"rules.absolute" = ["10m", "1h"]\n[aim]\nmost = "hit_rate"\n'
    )
    (made / "logs").mkdir()
    line = '10.0.0.1 - - [17/Mar/2026:08:00:{:02} +0000] "GET /vessels/Q{} HTTP/1.1" 200 512\n'
    with gzip.open(made / "logs" / "monday.log.gz", "wt") as log:
        log.writelines(line.format(number % 60, number % 7) for number in range(100))
    rows = "".join(f"2026-03-17T{8 + m // 60:02}:{m % 60:02}:00Z,Q{m % 7},12.5\n" for m in range(120))
    (made / "table").mkdir()
    (made / "table" / "calls.csv").write_text("time,call_sign,took_ms\n" + rows)
    return made


@pytest.mark.parametrize("line", HERE)
def test_a_recipe_runs(folder: Path, line: str) -> None:
    words = shlex.split(line.partition(" > ")[0])
    done = run(*words[1:], cwd=folder / "table" if "calls.csv" in words else folder)
    assert done.returncode == 0 or (words[1] in ("check", "choose") and done.returncode == 1), done.stderr
    assert len(done.stdout.splitlines()) > 5 or words[1] == "convert"


def test_there_are_recipes_of_each_kind() -> None:
    verbs = {shlex.split(line)[1] for line in COMMANDS}
    assert verbs >= {"survey", "replay", "listen", "convert", "check", "choose"}
    assert len(HERE) == len(COMMANDS) - 3
