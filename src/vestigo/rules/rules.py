"""How one look-up is cached."""

from typing import Annotated, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, model_validator
from pydantic_core import ErrorDetails

from vestigo.errors import RulesError, unknown
from vestigo.rules import values
from vestigo.rules.values import Nulls
from vestigo.units import Duration

NOT_YET = frozenset(
    "when_full absolute_at jitter keep_if drop_first pin clear_every clear_at refresh_ahead serve_stale collect per "
    "tell_nodes tell_delay survives_restart batch hit_cost_per_kib assume_size assume_cost".split()
)

Lifetime = Annotated[Duration | None, BeforeValidator(values.lifetime)]


class Rules(BaseModel):
    """How one look-up is cached. Immutable; checked when it is made.

    Durations are text with a unit, or ``"never"``; sizes are text with a unit, or a number of bytes.
    Raises RulesError, which names every wrong rule.

    >>> Rules(max_entries=500, absolute="1h", nulls="keep 30s", on_write="drop")
    Rules(max_entries=500, absolute='1h', nulls='keep 30s', on_write='drop')
    """

    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True)

    max_entries: Annotated[int | None, BeforeValidator(values.limit)] = None
    """The most entries that are held at once; None is no limit."""
    max_bytes: Annotated[int | None, BeforeValidator(values.byte_limit)] = None
    """The most bytes that are held at once, overhead included; None is no limit."""
    eviction: Literal["lru", "fifo"] = "lru"
    """Which entry makes room."""
    absolute: Lifetime = None
    """How long an entry lives after its load; None is for ever."""
    sliding: Lifetime = None
    """How long an entry lives after its last hit, or its load; None is for ever."""
    nulls: Annotated[Nulls, BeforeValidator(values.nulls)] = Nulls("skip")
    """What happens when the origin has nothing."""
    on_write: Literal["leave", "drop", "replace"] = "leave"
    """What happens to an entry when its key is written."""
    overlap: Literal["repeat", "join"] = "repeat"
    """Whether readers of a key that is being loaded load it too, or wait for it."""
    entry_overhead: Annotated[int, BeforeValidator(values.parse_bytes)] = 64
    """Bytes that each entry takes besides its value."""
    hit_cost: Annotated[Duration, BeforeValidator(values.span)] = Duration(1_000)
    """How long a hit takes."""

    def __init__(self, **rules: object) -> None:
        try:
            super().__init__(**rules)
        except ValidationError as error:
            found = [(".".join(map(str, one["loc"])), _sentence(one)) for one in error.errors()]
            raise RulesError([f"{rule}: {problem}" if rule else problem for rule, problem in found], found) from None

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        if self.max_bytes is not None and self.max_bytes < self.entry_overhead:
            raise ValueError(
                f"max_bytes = {self.max_bytes} is less than entry_overhead = {self.entry_overhead}, so that nothing "
                "could ever be kept; raise the one or lower the other"
            )
        if self.entry_overhead > 2**28:
            raise ValueError(
                f"entry_overhead = {self.entry_overhead} is more than 256 MiB; give the bytes of one entry"
            )
        return self

    def to_dict(self) -> dict[str, int | str]:
        """The rules that differ from the defaults, as a plan file writes them."""
        return {name: _plain(getattr(self, name)) for name in type(self).model_fields if self._differs(name)}

    def _differs(self, name: str) -> bool:
        return bool(getattr(self, name) != type(self).model_fields[name].default)

    def __repr__(self) -> str:
        return f"Rules({', '.join(f'{name}={value!r}' for name, value in self.to_dict().items())})"

    __str__ = __repr__


def _plain(value: object) -> int | str:
    return value if isinstance(value, int) and not isinstance(value, Duration) else str(value)


def _sentence(error: ErrorDetails) -> str:
    if error["type"] == "extra_forbidden":
        return unknown(str(error["loc"][-1]), list(Rules.model_fields), NOT_YET)
    if error["type"] == "value_error":
        return str(error["ctx"]["error"])
    if error["type"] == "literal_error":
        return f"{error['input']!r} is not one of {error['ctx']['expected'].replace(chr(39), chr(34))}"
    return f"{error['input']!r} is wrong: {error['msg']}"
