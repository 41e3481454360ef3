"""What a page of the documentation shows of an example is what the example prints."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PAGES = {
    "size": "policies",
    "expiry": "lifetimes",
    "nulls": "nulls",
    "changes": "changes",
    "whose-cache": "whose_cache",
    "bad-moments": "bad_moments",
    "choosing": "choosing",
    "why": "why",
    "check": "check",
}


@pytest.mark.parametrize(("page", "example"), PAGES.items())
def test_a_page_shows_what_its_example_prints(page: str, example: str) -> None:
    text = (ROOT / "docs" / f"{page}.md").read_text()
    assert f"examples/{example}.py" in text
    printed = [line.rstrip() for line in (ROOT / "examples" / f"{example}.txt").read_text().splitlines()]
    begin = text.index("## Two minutes on the demo")
    part = text[begin : text.index("## The typical mistake", begin)]
    shown = [line.removeprefix("    ") for line in part.splitlines() if line.startswith("    ")]
    assert len(shown) >= 5
    assert [line for line in shown if line not in printed] == []


CODE = re.compile(r"^```python\n(.*?)^```\n+```text\n(.*?)^```", re.DOTALL | re.MULTILINE)
WITH_CODE = [page for page in sorted((ROOT / "docs").glob("*.md")) if CODE.search(page.read_text())]


@pytest.mark.parametrize("page", WITH_CODE, ids=lambda page: page.stem)
def test_the_code_of_a_page_prints_what_the_page_shows(page: Path, tmp_path: Path) -> None:
    for code, shown in CODE.findall(page.read_text()):
        done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
        assert (done.stdout, done.stderr) == (shown, "")


def test_some_pages_have_code() -> None:
    assert {"origin", "costs"} <= {page.stem for page in WITH_CODE}


def test_the_page_on_bad_moments_shows_what_the_rehearsal_prints() -> None:
    text = (ROOT / "docs" / "bad-moments.md").read_text()
    for line in (ROOT / "examples" / "rehearsal.txt").read_text().splitlines():
        assert line in text
