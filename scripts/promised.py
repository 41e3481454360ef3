"""The public names of the library and the command line: ``python scripts/promised.py > tests/contract/promised.txt``.

Names of 1.x stay until 2.0. A name goes only after it has warned of that in a release (DeprecationWarning).
"""

import inspect
from collections.abc import Iterator

import typer

import vestigo
from vestigo.cli.app import app

MODULES = ("vestigo", "vestigo.shape", "vestigo.what_if", "vestigo.figures")


def promised() -> Iterator[str]:
    """A line a name: what a function or class takes by name, or what a verb has for options."""
    for module in MODULES:
        where = vestigo if module == "vestigo" else getattr(vestigo, module.rpartition(".")[2])
        for name in sorted(set(dir(where)) - {"annotations"}):
            if not name.startswith("_"):
                yield " ".join([f"{module}.{name}", *_taken(getattr(where, name))])
    for verb, command in sorted(typer.main.get_command(app).commands.items()):  # type: ignore[attr-defined]
        options = [option for one in command.params for option in one.opts if option.startswith("--")]
        yield " ".join([f"vestigo {verb}", *sorted(options)])


def _taken(what: object) -> list[str]:
    if inspect.ismodule(what) or not callable(what):
        return []
    try:
        return [name for name in inspect.signature(what).parameters if not name.startswith("_")]
    except ValueError:  # an error of Python's own kind
        return []


if __name__ == "__main__":
    print("\n".join(promised()))
