"""What all returned objects have in common: they compare by value, print as tables, become plain data, and can be
kept in a file.

This is the one place below `show` that imports from it, late: an object is shown by the module that knows how.
"""

from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import TYPE_CHECKING, Any, ClassVar, Self, TypeVar

from vestigo.errors import UnknownName, unknown

if TYPE_CHECKING:
    import pandas as pd

Told = dict[str, Any]
"""What `to_dict` returns: plain values by name. They are of many types, and who takes one knows which it is."""

Json = Any
"""Whatever JSON can hold."""

KINDS: dict[str, type[Any]] = {}
"""The classes whose objects a file can hold, by name."""
_C = TypeVar("_C")


def can_be_kept(kind: type[_C]) -> type[_C]:
    """Says that a file can hold objects of a class (see `vestigo.saving`)."""
    KINDS[kind.__name__] = kind
    return kind


def page_of(what: object) -> str:
    """An object as a document for a browser."""
    from vestigo.show.displayed import page

    return page(what)


class InNotebooks:
    """What notebooks show as a table, and a file can hold."""

    def __init_subclass__(cls, **more: object) -> None:
        super().__init_subclass__(**more)
        can_be_kept(cls)

    def _repr_html_(self) -> str:
        from vestigo.show.displayed import html

        return html(self)


class Named(InNotebooks):
    """A dataclass that refuses a name which is not that of a field, with the name that was likely meant. Raises
    UnknownName.
    """

    def __new__(cls, *_: object, **given: object) -> Self:
        known = [one.name for one in fields(cls) if one.init]  # type: ignore[arg-type]
        if problems := [f"{cls.__name__}: {unknown(name, known)}" for name in given if name not in known]:
            raise UnknownName(problems)
        return super().__new__(cls)


_V = TypeVar("_V")


class ByName(dict[str, _V]):
    """What is looked for by name. A name that is not there raises UnknownName, with the name that was likely meant."""

    def __init__(self, what: str, found: Mapping[str, _V]) -> None:
        super().__init__(found)
        self.what = what

    def __missing__(self, name: str) -> _V:
        raise UnknownName(f"{self.what} {unknown(name, self)}")

    def __reduce__(self) -> tuple[object, ...]:
        return ByName, (self.what, dict(self))


class Data(InNotebooks):
    """The base class of what is returned to users: immutable dataclasses (with `eq=False`).

    Two objects are equal if their fields are, arrays included. They have no hash. `print` shows the command line's
    table; `repr` is one line.
    """

    TOLD: ClassVar[Sequence[str]] = ()
    """The fields and properties that `to_dict` has, in its order. All fields, if it does not say."""

    def to_dict(self) -> Told:
        """Plain data for JSON: times in seconds, memory in bytes, rates in [0, 1]."""
        names = self.TOLD or [one.name for one in fields(self)]  # type: ignore[arg-type]
        return {name: plain(getattr(self, name)) for name in names}

    def to_pandas(self) -> "pd.DataFrame":
        """One row. Nested values have names like ``read_time.p95``."""
        import pandas as pd

        return pd.json_normalize([self.to_dict()])

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        if type(self) is not type(other):
            return NotImplemented
        return all(
            same(getattr(self, one.name), getattr(other, one.name))
            for one in fields(self)  # type: ignore[arg-type]
            if one.compare
        )

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        numbers = {one.name: getattr(self, one.name) for one in fields(self)}  # type: ignore[arg-type]
        parts = [
            f"{name}={value:.6g}" if isinstance(value, float) else f"{name}={value!r}"
            for name, value in numbers.items()
            if isinstance(value, (str, int, float))
        ]
        return f"<{type(self).__name__}: {', '.join(parts)}>" if parts else f"<{type(self).__name__}>"

    def __str__(self) -> str:
        from vestigo.show.displayed import text

        return text(self)


def plain(value: object) -> object:
    """A value as plain data, for people: what is returned by its own `to_dict`, and tables and arrays as lists."""
    if hasattr(value, "to_dict"):
        return value.to_dict()
    if isinstance(value, Mapping):
        return {key: plain(one) for key, one in value.items()}
    if hasattr(value, "tolist"):
        return value.tolist()
    return [plain(one) for one in value] if isinstance(value, (list, tuple)) else value


def same(some: Any, other: Any) -> bool:  # noqa: PLR0911  # one line a kind
    """Whether two values are equal. They may contain arrays, and NaN equals itself here."""
    if some is other:
        return True
    if hasattr(some, "dtype") or hasattr(other, "dtype"):
        import numpy as np

        return bool(np.array_equal(some, other, equal_nan=getattr(some, "dtype", np.dtype(int)).kind == "f"))
    if isinstance(some, float) and isinstance(other, float):
        return some == other or (some != some and other != other)  # noqa: PLR0124  # not a number
    if isinstance(some, Data):
        return bool(some == other)
    if isinstance(some, Mapping) and isinstance(other, Mapping):
        return list(some) == list(other) and all(same(some[name], other[name]) for name in some)
    if isinstance(some, Sequence) and isinstance(other, Sequence) and not isinstance(some, str):
        return len(some) == len(other) and all(map(same, some, other))
    return bool(some == other)
