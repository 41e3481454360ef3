"""The base of what a user states as rules: it is checked when it is made, and written back as it was stated."""

from collections.abc import Iterator
from fractions import Fraction
from typing import Any, Self

from pydantic import BaseModel, ConfigDict, ValidationError, model_validator
from pydantic_core import ErrorDetails

from vestigo.errors import RulesError
from vestigo.rules.trade_words import unknown_rule
from vestigo.units import Duration, format_exact_share

_NOTHING = ("never", "no limit", "0%", "all")
"""Words for what a rule has by default."""

Plain = bool | int | str | list[str]
"""A value as a plan file has it."""


class _Contradictions(ValueError):
    """Rules that are valid one by one, but contradict each other."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__("; ".join(problems))


class Checked(BaseModel):
    """Immutable rules. Raises RulesError, which names every wrong value."""

    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True)

    def __init__(self, **given: object) -> None:
        try:
            super().__init__(**given)
        except ValidationError as error:
            found = [
                (".".join(map(str, one["loc"])), sentence)
                for one in error.errors()
                for sentence in self._sentences(one)
            ]
            raise RulesError([f"{rule}: {problem}" if rule else problem for rule, problem in found], found) from None

    def contradictions(self) -> Iterator[str]:
        """A sentence for each contradiction, with the rules that it is about."""
        yield from ()

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        if problems := list(self.contradictions()):
            raise _Contradictions(problems)
        return self

    def to_dict(self) -> dict[str, Plain]:
        """What differs from the defaults, as a plan file writes it."""
        return {name: _plain(getattr(self, name)) for name in type(self).model_fields if self.differs(name)}

    @classmethod
    def written(cls, name: str, value: object) -> Plain:
        """A rule's value as a plan file writes it.

        >>> from vestigo.rules import Rules
        >>> Rules.written("absolute", None), Rules.written("pin", ())
        ('never', [])
        """
        if value != cls.model_fields[name].default:
            return _plain(value)
        if type(value) in (bool, int):
            return _plain(value)
        for text in (str(value), *_NOTHING):
            try:
                if getattr(cls(**{name: text}), name) == value:
                    return text
            except RulesError:
                continue
        return []

    def differs(self, name: str) -> bool:
        return bool(getattr(self, name) != type(self).model_fields[name].default)

    def __repr__(self) -> str:
        stated = ", ".join(f"{name}={value!r}" for name, value in self.to_dict().items())
        return f"{type(self).__name__}({stated})"

    __str__ = __repr__

    @classmethod
    def _sentences(cls, error: ErrorDetails) -> list[str]:
        if error["type"] == "extra_forbidden":
            return [unknown_rule(str(error["loc"][-1]), list(cls.model_fields))]
        if error["type"] == "value_error":
            cause = error["ctx"]["error"]
            return cause.problems if isinstance(cause, _Contradictions) else [str(cause)]
        if error["type"] == "literal_error":
            return [f"{error['input']!r} is not one of {error['ctx']['expected'].replace(chr(39), chr(34))}"]
        return [f"{error['input']!r} is wrong: {error['msg']}"]


def _plain(value: Any) -> Plain:
    if type(value) is Fraction:
        return format_exact_share(value)
    texts = getattr(value, "texts", value)
    if isinstance(texts, tuple) and not hasattr(texts, "_fields"):
        return str(texts[0]) if len(texts) == 1 else [str(one) for one in texts]
    return value if isinstance(value, int) and not isinstance(value, Duration) else str(value)
