"""The base of what a user states as rules: it is checked when it is made, and written back as it was stated."""

import ast
import inspect
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import FrozenInstanceError
from fractions import Fraction
from textwrap import dedent, fill
from typing import TYPE_CHECKING, Any, NoReturn, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, model_validator
from pydantic_core import ErrorDetails

from vestigo.arguments import is_by_name, shown
from vestigo.data import InNotebooks
from vestigo.errors import InputError, RulesError, rules_error
from vestigo.rules.trade_words import unknown_rule
from vestigo.units import Duration, format_exact_share

_NOTHING = ("never", "no limit", "0%", "all", "longest")
"""Words for what a rule has by default."""

Plain = bool | int | str | list[str]
"""A value as a plan file has it."""


class _Contradictions(ValueError):
    """Rules that are valid one by one, but contradict each other."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__("; ".join(problems))


if TYPE_CHECKING:
    from pydantic._internal._model_construction import ModelMetaclass
else:
    ModelMetaclass = type(BaseModel)


class _ForUsers(ModelMetaclass):
    """Classes of which `dir` and `help` show what is for users, and not the parts of Pydantic."""

    def __dir__(cls) -> list[str]:  # noqa: N805  # of a metaclass
        own = {name for kind in cls.__mro__ if kind.__module__.startswith("vestigo.") for name in vars(kind)}
        return sorted(name for name in own if not name.startswith("_") and name != "model_config")

    @property
    def __doc__(cls) -> str:  # type: ignore[override]  # noqa: N805
        """The docstring of a class, and below it what is said of each field."""
        own = inspect.cleandoc(vars(cls).get("__doc__") or "")
        said = [fill(f"- {name}: {text}", 100, subsequent_indent="  ") for name, text in said_of(cls).items()]
        return "\n\n".join([own, "Each may be left out:", "\n".join(said)])


class _Signature:
    """The rules and what they are unless stated, worked out when somebody asks."""

    def __get__(self, _: object, kind: "type[Checked]") -> inspect.Signature:
        by_name = inspect.Parameter.KEYWORD_ONLY
        usual = {
            name: None if field.default is None or field.default == () else kind.written(name, field.default)
            for name, field in kind.model_fields.items()
        }
        return inspect.Signature([inspect.Parameter(name, by_name, default=value) for name, value in usual.items()])


class Checked(InNotebooks, BaseModel, metaclass=_ForUsers):
    """Immutable rules. Raises RulesError, which names every wrong value."""

    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True)

    def __init__(self, **given: object) -> None:
        try:
            super().__init__(**given)
        except ValidationError as error:
            problems_by_rule = [
                (".".join(map(str, one["loc"])), sentence)
                for one in error.errors()
                for sentence in self._sentences(one)
            ]
            problems = [f"{rule}: {problem}" if rule else problem for rule, problem in problems_by_rule]
            raise rules_error(problems, problems_by_rule) from None

    @classmethod
    def __pydantic_init_subclass__(cls, **_: object) -> None:
        cls.__signature__ = _Signature()  # type: ignore[assignment]

    def model_copy(self, *, update: Mapping[str, object] | None = None, deep: bool = False) -> Self:  # noqa: ARG002
        """The same with other values, checked like new ones. Raises RulesError."""
        if update is not None and not is_by_name(update):
            raise RulesError(f"update: {shown(update)} is not a mapping of values by name; write {{NAME: VALUE}}")
        stated = {name: getattr(self, name) for name in type(self).model_fields if name in self.model_fields_set}
        return type(self)(**{**stated, **(update or {})})

    def __setattr__(self, name: str, _: object) -> NoReturn:
        raise FrozenInstanceError(f"cannot assign to {name!r}; make new ones: model_copy(update={{{name!r}: ...}})")

    def __dir__(self) -> list[str]:
        return [*type(self).model_fields, *dir(type(self))]

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

    def to_kept(self) -> dict[str, Plain]:
        """What a file holds of it. Raises InputError for the user's own code."""
        return self.kept(
            {name: getattr(self, name) for name in type(self).model_fields if name in self.model_fields_set}
        )

    @classmethod
    def kept(cls, values: Mapping[str, object]) -> dict[str, Plain]:
        """Values of rules as a file holds them. Raises InputError for the user's own code."""
        for name, value in values.items():
            if getattr(value, "own", None) is not None:
                raise InputError(f"{name} = {value} is code of your own, which no file can hold; save it without")
        return {name: cls.written(name, value) for name, value in values.items()}

    @classmethod
    def read(cls, name: str, value: object) -> object:
        """The value of one rule, read from what a user may write. Raises ValueError."""
        readers: list[Any] = [one.func for one in cls.model_fields[name].metadata if isinstance(one, BeforeValidator)]
        return readers[0](value) if readers else value

    @classmethod
    def written(cls, name: str, value: object) -> Plain:
        """A rule's value as a plan file writes it.

        >>> from vestigo.rules import Rules
        >>> Rules.written("absolute", None), Rules.written("max_bytes", None), Rules.written("pin", ())
        ('never', 'no limit', [])
        """
        if value != cls.model_fields[name].default or type(value) in (bool, int):
            return _plain(value)
        for text in (str(value), *_NOTHING):
            with suppress(ValueError):
                if cls.read(name, text) == value:
                    return text
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
            return [f"{shown(error['input'])} is not one of {error['ctx']['expected'].replace(chr(39), chr(34))}"]
        return [f"{shown(error['input'])} is wrong: {error['msg']}"]


def _plain(value: object) -> Plain:
    if type(value) is Fraction:
        return format_exact_share(value)
    texts = getattr(value, "texts", value)
    if isinstance(texts, tuple) and not hasattr(texts, "_fields"):
        return str(texts[0]) if len(texts) == 1 else [str(one) for one in texts]
    return value if isinstance(value, int) and not isinstance(value, Duration) else str(value)


def said_of(kind: type) -> dict[str, str]:
    """The docstring below each field of a class and of its bases."""
    docstrings: dict[str, str] = {}
    for base in reversed(kind.__mro__):
        if not base.__module__.startswith("vestigo."):
            continue
        body = ast.parse(dedent(inspect.getsource(base))).body[0]
        assert isinstance(body, ast.ClassDef)
        for stated, after in zip(body.body, [*body.body[1:], None], strict=True):
            if isinstance(stated, ast.AnnAssign) and isinstance(stated.target, ast.Name):
                text = (
                    after.value.value if isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant) else ""
                )
                docstrings[stated.target.id] = " ".join(str(text).split())
    return docstrings
