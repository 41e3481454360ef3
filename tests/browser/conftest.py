"""Pages in a real browser: Debian's Chromium, driven headless. Without it these tests are skipped."""

import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

CHROMIUM = shutil.which("chromium")
AXE = Path(__file__).parent / "node_modules/axe-core/axe.min.js"
_QUIET = "--no-sandbox --disable-gpu --no-first-run --disable-background-networking --disable-sync"


@pytest.fixture(scope="module")
def chromium() -> Iterator[Any]:
    """A browser for one module of tests. While it runs, nothing else in the process can have an event loop."""
    if CHROMIUM is None:
        pytest.skip("there is no chromium")
    from playwright.sync_api import sync_playwright

    os.environ.setdefault("PLAYWRIGHT_SKIP_VALIDATE_HOST_REQUIREMENTS", "1")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=_QUIET.split())
        yield browser
        browser.close()


class Visit:
    """An open page, and what went wrong on it: error messages, and requests to elsewhere."""

    def __init__(self, page: Any, address: str) -> None:
        self.page = page
        self.problems: list[str] = []
        origin = "/".join(address.split("/")[:3])
        page.on("console", lambda said: self.problems.append(said.text) if said.type in ("error", "warning") else None)
        page.on("pageerror", lambda error: self.problems.append(str(error)))
        page.on("request", lambda asked: self._check(asked.url, origin))
        page.goto(address)

    def _check(self, url: str, origin: str) -> None:
        if not url.startswith((origin, "data:", "blob:")):
            self.problems.append(f"asked {url}")

    def serious(self) -> list[str]:
        """The serious findings of an accessibility audit."""
        self.page.add_script_tag(path=str(AXE))
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations']})")
        return [
            f"{one['id']}: {one['nodes'][0]['html']}"
            for one in found["violations"]
            if one["impact"] in ("serious", "critical")
        ]

    def is_wider_than_the_screen(self) -> bool:
        return bool(self.page.evaluate("document.documentElement.scrollWidth > innerWidth"))


@pytest.fixture
def visit(chromium: Any) -> Iterator[Callable[..., Visit]]:
    """Opens an address, with the options of a browser's context: ``color_scheme``, ``java_script_enabled``."""
    contexts = []

    def open_page(address: str, *, width: int = 1280, **options: Any) -> Visit:
        context = chromium.new_context(viewport={"width": width, "height": 800}, **options)
        contexts.append(context)
        return Visit(context.new_page(), address)

    yield open_page
    for context in contexts:
        context.close()
