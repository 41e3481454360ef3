"""Makes docs/screenshots/ from the demo data: ``make screenshots``.

Needs Debian's packages xvfb, xterm, x11-apps, imagemagick and fonts-dejavu-core for the terminal's picture.
"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import matplotlib

from vestigo import compare, figures, read_plan, read_trace
from vestigo.demo.files import write_demo

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
VESTIGO = Path(sys.executable).parent / "vestigo"


def figure_shots(folder: Path) -> None:
    matplotlib.use("agg")
    trace, plan = write_demo(folder)
    results = compare(read_trace(trace), read_plan(plan))
    axes = figures.timeline(results["today"])
    axes[0].figure.savefig(SHOTS / "timeline.png", dpi=100)


def terminal_shot(name: str, command: str, folder: Path) -> None:
    """What a command prints, in an xterm on a virtual screen."""
    display = ":97"
    server = subprocess.Popen(["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    env = {"DISPLAY": display, "PATH": f"{VESTIGO.parent}:/usr/bin:/bin", "HOME": str(folder), "LANG": "C.UTF-8"}
    look = ["-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", "140x42+0+0", "-bg", "#fbfaf7", "-fg", "#22303a"]
    shown = f"echo '$ {command}'; {command}; sleep 60"
    try:
        time.sleep(1)
        terminal = subprocess.Popen(["xterm", *look, "-b", "12", "-e", "sh", "-c", shown], env=env, cwd=folder)
        time.sleep(6)
        subprocess.run(["import", "-window", "root", str(SHOTS / name)], env=env, check=True)
        terminal.terminate()
        terminal.wait()
    finally:
        server.terminate()
        server.wait()


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        figure_shots(Path(folder) / "vestigo-demo")
        terminal_shot("demo.png", "vestigo demo", Path(folder))


if __name__ == "__main__":
    main()
