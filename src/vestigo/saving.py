"""``save`` and ``load``: anything that the library returns, as a JSON file, or for a trace as a prepared Arrow file."""

import hashlib
import json
import math
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from vestigo.arguments import path_of
from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.compare import Comparison
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.pick import Excess, HeldOut, Pick, Relaxed
from vestigo.choosing.share_out import Sharing
from vestigo.choosing.sweep import Sweep
from vestigo.data import Data
from vestigo.describing.curves import Curves
from vestigo.describing.findings import Finding
from vestigo.describing.survey import Survey
from vestigo.describing.traits import Traits
from vestigo.describing.verdict import Verdict
from vestigo.engine.size_curve import SizeCurve
from vestigo.errors import InputError
from vestigo.explaining.check.findings import Check, Mistake, RuleTried
from vestigo.explaining.confirm.confirmation import Compared, Confirmation, Try
from vestigo.explaining.drive.driven import Difference, Driven, Explanation, ReadCounts
from vestigo.explaining.report import Report
from vestigo.explaining.why.story import Advice, Stay, Step, Story
from vestigo.files import write_text
from vestigo.outcome import Keys, Mark, Measures, Outcome, Reads, Slice, Slices, Spans
from vestigo.rules import Aim, CounterNames, Plan, Pool, Rules, WhatIf, Worth
from vestigo.rules.aim import Limit
from vestigo.rules.checked import Checked
from vestigo.rules.plan import Called
from vestigo.rules.stated import Stated
from vestigo.trace import Intake, Trace, read_trace, write_trace
from vestigo.units import Duration

_FORMAT = 2
_KIND = "$"
"""The key under which an object says what it is."""

_RECORDS = {
    kind.__name__: kind
    for kind in (
        *(Outcome, Measures, Slice, Spans, Comparison, SizeCurve, Sweep, Candidate, Estimate, Pick, Sharing, Survey),
        *(Traits, Finding, Verdict, Curves, Plan, Intake, Aim, Worth, Story, Step, Stay, Advice),
        *(
            Compared,
            Confirmation,
            Try,
            Check,
            Candidates,
            RuleTried,
            Mistake,
            Driven,
            ReadCounts,
            Difference,
            Explanation,
            Report,
        ),
    )
}
_TUPLES = {kind.__name__: kind for kind in (Mark, Excess, HeldOut, Relaxed, Limit, Called)}
_RULES = {kind.__name__: kind for kind in (Rules, Pool, WhatIf, CounterNames)}


def save(what: Data | Plan, path: str | Path) -> Path:
    """Writes anything that the library returned to a file, and returns the path. A `Trace` is written in the prepared
    form (``.arrow``), everything else as JSON (``.json``).

    The file is written whole or not at all. Raises InputError if it cannot be written, or if it contains your own code,
    which a file cannot hold.

    >>> import tempfile, vestigo as vg
    >>> outcome = vg.replay(vg.synth(reads=100, keys=10, seed=1), vg.Rules(max_entries=5))
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     vg.load(vg.save(outcome, f"{folder}/outcome.json")) == outcome
    True
    """
    path = path_of("path", path)
    if isinstance(what, Trace):
        if path.suffix != ".arrow":
            raise InputError(f"{path}: a trace is saved as .arrow; `write_trace` writes it in other formats")
        return write_trace(what, path)
    if path.suffix != ".json":
        raise InputError(f"{path}: {type(what).__name__} is saved as .json; name the file so")
    plain = _plain(what)
    write_text(path, json.dumps({"vestigo": _FORMAT, "digest": _digest(plain), "what": plain}, allow_nan=False))
    return path


def load(path: str | Path) -> Any:
    """Reads what `save` wrote. Raises InputError for a file that `save` did not write, or that was damaged since."""
    path = path_of("path", path)
    if path.suffix == ".arrow":
        return read_trace(path)
    try:
        content = json.loads(path.read_bytes())
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror or error}") from None
    except (ValueError, RecursionError) as error:  # it is not JSON, not UTF-8, or nested too deep
        raise InputError(f"{path}: is not JSON: {error}") from None
    if isinstance(content, dict) and content.get("vestigo") == _FORMAT - 1:
        raise InputError(f"{path}: was written by an earlier version of Vestigo; make it again, and save it")
    if not isinstance(content, dict) or content.get("vestigo") != _FORMAT or not {"what", "digest"} <= content.keys():
        raise InputError(f"{path}: is not a file that vestigo.save wrote")
    if content["digest"] != _digest(content["what"]):
        raise InputError(f"{path}: is damaged (its digest is another); save it again")
    try:
        return _made(content["what"])
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, RecursionError, InputError) as error:
        raise InputError(f"{path}: is damaged ({type(error).__name__}); save it again") from None


