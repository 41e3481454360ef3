"""Checks that the sdist has everything that git has, and the wheel everything that runs: ``make package``."""

import subprocess
import sys
import tarfile
import zipfile
from pathlib import Path


def main(folder: Path) -> None:
    (sdist,), (wheel,) = folder.glob("*.tar.gz"), folder.glob("*.whl")
    with tarfile.open(sdist) as archive:
        in_sdist = {name.partition("/")[2] for name in archive.getnames()}
    known = subprocess.run(["git", "ls-files"], capture_output=True, text=True, check=True).stdout.split("\n")
    missing = sorted({name for name in known if name} - in_sdist)
    in_wheel = set(zipfile.ZipFile(wheel).namelist())
    sources = [name.removeprefix("src/") for name in known if name.startswith("src/vestigo/")]
    missing += sorted(set(sources) - in_wheel)
    for module in ("kernel", "texts"):
        missing += [f"compiled/{module}"] * (
            not any(name.startswith(f"vestigo/compiled/{module}.") for name in in_wheel)
        )
    if missing:
        sys.exit(f"{sdist.name}, {wheel.name}: {', '.join(missing)} is missing")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
