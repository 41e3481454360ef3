"""How one look-up is cached."""

from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, model_validator
from pydantic_core import ErrorDetails

from vestigo.errors import RulesError, unknown
from vestigo.rules import values
from vestigo.rules.eviction import Eviction
from vestigo.rules.policy import Room
from vestigo.rules.values import Nulls, WhenFull
from vestigo.units import Duration, format_exact_share

NOT_YET = frozenset(
    "absolute_at keep_if pin clear_at refresh_ahead serve_stale collect per tell_nodes tell_delay batch "
    "hit_cost_per_kib assume_size assume_cost".split()
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
    eviction: Annotated[Eviction, BeforeValidator(Eviction.read)] = Eviction("lru")
    """Which entry makes room: a policy's name, with parameters if they are to differ from the paper's
    (``"slru protected=70%"``), or a class of your own that is a `Policy`."""
    when_full: Annotated[WhenFull, BeforeValidator(values.when_full)] = WhenFull("evict")
    """What happens to a value for which there is no room: others make way, it is not kept, or so many make way that a
    share of the limit is free (``"trim 10%"``)."""
    absolute: Lifetime = None
    """How long an entry lives after its load; None is for ever."""
    sliding: Lifetime = None
    """How long an entry lives after its last hit, or its load; None is for ever."""
    jitter: Annotated[Fraction, BeforeValidator(values.share)] = Fraction(0)
    """The share of `absolute` by which a load's own lifetime may fall short, drawn for each load."""
    nulls: Annotated[Nulls, BeforeValidator(values.nulls)] = Nulls("skip")
    """What happens when the origin has nothing."""
    on_write: Literal["leave", "drop", "replace"] = "leave"
    """What happens to an entry when its key is written."""
    drop_first: Annotated[bool, BeforeValidator(values.flag)] = False
    """Whether callers remove an entry before they read it: a known mistake, to show what it costs."""
    clear_every: Lifetime = None
    """How often the look-up is cleared, from the trace's first event on."""
    survives_restart: Annotated[bool, BeforeValidator(values.flag)] = False
    """Whether entries are still there after a restart."""
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
        if self.when_full.mode != "evict" and self.max_entries is None and self.max_bytes is None:
            raise ValueError(
                f'when_full = "{self.when_full}" without max_entries or max_bytes means nothing: there is no '
                "limit that could be reached; give one, or leave it out"
            )
        if self.jitter and self.absolute is None:
            raise ValueError(
                "jitter without absolute means nothing: there is no lifetime to vary; give one, or leave it out"
            )
        if self.eviction.name == "belady" and self.on_write == "drop":
            raise ValueError(
                'eviction = "belady" with on_write = "drop" means nothing: it keeps a key for its next read, and a '
                "write takes it before; choose another policy, or leave or replace"
            )
        if self.entry_overhead > 2**28:
            raise ValueError(
                f"entry_overhead = {self.entry_overhead} is more than 256 MiB; give the bytes of one entry"
            )
        return self

    @property
    def room(self) -> Room:
        """The room that the policy divides."""
        return self.eviction.room(self.max_entries, self.max_bytes)

    def to_dict(self) -> dict[str, int | str]:
        """The rules that differ from the defaults, as a plan file writes them."""
        return {name: _plain(getattr(self, name)) for name in type(self).model_fields if self._differs(name)}

    def _differs(self, name: str) -> bool:
        return bool(getattr(self, name) != type(self).model_fields[name].default)

    def __repr__(self) -> str:
        return f"Rules({', '.join(f'{name}={value!r}' for name, value in self.to_dict().items())})"

    __str__ = __repr__


def _plain(value: object) -> int | str:
    if isinstance(value, Fraction):
        return format_exact_share(value)
    return value if isinstance(value, int) and not isinstance(value, Duration) else str(value)


def _sentence(error: ErrorDetails) -> str:
    if error["type"] == "extra_forbidden":
        return unknown(str(error["loc"][-1]), list(Rules.model_fields), NOT_YET)
    if error["type"] == "value_error":
        return str(error["ctx"]["error"])
    if error["type"] == "literal_error":
        return f"{error['input']!r} is not one of {error['ctx']['expected'].replace(chr(39), chr(34))}"
    return f"{error['input']!r} is wrong: {error['msg']}"
