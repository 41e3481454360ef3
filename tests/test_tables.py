"""Everything that exists is a row in one table. Everything else is derived from the row, or checked against it here. If
something is missing for a row, the test names the place.
"""

import inspect
import re
from pathlib import Path
from typing import Any

import pytest

from tests.agreement.cases import EVICTIONS, RULES_DRAWN
from tests.cli.calling import run
from vestigo import Measures, Origin, Pool, Rules, Trace, replay, synth
from vestigo.cli.verbs import verbs
from vestigo.compiled import kernel
from vestigo.engine.native.begin import knows_plainly
from vestigo.engine.reference.policies import POLICIES as OF_REFERENCE
from vestigo.measures import MEASURES, amount_of
from vestigo.rules.eviction import POLICIES
from vestigo.rules.rule import Rule, rules_of
from vestigo.rules.schema import plan_schema
from vestigo.rules.what_if import WhatIf
from vestigo.trace.formats.format import known_formats
from vestigo.trace.reading.column_kinds import READERS
from vestigo.trace.trace import COLUMNS

PROJECT = Path(__file__).parents[1]
SOURCES = PROJECT / "src" / "vestigo"
SEMANTICS = (PROJECT / "docs" / "semantics.md").read_text()
SIZE = (PROJECT / "docs" / "size.md").read_text()
VOCABULARY = (PROJECT / "docs" / "vocabulary.md").read_text()
WORKED_OUT_BY_GROUP = {"lookup", "pool", "pinned", "passes", "origin"}


def attributes(kind: type) -> set[str]:
    return {name for name in vars(kind) if not name.startswith("_")}


def test_every_policy_is_in_both_engines_in_random_cases_and_in_the_docs() -> None:
    assert list(POLICIES) == list(kernel.POLICIES), "rules/eviction.py and policies.def name other policies"
    assert set(POLICIES) == set(OF_REFERENCE), "engine/reference/policies/ names other policies"
    drawn = {str(text).split()[0] for text in EVICTIONS}
    assert set(POLICIES) <= drawn, f"tests/agreement/cases.py draws no {set(POLICIES) - drawn}"
    for name, cls in OF_REFERENCE.items():
        assert re.search(r"\b(19|20)\d\d\b", cls.__doc__ or ""), f"{name}: the class names no paper"
        assert re.search(rf"\b{name}\b", SIZE), f"docs/size.md does not tell of {name}"


@pytest.mark.parametrize("name", Rules.model_fields)
def test_every_rule_says_how_engines_get_it_and_is_drawn_and_told(name: str) -> None:
    stated = rules_of(Rules)
    assert name in stated, f"{name}: its annotation has no Rule(...)"
    rule = stated[name]
    if rule.numbers is None:
        assert rule.worked_out, f"{name}: says neither how the kernel gets it nor where it is worked out"
        assert re.search(rf"\b{name}\b", (SOURCES / rule.worked_out).read_text()), f"{rule.worked_out} has no {name}"
    else:
        known = attributes(kernel.GroupRules) | attributes(kernel.PoolRules)
        unknown = set(rule.numbers(Rules())) - known
        assert not unknown, f"{name}: rules.def has no {unknown}"
    assert name in RULES_DRAWN, f"tests/agreement/cases.py draws no {name}"
    assert f"`{name}`" in SEMANTICS, f"docs/semantics.md does not tell of {name}"
    assert plan_schema()["properties"]["rules"]["properties"][name]["description"], f"{name}: nothing stands below it"


def test_every_rule_of_the_kernel_comes_from_one_of_ours() -> None:
    rich = Rules(
        max_entries=5,
        max_bytes="1 MiB",
        when_full="free 10%",
        absolute="1h",
        reload_after="80%",
        keep_if="size <= 64 KiB",
    )
    given = {name for rule in rules_of(Rules).values() if rule.numbers for name in rule.numbers(rich)}
    kernels = attributes(kernel.GroupRules) | attributes(kernel.PoolRules) - {"refuses"}
    assert kernels - given <= WORKED_OUT_BY_GROUP | {"refuses"}, "rules.def has what no rule gives"


