"""Settings in the form that somebody's own program reads: a template filled in."""

import json
from collections.abc import Callable, Collection, Mapping
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

from vestigo.arguments import path_of
from vestigo.data import ByName
from vestigo.errors import InputError, VestigoError, unknown
from vestigo.rules import Plan
from vestigo.rules.pool import PoolRules
from vestigo.rules.settings import Settings, plan_of
from vestigo.units import SECOND, Duration

if TYPE_CHECKING:
    from jinja2 import Template

_IN_UNITS: Mapping[str, int] = {
    "in_ns": 1,
    "in_us": SECOND // 1_000_000,
    "in_ms": SECOND // 1_000,
    "in_seconds": SECOND,
    "in_minutes": 60 * SECOND,
    "in_hours": 3600 * SECOND,
    "in_days": 86_400 * SECOND,
    "in_bytes": 1,
    "in_kib": 2**10,
    "in_mib": 2**20,
    "in_gib": 2**30,
}
"""What each filter divides a duration or a size by."""


def fill_in(template: str | Path, settings: Settings, lookups: Collection[str] = ()) -> str:
    """The text of a Jinja template, filled in with settings.

    The template has ``lookup`` and ``pool``, from which it takes rules by name: ``lookup.vessel.absolute``, or
    ``lookup["chart tiles"].max_bytes``. A look-up has the rules that hold for it, also those of its pool, and
    ``nulls_lifetime``. `lookups` names more of them than the plan does. Filters write durations and sizes in any unit:
    ``in_ns``, ``in_us``, ``in_ms``, ``in_seconds``, ``in_minutes``, ``in_hours``, ``in_days``; ``in_bytes``,
    ``in_kib``, ``in_mib``, ``in_gib``. ``otherwise("0")`` says what stands for "never" and "no limit", and ``quoted``
    quotes a text as JSON and YAML do.

    Raises InputError for a template that cannot be read or filled in, with its line.

    >>> import tempfile
    >>> from vestigo import Rules
    >>> with tempfile.NamedTemporaryFile("w", suffix=".j2") as file:
    ...     _ = file.write("keep: {{ lookup.vessel.absolute | in_seconds }}")
    ...     file.flush()
    ...     fill_in(file.name, Rules(absolute="10m"), ["vessel"])
    'keep: 600'
    """
    path, plan = path_of("template", template), plan_of(settings)
    pooled = (name for pool in plan.pools.values() for name in pool.lookups)
    names = dict.fromkeys([*lookups, *plan.lookups, *plan.keys, *pooled])
    known = {
        "lookup": ByName("look-up", {name: _rules_of(plan, name) for name in names}),
        "pool": ByName("pool", {name: ByName("rule", _told(pool)) for name, pool in plan.pools.items()}),
    }
    form = parsed(path)
    try:
        return form.render(known)
    except _wrong() as error:
        raise InputError(f"{path}:{_line(error)}: {error}") from None


def parsed(path: Path) -> "Template":
    """A template that is to be filled in. Raises InputError, with the line."""
    from jinja2 import StrictUndefined, TemplateSyntaxError  # takes a while to import
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror or error}") from None
    except UnicodeDecodeError:
        raise InputError(f"{path}: is not a text in UTF-8; save the template as UTF-8") from None

    class Unknown(StrictUndefined):
        """A name that is not there."""

        @property
        def _undefined_message(self) -> str:
            known, name = self._undefined_obj, self._undefined_name
            return f"{known.what} {unknown(name, known)}" if isinstance(known, ByName) else super()._undefined_message

    own = ImmutableSandboxedEnvironment(
        undefined=Unknown,
        finalize=_written,
        trim_blocks=True,
        lstrip_blocks=True,
        keep_trailing_newline=True,
        autoescape=False,  # it is no page: YAML and the like have no entities
    )
    own.filters.update({name: _in_unit(divisor) for name, divisor in _IN_UNITS.items()})
    own.filters.update(otherwise=_otherwise, quoted=_quoted)
    try:
        return own.from_string(text)
    except TemplateSyntaxError as error:
        raise InputError(f"{path}:{error.lineno}: {error.message}") from None


def _wrong() -> tuple[type[Exception], ...]:
    """What filling in a wrong template raises."""
    from jinja2 import TemplateError

    return TemplateError, VestigoError, ArithmeticError, TypeError, ValueError, LookupError, AttributeError


def _rules_of(plan: Plan, lookup: str) -> ByName[object]:
    rules = plan.rules_for(lookup)
    return ByName("rule", {**_told(rules), **_room(plan.pool_rules(lookup)), "nulls_lifetime": rules.nulls.lifetime})


def _room(pool: PoolRules) -> dict[str, object]:
    return {name: value for name, value in _told(pool).items() if name in PoolRules.model_fields}


def _told(rules: PoolRules) -> dict[str, object]:
    """Numbers, durations, sizes and yes or no as they are, all else as a plan file writes it."""
    values = {name: getattr(rules, name) for name in type(rules).model_fields}
    return {name: value if _is_plain(value) else rules.written(name, value) for name, value in values.items()}


def _is_plain(value: object) -> bool:
    return value is None or isinstance(value, (bool, int, Fraction))


def _line(error: BaseException) -> int:
    """The line of a template in which an error was raised."""
    line, frame = 1, error.__traceback__
    while frame is not None:
        if frame.tb_frame.f_code.co_filename == "<template>":
            line = frame.tb_lineno
        frame = frame.tb_next
    return line


def _in_unit(divisor: int) -> Callable[[object], object]:
    def written(amount: object) -> object:
        if amount is None:
            return None
        if isinstance(amount, bool) or not isinstance(amount, int):
            raise InputError(f"{amount} is no duration or size; take the filter away")
        whole, rest = divmod(amount, divisor)
        return whole if rest == 0 else amount / divisor

    return written


def _otherwise(amount: object, instead: object) -> object:
    return instead if amount is None else amount


def _quoted(text: object) -> str:
    return json.dumps(str(_written(text)), ensure_ascii=False)


def _written(value: object) -> object:
    """What stands in the text for a value. Raises InputError where nobody said what that is."""
    if value is None:
        _refuse_nothing()
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Fraction):
        return float(value)
    return str(value) if isinstance(value, Duration) else value


def _refuse_nothing() -> NoReturn:
    raise InputError('there is no limit here ("never", "no limit"); say what to write for it: | otherwise("0")')
