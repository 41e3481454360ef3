"""Makes examples/whole_way.ipynb anew: its cells stand here, and its output comes from running them. ``make
notebook``.
"""

import os
import sys
from pathlib import Path

import nbformat
from nbclient import NotebookClient

PATH = Path(__file__).parents[1] / "examples" / "whole_way.ipynb"

_BACKEND = "module://matplotlib_inline.backend_inline"

_PROGRESS_THAT_ENDED = {"text/plain": ""}
"""What is left of a line of progress. It comes only where a cell takes longer than a second."""

CELLS = [
    """# The whole way, at Skerrow Quay

The desk of a small made-up harbour reads tide tables, berths, vessels, weather, chart tiles and notices on four
servers. Two days of its reads were recorded. Which cache settings should it have?""",
    """import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

trace_file, plan_file = write_demo(tempfile.mkdtemp())
trace = vg.read_trace(trace_file)
len(trace), trace.lookups""",
    """## What is worth a cache

A verdict on each look-up, before any cache.""",
    """vg.survey(trace)""",
    """## What today's settings give

Today's settings and three others, beside no cache at all and what no settings can pass.""",
    """results = vg.compare(trace, plan_file)
results""",
    """vg.figures.timeline(results["today"]);""",
    """## How much room is enough""",
    """vg.size_curve(trace, plan_file, lookup="vessel")""",
    """## Which settings to take

The settings of each look-up are found: those that the plan's `[vary]` names. Few of them here, so that it takes
seconds.""",
    """from dataclasses import replace

plan = vg.read_plan(plan_file)
few = {"each.absolute": "any", "each.sliding": ["5m", "never"], "each.nulls": ["skip", "keep"]}
found = vg.search(trace, replace(plan, vary=few))
pick = found.choose()
pick""",
    """vg.figures.front(found, pick);""",
    """## Within less memory

Other limits are answered from what was tried.""",
    """found.choose(memory_peak="<= 8 MiB").candidate""",
    """## Keep it

A pick, like anything that is returned, can be saved and read back, and its numbers are plain data.""",
    """path = vg.save(pick, trace_file.with_name("pick.json"))
vg.load(path) == pick, pick.candidate.fresh_hit_rate, pick.candidate.read_time(95)""",
    """found.to_pandas()[["hit_rate", "stale_rate", "memory_peak"]].head(3)""",
]


def made() -> nbformat.NotebookNode:
    """The notebook with the output of its cells."""
    cells = [
        nbformat.v4.new_markdown_cell(text) if text.startswith(("#",)) else nbformat.v4.new_code_cell(text)
        for text in CELLS
    ]
    for number, cell in enumerate(cells):
        cell["id"] = f"cell-{number}"
    book = nbformat.v4.new_notebook(cells=cells)
    NotebookClient(book, timeout=120, kernel_name="python3").execute(env={**os.environ, "MPLBACKEND": _BACKEND})
    for cell in book.cells:
        cell.metadata.clear()
        if "outputs" in cell:
            cell["outputs"] = [output for output in cell["outputs"] if output.get("data") != _PROGRESS_THAT_ENDED]
    return book


def texts(book: nbformat.NotebookNode) -> list[str]:
    """What its cells printed or returned, as text."""
    return [
        str(output.get("text") or output.get("data", {}).get("text/html") or output.get("data", {}).get("text/plain"))
        for cell in book.cells
        for output in cell.get("outputs", [])
        if "image/png" not in output.get("data", {})
    ]


if __name__ == "__main__":
    PATH.write_text(nbformat.writes(made()) + "\n")
    sys.stdout.write(f"{PATH}\n")
