"""The errors, as one tree:

VestigoError
├── WorkersLost     the workers of an executor went away before the work was done
├── GivenUp         work that nobody waits for any more
└── InputError      wrong input; `problems` holds one sentence for each thing that is wrong
    ├── TraceError  in a trace
    │   └── OutOfMemory  a sound trace that is too large for this machine
    ├── RulesError  in rules, in a plan, or in another argument of a call
    │   └── UnknownName  a name that nothing has: of a look-up, key, node, measure, candidate, rule or policy
    └── PlanError   in a plan file

KeyboardInterrupt
└── Interrupted     Ctrl-C during long work; it carries what was done by then
"""

from collections.abc import Iterable, Sequence


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

    def __str__(self) -> str:
        return "\n".join(self.problems)


class WorkersLost(VestigoError):
    """The workers of an executor went away before the work was done. The message says how to go on. `found` is what was
    done by then: the same kind of object as the whole, or None if that is too little for one.
    """

    def __init__(self, message: str, found: object = None) -> None:
        self.found = found
        super().__init__(message)


class GivenUp(VestigoError):
    """The work was told to stop, because nobody waits for it any more."""


class Interrupted(KeyboardInterrupt):
    """Ctrl-C during long work. The message says how to go on. `found` is what was done by then: the same kind of object
    as the whole, or None if that is too little for one.
    """

    def __init__(self, message: str, found: object = None) -> None:
        self.found = found
        super().__init__(message)


class TraceError(InputError):
    """A trace that cannot be read or replayed."""


class OutOfMemory(TraceError, MemoryError):
    """A sound trace that is too large for the memory of this machine."""


class RulesError(InputError):
    """A value that means nothing or does not fit the trace: in rules, in a plan, or as another argument of a call.
    `by_rule` has the problem of each rule, `by_place` that of each place in a plan.
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


class UnknownName(RulesError, KeyError):
    """A name that nothing has: of a look-up, key, node, measure, candidate, rule or policy. The message says which name
    was likely meant.

    >>> raise_for_unknown("measure", "hit_rat", ["hit_rate", "loads"])
    Traceback (most recent call last):
    ...
    vestigo.errors.UnknownName: measure 'hit_rat' is unknown; did you mean 'hit_rate'?
    """


class PlanError(InputError):
    """A plan file that cannot be used."""


_IS_UNKNOWN = " is unknown; "
_LISTED = 20


def rules_error(
    problems: Sequence[str],
    by_rule: Sequence[tuple[str, str]] = (),
    by_place: Sequence[tuple[tuple[str, ...], str]] = (),
) -> RulesError:
    """The error for several problems: UnknownName if each is a name that nothing has."""
    kind = UnknownName if all(_IS_UNKNOWN in problem for problem in problems) else RulesError
    return kind(problems, by_rule, by_place)


def unknown(name: object, known: Iterable[str]) -> str:
    """A sentence which says that a name is not known, and which name was likely meant."""
    from difflib import get_close_matches

    names = list(known)
    near = get_close_matches(name, names, n=1) if isinstance(name, str) else []
    if near:
        return f"{name!r}{_IS_UNKNOWN}did you mean {near[0]!r}?"
    more = f" and {len(names) - _LISTED:,} more" if len(names) > _LISTED else ""
    listed = f"{', '.join(names[:_LISTED])}{more}" if names else "none"
    return f"{name!r}{_IS_UNKNOWN}known are {listed}"


def raise_for_unknown(what: str, name: object, known: Iterable[str]) -> None:
    """Raises UnknownName unless `known` has the name. `what` says what it is the name of."""
    names = list(known)
    if not isinstance(name, str) or name not in names:
        raise UnknownName(f"{what} {unknown(name, names)}")
