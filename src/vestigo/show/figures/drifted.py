"""How a rate went from one recording to another, difference by difference."""

from typing import TYPE_CHECKING

from matplotlib.ticker import PercentFormatter

from vestigo.explaining.drift.drift import Drift
from vestigo.measures import MEASURES
from vestigo.show import style
from vestigo.show.drifted import effect_words, signed, told_effects
from vestigo.show.figures.canvas import check_drawn, on_axis, width_inches
from vestigo.show.safe import printable
from vestigo.units import capitalised, format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST = 12
_NAME = 60


def drift(found: Drift, ax: "Axes | None" = None) -> "Axes":
    """How the settings' rate went from the earlier recording to the later one. Each bar begins where the one above it
    ends: what a difference adds, the largest first.
    """
    check_drawn("found", found, Drift)
    return on_axis(ax, lambda drawn: _draw(drawn, found))


def _draw(axis: "Axes", found: Drift) -> None:
    told = told_effects(found, _MOST)
    rest = found.rates[1] - found.rates[0] - sum(one.gain for one in told)
    bars = [(printable(effect_words(one), _NAME), one.gain) for one in told]
    bars += [("all else together", rest)] if abs(rest) > 0 else []
    names = [printable(name, _NAME) for name in (found.before, *(name for name, _ in bars), found.after)]
    heights = range(len(names) - 1, -1, -1)
    begins, (first, last) = [found.rates[0]], found.rates
    for _, gain in bars:
        begins.append(begins[-1] + gain)
    for height, begin, (_, gain) in zip(heights[1:], begins, bars, strict=False):
        colour = style.ACCENT if gain > 0 else style.SERIES[1]
        axis.barh(height, gain, left=begin, color=colour)
        axis.plot([begin, begin], [height, height + 1], color=style.QUIET, linewidth=0.8)
        _say(axis, signed(gain), max(begin, begin + gain), height)
    for height, rate in ((heights[0], first), (heights[-1], last)):
        axis.plot([rate], [height], "o", color=style.INK)
        _say(axis, format_share(rate), rate, height)
    axis.set_yticks(heights, names)
    _fit(axis, begins)
    axis.grid(visible=False)
    axis.xaxis.set_major_formatter(PercentFormatter(1))
    axis.set_xlabel(MEASURES[found.rate].label)
    axis.set_title(f"{capitalised(MEASURES[found.rate].label)}, difference by difference")


def _say(axis: "Axes", text: str, at: float, height: int) -> None:
    axis.annotate(text, (at, height), xytext=(6, 0), textcoords="offset points", va="center")


def _fit(axis: "Axes", rates: list[float]) -> None:
    """Shows the rates alone, with room for the text beside the largest. They do not begin at 0, so no bar does."""
    span = max(max(rates) - min(rates), 0.001)
    axis.set_xlim(min(rates) - span * 0.05, max(rates) + span * 1.8 / max(width_inches(axis), 1.8))
