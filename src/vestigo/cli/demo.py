"""``vestigo demo``: writes the demo's trace and plan, and replays them."""

from pathlib import Path
from typing import Annotated

import typer


def demo(
    folder: Annotated[Path, typer.Argument(help="Where to write; made if it is not there.")] = Path("vestigo-demo"),
) -> None:
    """Write the demo data, two days at Skerrow Quay, and replay its plan.

    Example: vestigo demo
    """
    from vestigo.cli.replay import compare_files
    from vestigo.cli.screen import show
    from vestigo.demo.files import ODD_KEYS, write_demo
    from vestigo.show.safe import printable
    from vestigo.show.tables import comparison_text

    trace, plan = write_demo(folder)
    show(comparison_text(compare_files(str(trace), plan, {})))
    paths = [printable(str(path), most=1000) for path in (trace, plan, folder / ODD_KEYS)]
    show(
        f"\nTrace: {paths[0]}\nPlan:  {paths[1]}\n"
        f"What is in the trace:   vestigo survey {paths[0]}\n"
        f"Mistakes in keys:       vestigo survey {paths[2]}\n"
        f"Change the plan, then:  vestigo replay --plan {paths[1]} --by lookup"
    )
