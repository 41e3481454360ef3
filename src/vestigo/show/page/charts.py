"""Interactive charts for pages. They are described here, and the plotting package's own script draws them in the
browser.

The package is Bokeh. It is on PyPI with its script, which needs no network, adds 1.3 MB to a page (a third of what
others add), and draws thousands of points at once. Colours are roles of `vestigo.show.style`. A model's tag says which
of its properties has which role, and the page's script turns roles into the colours of its light or dark ground.
"""

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from vestigo.data import Told
from vestigo.show.charts.records import Look
from vestigo.show.charts.ticks import round_sizes, size_label

Drawing = Any
"""A part of a chart. Bokeh states only the base classes of ranges and axes, which lack what is set here."""
_FORMATS = {"share": "0 %", "count": "0,0", "number": "0,0.[0]"}
_NAMED = re.compile(r'"p\d+"')
HEIGHT = 330
FONT = "system-ui, sans-serif"


class Series(NamedTuple):
    """A line of a chart."""

    name: str
    role: str
    x: Sequence[float] | np.ndarray
    y: Sequence[float] | np.ndarray


class Axis(NamedTuple):
    """The label of an axis, and the format in which the browser writes its numbers."""

    label: str
    kind: str
    """``share``, ``size`` (logarithmic, see `sizes_on`), ``count``, ``number`` or ``time``."""


@cache
def script() -> str:
    """The script of the plotting package, as it is installed."""
    import bokeh

    return (Path(bokeh.__file__).parent / "server/static/js/bokeh.min.js").read_text(encoding="utf-8")


def described(chart: Drawing) -> Told:
    """A chart as JSON. The same chart gives the same text each time."""
    from bokeh.embed import json_item

    text = json.dumps(json_item(chart))
    names: dict[str, str] = {}
    named: Told = json.loads(_NAMED.sub(lambda found: names.setdefault(found[0], f'"m{len(names)}"'), text))
    return named


def chart(name: str, x: Axis, y: Axis, *, height: int = HEIGHT) -> Drawing:
    """An empty chart in our looks, to be filled."""
    from bokeh.models import NumeralTickFormatter
    from bokeh.plotting import figure

    made = figure(
        name=name,
        height=height,
        sizing_mode="stretch_width",
        x_axis_type="log" if x.kind == "size" else "datetime" if x.kind == "time" else "linear",
        y_axis_type="linear",
        tools="",
        toolbar_location=None,
        background_fill_color=None,
        border_fill_color=None,
        outline_line_color=None,
    )
    for axis, what in ((made.xaxis[0], x), (made.yaxis[0], y)):
        axis.axis_label = what.label
        axis.axis_label_text_font_style = "normal"
        axis.minor_tick_line_color = None
        axis.major_tick_in = 0
        axis.axis_label_text_font_size = axis.major_label_text_font_size = "13px"
        axis.axis_label_text_font = axis.major_label_text_font = FONT
        axis.tags = [
            {"axis_label_text_color": "ink", "major_label_text_color": "ink"}
            | {"axis_line_color": "rule", "major_tick_line_color": "quiet"}
        ]
        if what.kind in _FORMATS:
            axis.formatter = NumeralTickFormatter(format=_FORMATS[what.kind])
    made.xgrid[0].grid_line_color = None
    made.ygrid[0].tags = [{"grid_line_color": "rule"}]
    return made


def sizes_on(axis: Drawing, least: float, most: float) -> None:
    """Marks a logarithmic axis at round sizes, about six of them. The page's script does the same (`markSizes`)."""
    from bokeh.models import FixedTicker

    ticks = round_sizes(least, most)
    axis.ticker = FixedTicker(ticks=ticks)
    axis.major_label_overrides = {tick: size_label(tick) for tick in ticks}


def level(made: Drawing, at: float, *, is_upright: bool = False) -> None:
    """Draws a broken line across a chart: a height that nothing passes, or, upright, a moment."""
    from bokeh.models.annotations import Span

    span = Span(location=at, dimension="height" if is_upright else "width", line_dash=[4, 3] if is_upright else [2, 4])
    span.tags = [{"line_color": "quiet"}]
    made.add_layout(span)


def lines(made: Drawing, each: Iterable[Series], *, steps: bool = False) -> None:
    """Draws lines, each with its own points. `steps` keep the height of a point until the next one."""
    for one in each:
        x, y = stepped(one.x, one.y) if steps else (np.asarray(one.x, float), np.asarray(one.y, float))
        drawn = made.line(x, y, name=one.name, line_width=2, line_join="round")
        drawn.glyph.tags = [{"line_color": one.role}]


def stepped(x: Sequence[float] | np.ndarray, y: Sequence[float] | np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The points of a line, with the corners of its steps.

    >>> [each.tolist() for each in stepped([1, 2, 3], [5, 6, 7])]
    [[1.0, 2.0, 2.0, 3.0, 3.0], [5.0, 5.0, 6.0, 6.0, 7.0]]
    """
    return np.repeat(np.asarray(x, float), 2)[1:], np.repeat(np.asarray(y, float), 2)[:-1]


def points(made: Drawing, name: str, columns: Mapping[str, Any], *, look: Look, size: float = 8) -> Drawing:
    """Draws marks at ``x`` and ``y`` that users can point at and choose."""
    from bokeh.models import ColumnDataSource

    drawn = made.scatter(
        "x",
        "y",
        source=ColumnDataSource(dict(columns), name=name),
        marker=look.mark,
        size=size,
        line_width=1.2,
        fill_alpha=0.7,
    )
    drawn.glyph.tags = [{"fill_color": look.role, "line_color": "ground"}]
    drawn.nonselection_glyph = None
    return drawn


def label(made: Drawing, at: tuple[float, float], text: str, role: str) -> None:
    """Names a point, above it."""
    from bokeh.core.properties import value

    written = made.text([at[0]], [at[1]], [text], x_offset=10, y_offset=-8)
    written.glyph.text_font_size, written.glyph.text_font_style = "13px", "bold"
    written.glyph.text_font = value(FONT)
    written.glyph.tags = [{"text_color": role}]


def level_label(made: Drawing, at: float, text: str, *, is_below: bool) -> None:
    """Names a level at the left edge of the chart, above it or below, wherever its points lie."""
    from bokeh.models.annotations import Label

    written = Label(x=10, x_units="screen", y=at, y_offset=-20 if is_below else 6, text=text)
    written.text_font_size, written.text_font_style, written.text_font = "13px", "bold", FONT
    written.tags = [{"text_color": "quiet"}]
    made.add_layout(written)
