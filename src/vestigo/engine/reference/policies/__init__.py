"""The eviction policies in plain Python, as their papers describe them. Each is a class with its `name`."""

from importlib import import_module
from pkgutil import iter_modules

from vestigo.rules.policy import Policy


def _classes() -> list[type[Policy]]:
    modules = [import_module(f"{__name__}.{one.name}") for one in iter_modules(__path__)]
    return [each for module in modules for each in vars(module).values() if isinstance(each, type)]


POLICIES: dict[str, type[Policy]] = {vars(each)["name"]: each for each in _classes() if "name" in vars(each)}

__all__ = ["POLICIES"]
