"""The recorded trace, the plan and the trace of odd keys, as they ship with the package."""

import shutil
from importlib.resources import as_file, files
from pathlib import Path

from vestigo.arguments import path_of
from vestigo.errors import InputError
from vestigo.files import replacing

TRACE, PLAN, ODD_KEYS = "skerrow-quay.parquet", "plan.toml", "odd-keys.csv"


def write_demo(folder: str | Path) -> tuple[Path, Path]:
    """Writes the demo's files into a folder, and returns the paths of trace and plan. The folder is made if it does not
    exist. A small trace with every mistake in its keys is written too, for `survey`.

    A plan that already exists is kept, because it may have been edited. Raises InputError if the folder cannot be
    written.
    """
    folder = path_of("folder", folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        _copy(TRACE, folder / TRACE)
        _copy(ODD_KEYS, folder / ODD_KEYS)
        if not (folder / PLAN).exists():
            _copy(PLAN, folder / PLAN)
    except OSError as error:
        raise InputError(f"{folder}: cannot be written: {error.strerror}; choose another folder") from None
    return folder / TRACE, folder / PLAN


def _copy(name: str, target: Path) -> None:
    with as_file(files("vestigo.demo") / name) as source, replacing(target) as unfinished:
        shutil.copyfile(source, unfinished)
