"""Figures as SVG within a page. Their text stays text, and their colours are the page's, light or dark."""

import re
from collections.abc import Callable
from io import StringIO
from typing import TYPE_CHECKING, Any

from markupsafe import Markup, escape

from vestigo.show.figures.canvas import our_style
from vestigo.show.style import ROLES

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_SVG: Any = {
    "figure.max_open_warning": 0,  # each is closed at once; the others are open for their owner
    "svg.fonttype": "none",
    "svg.hashsalt": "vestigo",
    "font.family": "sans-serif",
}
_METADATA: object = {"Date": None, "Creator": None, "Format": None, "Type": None}

_TAG = re.compile(r"<[^>]*>")
_COLOUR = re.compile("|".join(map(re.escape, ROLES)), re.IGNORECASE)
_ID = re.compile(r'(\bid="|href="#|url\(#)')
_SIZE = re.compile(r'(<svg [^>]*?)width="[^"]*"([^>]*?)height="[^"]*"', re.DOTALL)
_LONG_NUMBER = re.compile(r"(\d\.\d\d)\d+")
_NOT_NEEDED = re.compile(
    r'<metadata>.*?</metadata>|<style.*?</style>|; font-family: [^;"]*|font-family: [^;"]*; |(?<= )\n', re.DOTALL
)
_MARK = re.compile(r'<path id="([^"]*)"[^>]* style="([^"]*)"')
_COPY = re.compile(r'(<use xlink:href="#([^"]*)"[^>]*?) style="([^"]*)"')
"""Of a mark that is drawn many times."""


def picture(name: str, title: str, draw: Callable[[], Any], inches: tuple[float, float] | None = None) -> Markup:
    """The figure that `draw` draws and returns the axes of, as SVG. `name` is unique on the page, and `title` says what
    the figure shows.
    """
    import matplotlib as mpl
    import matplotlib.pyplot as plt

    with our_style(), mpl.rc_context(_SVG):
        axes = draw()
        figure = (axes[0] if isinstance(axes, (list, tuple)) else axes).get_figure(root=True)
        if inches is not None:
            figure.set_size_inches(inches)
        drawn = _drawn(figure)
        plt.close(figure)
    return Markup(_for_page(drawn, name, title))  # Matplotlib escapes every text


def _drawn(figure: "Figure") -> str:
    """The figure on a ground that shows through. `Figure.savefig` would draw it twice, to lay it out and to save it."""
    from matplotlib.backends.backend_svg import FigureCanvasSVG

    if (layout := figure.get_layout_engine()) is not None:
        layout.execute(figure)
        figure.set_layout_engine("none")
    figure.patch.set_facecolor("none")
    for axis in figure.axes:
        axis.patch.set_facecolor("none")
    svg = StringIO()
    FigureCanvasSVG(figure).print_svg(svg, metadata=_METADATA)  # type: ignore[no-untyped-call]
    return svg.getvalue()


def _for_page(svg: str, name: str, title: str) -> str:
    svg = svg[svg.index("<svg") :]
    svg = _SIZE.sub(lambda found: f'{found[1]}role="img" aria-label="{escape(title)}"{found[2]}', svg, count=1)
    styles = dict(_MARK.findall(svg))
    svg = _COPY.sub(lambda found: found[found[3] == styles.get(found[2])], _NOT_NEEDED.sub("", svg))
    return _TAG.sub(lambda tag: _themed(tag[0], name), svg)


def _themed(tag: str, name: str) -> str:
    """A tag with the page's colours, and with ids that are unique on the page. Text between tags stays as it is."""
    tag = _LONG_NUMBER.sub(r"\1", tag)
    tag = _ID.sub(lambda found: f"{found[1]}{name}-", tag)
    return _COLOUR.sub(lambda found: f"var(--{ROLES[found[0].lower()]})", tag)
