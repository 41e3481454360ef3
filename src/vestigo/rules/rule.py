"""What a rule says about itself: the heading it belongs to, and how engines get it."""

from collections.abc import Callable, Mapping
from typing import Literal, NamedTuple

from pydantic import BaseModel

Heading = Literal[
    "room", "lifetimes", "what is kept", "changes", "whose cache", "origin", "bad moments", "what things take"
]

Number = int | bool | str | list[int] | None
"""As the kernel has it; None leaves what it is unless stated, text is one of the kernel's words."""
Numbers = Callable[[object], Mapping[str, Number]]
"""From all rules of a look-up, or of a pool, to the kernel's (native/include/vestigo/rules.def)."""


def always(_: object) -> bool:
    return True


class Rule(NamedTuple):
    """Stands in the annotation of a field. The full replay knows every rule. The plain replay is several times as fast,
    and knows only what is said here. Everything else is replayed in full.
    """

    heading: Heading
    numbers: Numbers | None = None
    """How the kernel gets it. None: another module works it out first (`worked_out`)."""
    plain: Callable[[object], bool] | None = None
    """Whether the plain replay knows a value. None: it knows only the default."""
    worked_out: str = ""
    """The module that works out from the rule what engines get."""

    def is_plain(self, value: object, usual: object) -> bool:
        return bool(value == usual) or (self.plain is not None and self.plain(value))


def rules_of(kind: type[BaseModel]) -> dict[str, Rule]:
    """The rules by name. A field without a `Rule` is left out, and a test finds it."""
    found = {
        name: [one for one in field.metadata if isinstance(one, Rule)] for name, field in kind.model_fields.items()
    }
    return {name: each[0] for name, each in found.items() if each}


def same(*names: str) -> Numbers:
    """The kernel has the rule under the same name, as a whole number."""
    return lambda rules: {name: getattr(rules, name) for name in names}
