"""The looks of everything we draw: a quiet ground, one accent, colours that stay apart for every eye."""

from typing import Any

INK = "#22303a"
QUIET = "#8b969d"
RULE = "#dfe4e6"
GROUND = "#fbfaf7"
ACCENT = "#00656f"
WARNING = "#c4571c"
SECOND = "#6b5b95"
SERIES = (ACCENT, WARNING, SECOND, "#a8820f", "#2f7ed8", "#8c2f4b", "#5d7f2e", INK)
"""Of look-ups, in this order."""

FIGURE: Any = {
    "figure.facecolor": GROUND,
    "axes.facecolor": GROUND,
    "axes.edgecolor": RULE,
    "axes.labelcolor": INK,
    "axes.titlecolor": INK,
    "axes.titlesize": 11,
    "axes.titlelocation": "left",
    "axes.titleweight": "bold",
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.grid": True,
    "axes.grid.axis": "y",
    "grid.color": RULE,
    "grid.linewidth": 0.8,
    "axes.axisbelow": True,
    "font.size": 10,
    "text.color": INK,
    "text.parse_math": False,
    "xtick.color": INK,
    "ytick.color": INK,
    "xtick.major.size": 3,
    "ytick.major.size": 0,
    "lines.linewidth": 1.6,
    "savefig.facecolor": GROUND,
}
