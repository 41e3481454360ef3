"""A file is written whole or not at all."""

from pathlib import Path

import pytest

from vestigo.files import replacing


def test_what_was_written_takes_the_place_of_what_was_there(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("old")
    with replacing(path) as unfinished:
        assert unfinished.parent == tmp_path and unfinished.suffix == ".csv"
        unfinished.write_text("new")
        assert path.read_text() == "old"
    assert path.read_text() == "new"
    assert list(tmp_path.iterdir()) == [path]


def test_what_goes_wrong_leaves_all_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("old")

    def fail() -> None:
        with replacing(path) as unfinished:
            unfinished.write_text("half")
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fail()
    assert path.read_text() == "old"
    assert list(tmp_path.iterdir()) == [path]
    with pytest.raises(FileNotFoundError), replacing(tmp_path / "none" / "a.csv"):
        raise AssertionError
