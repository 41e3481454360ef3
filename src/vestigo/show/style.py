"""The looks of everything we draw: a quiet ground, one accent, and colours that colour-blind readers can tell apart."""

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

LIGHT = {
    "ground": GROUND,
    "raised": "#ffffff",
    "ink": INK,
    "quiet": "#5c6870",
    "rule": RULE,
    "accent": ACCENT,
    "warning": "#b04a12",
    "second": SECOND,
    "ochre": "#866607",
    "blue": "#2467b0",
    "wine": "#8c2f4b",
    "moss": "#4d6b25",
}
DARK = {
    "ground": "#12191e",
    "raised": "#1a2329",
    "ink": "#e4eaed",
    "quiet": "#98a5ad",
    "rule": "#2e3a42",
    "accent": "#46bdc6",
    "warning": "#f0925a",
    "second": "#b7a6dd",
    "ochre": "#d9b343",
    "blue": "#7ab3f0",
    "wine": "#e08aa4",
    "moss": "#a5c574",
}
"""Of pages, by role, on a light screen and on a dark one; all are legible as text on the ground."""
ROLES = {QUIET: "quiet", RULE: "rule", GROUND: "ground", INK: "ink"} | dict(
    zip(SERIES[:-1], ("accent", "warning", "second", "ochre", "blue", "wine", "moss"), strict=True)
)
"""The role of each colour of a figure."""
_COLOURS = {role: colour for colour, role in ROLES.items()}
MARKS = {"circle": "o", "square": "s", "triangle": "^", "diamond": "D", "star": "*"}
"""The marks of charts, as figures name them."""
Drawn = dict[str, Any]
"""Properties of what Matplotlib draws, by name."""


def colour(role: str) -> str:
    """The colour of a role in figures."""
    return _COLOURS[role]


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
