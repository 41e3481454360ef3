"""The notebook goes the whole way on the demo, and gives what is kept in it."""

import sys
from pathlib import Path

import nbformat
import pytest

PROJECT = Path(__file__).parents[2]


def test_the_notebook_gives_what_is_kept_in_it(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(str(PROJECT / "scripts"))
    import notebook

    kept = nbformat.read(notebook.PATH, as_version=4)
    again = notebook.made()
    assert [cell.source for cell in kept.cells] == notebook.CELLS
    assert notebook.texts(again) == notebook.texts(kept)
    pictures = [
        output
        for cell in again.cells
        for output in cell.get("outputs", [])
        if "image/png" in output.get("data", {}) or output.output_type == "error"
    ]
    assert [one.output_type for one in pictures] == ["display_data"] * 2
    sys.modules.pop("notebook")
