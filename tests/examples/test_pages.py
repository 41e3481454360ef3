"""What a page of the documentation shows of an example is what the example prints."""

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
    printed = (ROOT / "examples" / f"{example}.txt").read_text().splitlines()
    begin = text.index("## Two minutes on the demo")
    part = text[begin : text.index("## The typical mistake", begin)]
    shown = [line.removeprefix("    ") for line in part.splitlines() if line.startswith("    ")]
    assert len(shown) >= 5
    assert [line for line in shown if line not in printed] == []