def test_the_plain_replay_is_asked_only_for_what_it_is_said_to_know() -> None:
    reloads = Rules(absolute="1h", reload_after="80%", serve_stale="1m", batch="5ms")
    for known in (
        Rules(max_entries=5, absolute="1h", keep_if="size <= 1 KiB", hit_cost_per_kib="1us"),
        Rules(on_write="drop", tell_nodes="drop"),
        reloads,
    ):
        assert knows_plainly(known)
    for unknown in (
        Rules(per="scope"),
        Rules(on_write="replace, reload"),
        Rules(on_write="drop", tell_nodes="copy"),
        Rules(on_write="drop", tell_nodes="drop", tell_delay="1s"),
        reloads.model_copy(update={"jitter": "10%"}),
    ):
        assert not knows_plainly(unknown)


def test_a_rule_that_says_nothing_of_itself_is_replayed_in_full() -> None:
    assert not Rule("origin", None).is_plain(value=5, usual=0)
    assert Rule("origin", None).is_plain(value=0, usual=0)


@pytest.mark.parametrize("name", [*Pool.model_fields, *WhatIf.model_fields, *Origin.model_fields])
def test_what_holds_for_pools_and_traces_is_told(name: str) -> None:
    assert f"`{name}`" in SEMANTICS + VOCABULARY, f"docs/ do not tell of {name}"


@pytest.mark.parametrize("name", MEASURES)
def test_every_measure_is_had_of_an_outcome_and_of_slices_alike(name: str) -> None:
    outcome = replay(synth(reads=500, keys=20, changes="1s", seed=1), Rules(max_entries=5, absolute="5s"))
    amount, told = amount_of(outcome, name), MEASURES[name].of_slices
    assert isinstance(amount, (int, float)), f"{name}: an outcome has none"
    plain: Any = outcome.to_dict()
    for key in name.split("."):
        plain = plain[key]
    assert plain == amount, f"{name}: to_dict has another"
    if told is not None:
        counts = [sum(outcome.slices.column(count)) for count in told.counts]
        assert told.of(*counts) == pytest.approx(amount), f"{name}: slices tell another"
    assert len([one for one in MEASURES.values() if one.label == MEASURES[name].label]) == 1


def test_both_engines_count_under_the_names_of_measures() -> None:
    counted = {*kernel.COUNTS, *kernel.SUMS, *kernel.MOSTS} - {"stored", "superseded", "lost", "other_loads"}
    fields = set(Measures.__dataclass_fields__)
    assert counted <= fields, f"Measures has no {counted - fields}"
    others = {"misses_by_cause", "span_ns", "uncached_time_ns", "changes", "origin_stated", *kernel.SPANS}
    assert fields - counted == others, f"tally.def has no {fields - counted - others}"


@pytest.mark.parametrize("name", COLUMNS)
def test_every_column_is_read_named_and_told(name: str) -> None:
    one = COLUMNS[name]
    assert one.holds in {*READERS, "time", "span", "size"}, f"{name}: no reader reads {one.holds}"
    assert not one.texts or one.texts in Trace.__dataclass_fields__, f"{name}: Trace has no {one.texts}"
    assert f"`{name}`" in SEMANTICS, f"docs/semantics.md does not tell of {name}"
    assert name in plan_schema()["properties"]["trace"]["properties"]["columns"]["properties"]


def test_every_format_is_known_by_its_endings_and_told() -> None:
    formats = known_formats()
    modules = {path.stem for path in (SOURCES / "trace" / "formats").glob("*_file.py")} | {"access_log"}
    assert {inspect.getmodule(one.read).__name__.split(".")[-1] for one in formats.values()} == modules
    told = (PROJECT / "docs" / "traces.md").read_text()
    for name in {one.names[0] for one in formats.values()}:
        assert f".{name}" in told, f"docs/traces.md does not tell of .{name}"


@pytest.mark.parametrize("name", verbs())
def test_every_verb_helps_with_an_example_and_its_exit_statuses_and_speaks_json(name: str, tmp_path: Path) -> None:
    done = run(name, "--help", cwd=tmp_path)
    assert done.returncode == 0
    for part in (f"Example: vestigo {name}", "Exit status: 0 done", "--json"):
        assert part in done.stdout, f"{name} --help lacks {part!r}"
    assert f"`{name}`" in VOCABULARY
