"""The page with knobs, opened in a browser and used as a user would."""

from tests.browser.conftest import Visit

# What the page draws with an answer, it draws after the next frame.
AFTER_DRAWING = "new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)))"

# A tap that follows another sooner is the second half of a double tap.
_AFTER_A_TAP_MS = 400


class Knobs(Visit):
    """The page, and what is read from it."""

    def drawn(self) -> "Knobs":
        self.page.wait_for_selector("html[data-drawn]")
        self.settled()
        return self

    def settled(self) -> None:
        """Waits until the page shows the numbers of the current settings."""
        self.page.locator("#numbers[aria-busy=false]").wait_for()
        self.page.evaluate(AFTER_DRAWING)

    def choose_place(self, label: str) -> None:
        """A place says how many of its rules are changed."""
        options = self.page.locator("#place option").all_inner_texts()
        (index,) = (number for number, text in enumerate(options) if text.partition(" (")[0] == label)
        self.page.get_by_label("Rules of").select_option(index=index)
        if self.page.locator("#others:not([open])").count():
            self.page.locator("#others > summary").click()

    def find_best(self) -> None:
        """Waits until something is known to be best. What is best within ever less memory comes after it."""
        self.page.locator("#use-best:enabled").wait_for(timeout=60_000)

    def place_of_mark(self, name: str) -> list[float]:
        """Where in the window a known candidate stands in the front, once all that has come is drawn."""
        self.page.wait_for_function("Bokeh.documents.every((one) => one.is_idle)")
        place: list[float] = self.page.evaluate(
            """(name) => {
              const view = [...Bokeh.index.roots].find((one) => one.model.name === "front");
              const source = view.model.renderers.find((one) => one.data_source.name === "known").data_source;
              const known = JSON.parse(document.getElementById("page-data").textContent).known;
              const place = known.findIndex((one) => one.name === name);
              const box = view.canvas_view.el.getBoundingClientRect();
              const [x, y] = ["x", "y"].map((column) => source.get_column(column)[place]);
              return [box.x + view.frame.x_scale.compute(x), box.y + view.frame.y_scale.compute(y)];
            }""",
            name,
        )
        return place

    def choose_mark(self, name: str, held_ms: int = 0) -> None:
        """Changes today's settings with a click. What the search finds moves the marks, so that a click may miss."""
        for _ in range(20):
            self.page.mouse.click(*self.place_of_mark(name), delay=held_ms)
            self.settled()
            if self.settings:
                return
            self.page.wait_for_timeout(_AFTER_A_TAP_MS)

    def type_into(self, rule: str, text: str) -> None:
        self.page.fill(f"#knob-{rule}", text)
        self.page.press(f"#knob-{rule}", "Enter")
        self.settled()

    def number(self, measure: str, column: int = 2) -> str:
        row = self.page.locator("#numbers tr").filter(has=self.page.get_by_role("rowheader", name=measure, exact=True))
        return str(row.locator("td").nth(column - 1).inner_text())

    @property
    def settings(self) -> dict[str, str]:
        return dict(self.page.evaluate("Object.fromEntries(new URLSearchParams(location.hash.slice(1)))"))