def _digest(plain: Any) -> str:
    """Tells damage, also where what is left could be read."""
    return hashlib.blake2b(json.dumps(plain).encode(), digest_size=20).hexdigest()


def _plain(value: Any) -> Any:  # noqa: PLR0911, PLR0912  # one line a kind
    """The value as plain data for JSON."""
    if value is None or type(value) in (bool, int, str):
        return value
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else {_KIND: "float", "value": str(value)}
    if isinstance(value, np.generic):
        return _plain(value.item())
    if isinstance(value, np.ndarray):
        return {
            _KIND: "array",
            "of": value.dtype.str,
            "shape": value.shape,
            "values": [*map(_plain, value.ravel().tolist())],
        }
    if isinstance(value, Duration):
        return {_KIND: "Duration", "ns": int(value)}
    if isinstance(value, Fraction):
        return {_KIND: "Fraction", "value": f"{value.numerator}/{value.denominator}"}
    if isinstance(value, Path):
        return {_KIND: "Path", "value": str(value)}
    if isinstance(value, Slices):
        return {_KIND: "Slices", "columns": _plain(value.columns)}
    if isinstance(value, (Checked, Stated)):
        return {_KIND: type(value).__name__, "stated": _written(value)}
    if is_dataclass(value) and type(value).__name__ in _RECORDS:
        return {_KIND: type(value).__name__, "fields": {name: _plain(one) for name, one in _fields(value).items()}}
    if isinstance(value, tuple) and type(value).__name__ in _TUPLES:
        return {_KIND: type(value).__name__, "items": [*map(_plain, value)]}
    if isinstance(value, tuple):
        return {_KIND: "tuple", "items": [*map(_plain, value)]}
    if isinstance(value, list):
        return [*map(_plain, value)]
    if isinstance(value, Mapping):
        if all(isinstance(key, str) for key in value) and _KIND not in value:
            return {key: _plain(one) for key, one in value.items()}
        return {_KIND: "map", "items": [[_plain(key), _plain(one)] for key, one in value.items()]}
    if isinstance(value, (Reads, Keys)):
        raise InputError(
            f"a table of {type(value).__name__.lower()} is not saved as JSON; write its to_arrow() to a file"
        )
    raise InputError(f"{type(value).__name__} cannot be saved")


def _fields(record: Any) -> dict[str, Any]:
    """The fields that a record is made from."""
    return {one.name: getattr(record, one.name) for one in fields(record) if one.init}


def _written(stated: Checked | Stated) -> dict[str, Any]:
    """Rules as a plan file has them. Raises InputError for the user's own code."""
    for name, value in dict(stated).items():
        if getattr(value, "own", None) is not None:
            raise InputError(f"{name} = {value} is code of your own, which no file can hold; save it without")
    return dict(Stated.by(stated).to_dict() if isinstance(stated, Rules) else stated.to_dict())


def _made(plain: Any) -> Any:  # noqa: PLR0911  # one line a kind
    """The value from the data of `_plain`."""
    if isinstance(plain, list):
        return [*map(_made, plain)]
    if not isinstance(plain, dict):
        return plain
    kind = plain.get(_KIND)
    if kind is None:
        return {key: _made(value) for key, value in plain.items()}
    if kind in _RECORDS:
        return _RECORDS[kind](**{name: _made(value) for name, value in plain["fields"].items()})
    if kind in _TUPLES:
        return _TUPLES[kind](*map(_made, plain["items"]))
    if kind in _RULES:
        return _RULES[kind](**plain["stated"])
    return _MAKERS[kind](plain)


def _array(plain: Mapping[str, Any]) -> np.ndarray:
    kind = np.dtype(str(plain["of"]))
    if kind.kind not in "iufb":
        raise ValueError(kind)
    return np.array(_made(plain["values"]), kind).reshape(plain["shape"])


_MAKERS: dict[str, Callable[[Mapping[str, Any]], Any]] = {
    "float": lambda plain: float(plain["value"]),
    "array": _array,
    "Duration": lambda plain: Duration(plain["ns"]),
    "Fraction": lambda plain: Fraction(plain["value"]),
    "Path": lambda plain: Path(plain["value"]),
    "Slices": lambda plain: Slices(_made(plain["columns"])),
    "Stated": lambda plain: dict(plain["stated"]),
    "tuple": lambda plain: tuple(map(_made, plain["items"])),
    "map": lambda plain: {_made(key): _made(value) for key, value in plain["items"]},
}
