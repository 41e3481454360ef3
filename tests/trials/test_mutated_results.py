"""Results stores and saved results that were damaged are read, set aside, or refused in a sentence."""

import contextlib
from pathlib import Path

import pytest

import vestigo as vg
from tests.trials.cases import bounded, cases, draws, mutated
from vestigo import InputError, Rules
from vestigo.choosing.store import Store

HEAD = 16
"""Without its first bytes, a file is not a store at all, and is left as it is."""


@pytest.mark.parametrize("is_open", [False, True])
def test_a_damaged_store_gives_what_was_put_or_nothing(tmp_path: Path, is_open: bool) -> None:
    at_random = draws()
    results = {f"n{number}": {"a": number, "text": "x" * 800} for number in range(20)}
    store = Store(tmp_path / "base")
    for name, result in results.items():
        store.put(name, result)
    store.close()
    content = (tmp_path / "base").read_bytes()
    for case in range(cases(30, 0.2)):
        path = tmp_path / f"r{case}"
        damaged = content[:HEAD] + mutated(content[HEAD:], at_random)
        path.write_bytes(content if is_open else damaged)
        try:
            store = Store(path)
        except InputError as error:  # a table of another name may be someone else's
            if "a database of something else" not in str(error):
                raise
            continue
        if is_open:
            path.write_bytes(damaged)
        for name, result in results.items():
            assert store.get(name, dict) in (result, None)
        for name in [*results, *results]:  # what was put before the damage showed is set aside with the file
            store.put(name, {"new": name})
        assert all(store.get(name, dict) == {"new": name} for name in results)
        store.close()
        for file in tmp_path.glob(f"r{case}*"):
            file.unlink()


def test_a_damaged_saved_result_is_read_or_refused(tmp_path: Path) -> None:
    at_random = draws()
    trace = vg.synth(300, keys=20)
    saved = {
        "outcome.json": vg.replay(trace, Rules(max_entries=5)),
        "check.json": vg.check(trace, Rules(max_entries=5)),
        "sweep.json": vg.sweep(trace, vg.Plan(Rules(), vary={"rules.max_entries": [3, 5]})),
        "trace.arrow": trace,
    }
    contents = {name: vg.save(what, tmp_path / name).read_bytes() for name, what in saved.items()}
    for _ in range(cases(150, 0.5)):
        name = at_random.choice(sorted(contents))
        (tmp_path / name).write_bytes(mutated(contents[name], at_random))
        with bounded(), contextlib.suppress(InputError):
            assert vg.load(tmp_path / name) == saved[name] or name == "trace.arrow"
