"""What a rule says of itself besides its value: under which heading it belongs, how engines get it."""

from collections.abc import Callable, Mapping
from typing import Any, Literal, NamedTuple

from pydantic import BaseModel

Heading = Literal[
    "room", "lifetimes", "what is kept", "changes", "whose cache", "origin", "bad moments", "what things take"
]

Number = int | bool | str | list[int] | None
"""As the kernel has it; None leaves what it is unless stated, text is one of the kernel's words."""
Numbers = Callable[[Any], Mapping[str, Number]]
"""From all rules of a look-up, or of a pool, to the kernel's (native/include/vestigo/rules.def)."""


def always(_: object) -> bool:
    return True


class Rule(NamedTuple):
    """Stands in the annotation of a field. The full replay knows every rule; the plain one, which is several times as
    fast, only what is said here. What is not said leads to the full one.
    """

    heading: Heading
    numbers: Numbers | None = None
    """How the kernel gets it; None: what it comes to is worked out before (`worked_out`)."""
    plain: Callable[[Any], bool] | None = None
    """Which values the plain replay knows; None: only what the rule is unless stated."""
    worked_out: str = ""
    """The module that makes something else of the rule, which engines get."""

    def is_plain(self, value: object, usual: object) -> bool:
        return bool(value == usual) or (self.plain is not None and self.plain(value))


def rules_of(kind: type[BaseModel]) -> dict[str, Rule]:
    """By name. A field that says nothing of itself is left out, which a test finds."""
    found = {
        name: [one for one in field.metadata if isinstance(one, Rule)] for name, field in kind.model_fields.items()
    }
    return {name: each[0] for name, each in found.items() if each}


def same(*names: str) -> Numbers:
    """The kernel has it under its own name, as a whole number."""
    return lambda rules: {name: getattr(rules, name) for name in names}
