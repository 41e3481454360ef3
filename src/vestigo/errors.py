"""The errors, as one tree:

VestigoError
├── Interrupted     long work that was stopped before its end
└── InputError      wrong input; `problems` holds one sentence for each thing that is wrong
    ├── TraceError  in a trace
    │   └── OutOfMemory  a sound trace that is too large for this machine
    ├── RulesError  in rules, or in what rules are applied to
    └── PlanError   in a plan file
"""

from collections.abc import Sequence


class VestigoError(Exception):
    """Anything that Vestigo raises on purpose."""


class InputError(VestigoError):
    """Wrong input. Every problem is one sentence that says what, where, and what to do.

    >>> str(InputError(["a.csv: no column 'at'", "a.csv: no column 'key'"]))
    "a.csv: no column 'at'\\na.csv: no column 'key'"
    """

    def __init__(self, problems: str | Sequence[str]) -> None:
        self.problems = (problems,) if isinstance(problems, str) else tuple(problems)
        super().__init__("\n".join(self.problems))


class Interrupted(VestigoError):
    """Long work was stopped before its end. The message says how to go on."""


class TraceError(InputError):
    """A trace that cannot be read or replayed."""


class OutOfMemory(TraceError, MemoryError):
    """A sound trace that is too large for the memory of this machine."""


class RulesError(InputError):
    """Rules that mean nothing, or that do not fit the trace. `by_rule` has the problem of each rule, `by_place` that of
    each place in a plan.
    """

    def __init__(
        self,
        problems: str | Sequence[str],
        by_rule: Sequence[tuple[str, str]] = (),
        by_place: Sequence[tuple[tuple[str, ...], str]] = (),
    ) -> None:
        self.by_rule = tuple(by_rule)
        self.by_place = tuple(by_place)
        super().__init__(problems)


class PlanError(InputError):
    """A plan file that cannot be used."""


def unknown(name: str, known: list[str]) -> str:
    """A sentence which says that a name is not known, and which name was likely meant."""
    from difflib import get_close_matches

    near = get_close_matches(name, known, n=1)
    return f"{name!r} is unknown; " + (f"did you mean {near[0]!r}?" if near else f"known are {', '.join(known)}")
