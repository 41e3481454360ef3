"""``save`` and ``load``: anything that the library returns, as a JSON file, or for a trace as a prepared Arrow file.

An object is written as the name of its class and what it is made from: the fields of a record, or what it says itself
(`to_kept`). The classes are those that say that they can be kept (`vestigo.data.KINDS`).
"""

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
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.finding import found as _found  # noqa: F401  # this and the next modules have classes to be kept
from vestigo.choosing.results import Kept
from vestigo.data import KINDS, Data, Json, Told
from vestigo.errors import InputError
from vestigo.explaining import report as _report  # noqa: F401
from vestigo.explaining.confirm import confirmation as _confirmation  # noqa: F401
from vestigo.explaining.drive import driven as _driven  # noqa: F401
from vestigo.files import write_text
from vestigo.rules import Plan
from vestigo.trace import Trace, read_trace, write_trace
from vestigo.units import Duration

_FORMAT = 3
_KIND = "$"
"""The key under which an object says what it is."""
_OF = "of"
"""The key under which it has what it is made from."""


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
    written_as = content.get("vestigo") if isinstance(content, dict) else None
    if written_as == 1:
        raise InputError(f"{path}: was written by an earlier version of Vestigo; make it again, and save it")
    if written_as not in (_FORMAT - 1, _FORMAT) or not {"what", "digest"} <= content.keys():
        raise InputError(f"{path}: is not a file that vestigo.save wrote")
    if content["digest"] != _digest(content["what"]):
        raise InputError(f"{path}: is damaged (its digest is another); save it again")
    try:
        return _made(content["what"] if written_as == _FORMAT else _as_now(content["what"]))
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, RecursionError, InputError) as error:
        raise InputError(f"{path}: is damaged ({type(error).__name__}); save it again") from None


def _digest(plain: object) -> str:
    """Tells damage, also where what is left could be read."""
    return hashlib.blake2b(json.dumps(plain).encode(), digest_size=20).hexdigest()


def _plain(value: object) -> object:  # noqa: PLR0911  # one line a kind
    """The value as plain data for JSON, from which it can be made again."""
    if value is None or type(value) in (bool, int, str):
        return value
    if isinstance(value, float) and math.isfinite(value):
        return float(value)
    if isinstance(value, np.generic):
        return _plain(value.item())
    if isinstance(value, list):
        return [*map(_plain, value)]
    if type(value).__name__ in KINDS:
        return {_KIND: type(value).__name__, _OF: {name: _plain(one) for name, one in _parts(value).items()}}
    if hasattr(value, "to_kept"):
        return _plain(value.to_kept())
    for kind, (write, _) in _OTHERS.items():
        if isinstance(value, kind):
            return {_KIND: kind.__name__, _OF: write(value)}
    if isinstance(value, Mapping):
        if all(isinstance(key, str) for key in value) and _KIND not in value:
            return {key: _plain(one) for key, one in value.items()}
        return {_KIND: "map", _OF: [[_plain(key), _plain(one)] for key, one in value.items()]}
    raise InputError(f"{type(value).__name__} cannot be saved")


def _parts(value: Any) -> dict[str, object]:
    """What an object of a kind that can be kept is made from, by name."""
    if hasattr(value, "to_kept"):
        parts: dict[str, object] = value.to_kept()
        return parts
    if is_dataclass(value):
        return {one.name: getattr(value, one.name) for one in fields(value) if one.init}
    return dict(value._asdict())


def _made(plain: object) -> Json:
    """The value from the data of `_plain`."""
    if isinstance(plain, list):
        return [*map(_made, plain)]
    if not isinstance(plain, dict):
        return plain
    kind = plain.get(_KIND)
    if kind is None:
        return {key: _made(value) for key, value in plain.items()}
    if kind in KINDS:
        return KINDS[kind](**{name: _made(one) for name, one in plain[_OF].items()})
    if kind == "map":
        return {_made(key): _made(value) for key, value in plain[_OF]}
    return _MAKERS[kind](plain[_OF])


def _array(plain: Told) -> np.ndarray:
    kind = np.dtype(str(plain["dtype"]))
    if kind.kind not in "iufb":
        raise ValueError(kind)
    return np.array(_made(plain["values"]), kind).reshape(plain["shape"])


def _of_array(array: np.ndarray) -> dict[str, object]:
    return {"dtype": array.dtype.str, "shape": array.shape, "values": [*map(_plain, array.ravel().tolist())]}


_OTHERS: Mapping[type, tuple[Callable[[Any], object], Callable[[Any], object]]] = {
    float: (str, float),  # those that JSON does not have
    np.ndarray: (_of_array, _array),
    Duration: (int, Duration),
    Fraction: (str, Fraction),
    Path: (str, Path),
    tuple: (lambda value: [*map(_plain, value)], lambda plain: tuple(map(_made, plain))),
}
"""How values of other kinds are written and read."""
_MAKERS = {kind.__name__: make for kind, (_, make) in _OTHERS.items()}


def _as_now(plain: object) -> Json:
    """The data of the format before this one, as it is written now."""
    if isinstance(plain, list):
        return [*map(_as_now, plain)]
    if not isinstance(plain, dict):
        return plain
    kind = plain.get(_KIND)
    own = {name: _as_now(value) for name, value in plain.items() if name != _KIND}
    if kind is None:
        return own
    if kind in ("array", "Slices"):
        rest = {"dtype": own.pop("of")} | own if kind == "array" else own
        return {_KIND: {"array": "ndarray"}.get(kind, kind), _OF: rest}
    (parts,) = own.values()  # each kind had a word of its own for what it is made from
    if kind in KINDS and isinstance(parts, list):
        parts = dict(zip(KINDS[kind]._fields, parts, strict=False))  # what came later has a default
    if kind == Candidate.__name__:
        kept = Kept.from_dict(parts.pop("result"))
        made = Candidate.made(parts["name"], _made(parts["changes"]), _made(parts["plan"]), kept)
        return _plain(made)
    return {_KIND: kind, _OF: parts}
