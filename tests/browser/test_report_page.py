"""The report in a browser: it is interactive, needs neither network nor script, and is accessible."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import vestigo as vg
from tests.browser.conftest import AXE, Visit
from tests.demo.tended import tended
from vestigo.demo.files import write_demo

HOSTILE = (
    '<script>document.title="taken"</script>',
    "<img src=x onerror='document.title=\"taken\"'>",
    "javascript:alert(1)",
    "\"'></pre><b>bold</b>",
    "\u202eright-to-left",
    "{{ 7 * 7 }} ${x} $y$",
    "</script><script>document.title='taken'</script>",
)


@pytest.fixture(scope="module")
def report_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("report")
    trace, plan_file = write_demo(folder)
    plan = vg.read_plan(plan_file)
    few = {"rules.absolute": ["10m", "4h"], "lookup.chart.max_bytes": ["4 MiB", "8 MiB"]}
    morning = vg.shape.between(vg.read_trace(trace), "5h", "9h")
    plan = replace(plan, vary=few, candidates={**plan.candidates, "per-look-up": tended(plan)})
    return vg.report(morning, plan, asked=["--plan", "plan.toml"]).write(folder / "report.html")


@pytest.fixture
def opened(visit, report_file: Path) -> Visit:
    found = visit(report_file.as_uri())
    found.page.wait_for_selector("html[data-drawn]")
    return found


def test_it_is_drawn_without_an_error_and_asks_nobody(opened: Visit) -> None:
    assert opened.problems == []
    assert opened.page.locator(".live canvas").count() >= 6
    assert opened.page.locator(".still.stands-in").first.is_hidden()
    assert opened.page.locator(".verdict").inner_text().startswith("Recommended: 'per-look-up'. Fresh hits ")


@pytest.mark.skipif(not AXE.exists(), reason="axe-core is not installed")
@pytest.mark.parametrize(("width", "scheme"), [(1280, "light"), (380, "dark")])
def test_an_audit_finds_nothing_serious_and_it_fits_the_screen(
    visit, report_file: Path, width: int, scheme: str
) -> None:
    found = visit(report_file.as_uri(), width=width, color_scheme=scheme, bypass_csp=True)
    found.page.wait_for_selector("html[data-drawn]")
    assert not found.is_wider_than_the_screen()
    assert found.serious() == []


def test_dark_and_light_differ_in_ground_and_in_charts(visit, report_file: Path) -> None:
    def colours(scheme: str) -> tuple[str, str]:
        page = visit(report_file.as_uri(), color_scheme=scheme).page
        page.wait_for_selector("html[data-drawn]")
        ground = page.evaluate("getComputedStyle(document.documentElement).backgroundColor")
        axis = page.evaluate("[...Bokeh.index.roots][0].model.below[0].axis_label_text_color")
        return ground, axis

    light, dark = colours("light"), colours("dark")
    assert light[0] != dark[0] and light[1] != dark[1]


def test_without_a_script_all_texts_tables_and_pictures_are_there(visit, report_file: Path) -> None:
    found = visit(report_file.as_uri(), java_script_enabled=False)
    page = found.page
    for summary in page.locator("summary").all():
        summary.click()
    assert page.locator(".still svg").count() >= 7
    assert all(picture.is_visible() for picture in page.locator(".still svg").all())
    assert page.locator("table").count() > 15
    assert page.get_by_role("button", name="Copy").count() == 0
    assert "vestigo choose --plan plan.toml" in page.locator("#commands").inner_text()


def test_tables_sort_by_amount_whatever_their_units(opened: Visit) -> None:
    table = opened.page.locator("#front table.sorts")
    button = table.locator("thead button", has_text="memory peak")
    cells = table.locator("tbody td:last-child")
    button.click()
    amounts = [float(text.split()[0]) for text in cells.all_inner_texts() if text.endswith("MiB")]
    assert len(amounts) > 3 and amounts == sorted(amounts, reverse=True)
    button.click()
    assert [float(text.split()[0]) for text in cells.all_inner_texts() if text.endswith("MiB")] == amounts[::-1]
    assert table.locator("th[aria-sort=ascending]").inner_text().startswith("memory")


def test_what_varies_in_a_grid_has_columns_of_its_own(opened: Visit) -> None:
    head, *rows = [
        row.locator("th, td").all_inner_texts() for row in opened.page.locator("#front table.sorts tr").all()
    ]
    assert [one.strip() for one in head[1:3]] == ["absolute", "chart.max_bytes"]
    values = {row[0].removeprefix("show").strip(): tuple(row[1:3]) for row in rows}
    assert values["today"] == ("10m", "8 MiB")
    assert any(name.startswith("no. ") for name in values) and not any("=" in name for name in values)
    opened.page.locator("#front tbody tr", has_text="no. ").first.get_by_role("button", name="show").click()
    absolute, most = next(each for name, each in values.items() if name.startswith("no. "))
    assert opened.page.locator("#pointed-at h3").inner_text() == f"absolute={absolute}, chart.max_bytes={most}"


def place_of_pick(page: Any) -> list[float]:
    """Where in the window the pick stands in the front."""
    page.locator("#chart-front").scroll_into_view_if_needed()
    place: list[float] = page.evaluate(
        """() => {
          const view = [...Bokeh.index.roots].find((one) => one.model.name === "front");
          const renderer = view.model.renderers.find((one) => one.data_source.name === "the pick");
          const frame = view.frame;
          const [x, y] = [renderer.data_source.get_column("x")[0], renderer.data_source.get_column("y")[0]];
          const box = view.canvas_view.el.getBoundingClientRect();
          return [box.x + frame.x_scale.compute(x), box.y + frame.y_scale.compute(y)];
        }"""
    )
    return place


def test_a_candidate_is_shown_beside_today_by_pointing_and_by_keyboard(opened: Visit) -> None:
    page = opened.page
    place = page.locator("#pointed-at")
    x, y = place_of_pick(page)
    page.mouse.move(x - 60, y - 3)
    page.mouse.move(x, y)
    page.wait_for_selector("#pointed-at h3")
    assert place.locator("h3").inner_text() == "per-look-up"
    assert " better" in place.inner_text() and "[lookup.berth]" in place.inner_text()
    button = page.locator("button[data-candidate]", has_text="show").first
    button.focus()
    page.keyboard.press("Enter")
    assert place.locator("h3").inner_text() == "today"
    assert opened.problems == []


def test_a_candidate_stays_when_it_was_chosen_with_a_click_however_long(opened: Visit) -> None:
    page = opened.page
    chosen = """() => [...Bokeh.index.roots].find((one) => one.model.name === "front").model.renderers
      .find((one) => one.data_source.name === "the pick").data_source.selected.indices"""
    x, y = place_of_pick(page)
    for held_ms, indices in ((0, [0]), (0, []), (500, [0])):  # a click on what is chosen lets it go
        page.mouse.click(x, y, delay=held_ms)
        assert page.evaluate(chosen) == indices
        page.wait_for_timeout(400)  # otherwise the next click is the second half of a double tap
    assert page.locator("#pointed-at h3").inner_text() == "per-look-up"
    assert opened.problems == []


def test_the_plan_is_copied_as_it_stands(opened: Visit) -> None:
    opened.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    opened.page.locator("button[data-copies=picked-plan]").click()
    opened.page.get_by_text("Copied").wait_for()
    assert opened.page.evaluate("navigator.clipboard.readText()") == opened.page.locator("#picked-plan").text_content()


def test_the_first_screen_has_the_answer_what_gets_worse_how_sure_and_the_bad_day(opened: Visit) -> None:
    page = opened.page
    page.set_viewport_size({"width": 1280, "height": 800})
    page.evaluate("scrollTo(0, 0)")
    assert page.locator(".brief dt").all_inner_texts() == ["What gets worse", "How sure", "The bad day"]
    last = page.locator(".brief").bounding_box()
    assert last is not None and last["y"] + last["height"] <= 800
    assert "a restart" in page.locator(".brief dd").last.inner_text()
    assert page.evaluate("document.documentElement.scrollHeight") <= 12_000


def test_on_paper_all_is_open(opened: Visit) -> None:
    assert opened.page.locator("details:not([open])").count() > 5
    opened.page.evaluate("dispatchEvent(new Event('beforeprint'))")
    assert opened.page.locator("details:not([open])").count() == 0


def test_it_prints_on_a4(opened: Visit) -> None:
    printed = opened.page.pdf(prefer_css_page_size=True)
    assert printed.startswith(b"%PDF") and any(f"/MediaBox [0 0 {width}".encode() in printed for width in (594, 595))
    opened.page.emulate_media(media="print")
    assert opened.page.locator("nav").is_hidden()
    assert opened.page.locator(".still.stands-in").first.is_visible()
    assert not opened.page.locator("#chart-front").is_visible()
    assert opened.page.evaluate("getComputedStyle(document.documentElement).backgroundColor") == "rgb(255, 255, 255)"
    heights = "[...document.querySelectorAll('figure svg')].map((one) => one.getBoundingClientRect().height)"
    drawn = [height for height in opened.page.evaluate(heights) if height]
    assert drawn and max(drawn) <= 76 / 25.4 * 96


def test_hostile_names_are_text_wherever_they_stand(visit, tmp_path: Path) -> None:
    names = [one for one in HOSTILE for _ in range(6)] * 3
    trace = vg.read_trace(
        {
            "at": list(range(0, len(names) * 10**9, 10**9)),
            "key": names,
            "lookup": names,
            "cost": [10**6] * len(names),
            "version": [str(place // 40) for place in range(len(names))],
            "node": [HOSTILE[place % 2] for place in range(len(names))],
        }
    )
    plan = vg.Plan(
        vg.Rules(max_entries=1),
        lookups={HOSTILE[0]: {"absolute": "5s"}},
        candidates={HOSTILE[1]: vg.Plan(vg.Rules(max_entries=3))},
        vary={"rules.max_entries": [2]},
    )
    found = visit(vg.report(trace, plan).write(tmp_path / "hostile.html").as_uri())
    page = found.page
    page.wait_for_selector("html[data-drawn]")
    for button in page.locator("button[data-candidate]").all():
        button.click()
    assert page.title().startswith("Cache settings for") and found.problems == []
    assert page.locator("b, img").count() == 0
    assert page.locator("a:not([href^='#'])").count() == 0
    assert HOSTILE[0][:20] in page.locator("#worth").inner_text()
    assert "\u202e" not in page.content()
