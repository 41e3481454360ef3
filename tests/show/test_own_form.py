"""Settings in the form of somebody's own program."""

from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from tests.cli.calling import run

FORMS = Path(__file__).resolve().parents[2] / "examples" / "forms"
DURATIONS = st.one_of(st.just("never"), st.integers(1, 10**6).map("{}s".format))
LOOKUPS = st.dictionaries(
    st.sampled_from(["vessel", "chart tiles", 'a "quoted": one', "#7", "ok: {x}"]),
    st.fixed_dictionaries(
        {
            "max_entries": st.one_of(st.just("no limit"), st.integers(1, 10**9)),
            "max_bytes": st.one_of(st.just("no limit"), st.integers(1, 10**6).map("{} KiB".format)),
            "absolute": DURATIONS,
            "sliding": DURATIONS,
            "nulls": st.sampled_from(["skip", "keep", "keep 30s"]),
            "eviction": st.sampled_from(["lru", "fifo", "lfu"]),
            "keep_if": st.sampled_from(["all", "none"]),
        }
    ),
    min_size=1,
)


def rules_in(told: dict[str, object]) -> dict[str, object]:
    """The rules that a service reads from desk.yaml, as a plan has them."""
    seconds = {name: told[name] for name in ("keep_seconds", "idle_seconds", "not_found_seconds")}
    span = {name: "never" if amount is None else f"{amount}s" for name, amount in seconds.items()}
    nulls = {0: "skip", None: "keep"}.get(seconds["not_found_seconds"], f"keep {span['not_found_seconds']}")  # type: ignore[call-overload]
    return {
        "max_entries": "no limit" if told["entries"] is None else told["entries"],
        "max_bytes": "no limit" if told["kibibytes"] is None else f"{told['kibibytes']} KiB",
        "absolute": span["keep_seconds"],
        "sliding": span["idle_seconds"],
        "nulls": nulls,
        "eviction": told["policy"],
        "keep_if": "all" if told["enabled"] else "none",
    }


@given(LOOKUPS)
def test_what_a_service_reads_from_a_filled_in_form_are_the_settings(lookups: dict[str, dict[str, object]]) -> None:
    plan = vg.Plan(lookups=lookups)
    read = yaml.safe_load(vg.fill_in(FORMS / "desk.yaml.j2", plan))
    again = vg.Plan(lookups={name: rules_in(told) for name, told in read["caches"].items()})
    assert {name: again.rules_for(name) for name in lookups} == {name: plan.rules_for(name) for name in lookups}


def filled(folder: Path, text: str, settings: object, *lookups: str) -> str:
    (folder / "t.j2").write_text(text, encoding="utf-8")
    return vg.fill_in(folder / "t.j2", settings, lookups)  # type: ignore[arg-type]


def test_units_pools_and_what_has_no_limit(tmp_path: Path) -> None:
    plan = vg.Plan(
        vg.Rules(absolute="90m", hit_cost="1500ns", jitter="10%"),
        {"b": {"sliding": "2ms"}},
        pools={"desk": vg.Pool(lookups=["a", "b"], max_bytes="3 MiB")},
    )
    for text, wanted in {
        "{{ lookup.a.absolute }} {{ lookup.a.absolute | in_hours }}": "90m 1.5",
        "{{ lookup.a.absolute | in_minutes }} {{ lookup.a.absolute | in_days }}": "90 0.0625",
        "{{ lookup.a.hit_cost | in_us }} {{ lookup.a.hit_cost | in_ns }}": "1.5 1500",
        "{{ lookup.b.max_bytes | in_mib }} {{ lookup.b.max_bytes | in_gib }}": "3 0.0029296875",
        "{{ pool.desk.max_bytes | in_bytes }}": "3145728",
        "{{ lookup.a.sliding | otherwise('-') }} {{ lookup.b.sliding | in_seconds | otherwise('-') }}": "- 0.002",
        "{{ lookup.a.jitter }} {{ lookup.a.drop_first }} {{ lookup.a.per | quoted }}": '0.1 false "node"',
        "{% for name in lookup %}{{ name }};{% endfor %}": "c;b;a;",
    }.items():
        assert filled(tmp_path, text, plan, "c") == wanted


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("\n{{ lookup.aa.absolute }}", r"t.j2:2: look-up 'aa' is unknown; did you mean 'a'\?"),
        ("{{ lookup.a.absolut }}", r"t.j2:1: rule 'absolut' is unknown; did you mean 'absolute'\?"),
        ("\n\n{{ lookup.a.max_bytes }}", r't.j2:3: there is no limit here .* \| otherwise\("0"\)'),
        ("{{ lookup.a.eviction | in_ms }}", "t.j2:1: lru is no duration or size"),
        ("{% if %}", "t.j2:1: "),
        ("{{ ''.__class__.__mro__ }}", "unsafe"),
        ("{% for i in range(10**9) %}{% endfor %}", "Range too big"),
        ("{{ 1 / 0 }}", "division by zero"),
        ("{{ lookup.update({}) }}", "t.j2:1: "),
        ("{% include '/etc/passwd' %}", "t.j2:1: "),
    ],
)
def test_a_wrong_template_is_told_with_its_line(text: str, said: str, tmp_path: Path) -> None:
    with pytest.raises(vg.InputError, match=said):
        filled(tmp_path, text, vg.Rules(), "a")


def test_files_that_are_no_templates(tmp_path: Path) -> None:
    with pytest.raises(vg.InputError, match="cannot be read"):
        vg.fill_in(tmp_path / "none.j2", vg.Rules())
    (tmp_path / "t.j2").write_bytes(b"\xff\xfe")
    with pytest.raises(vg.InputError, match="is not a text in UTF-8"):
        vg.fill_in(tmp_path / "t.j2", vg.Rules())


def test_a_choice_is_written_in_ones_own_form(tmp_path: Path) -> None:
    vg.write_trace(vg.synth(reads=3000, keys=100, seed=2), tmp_path / "reads.parquet")
    asked = ["reads.parquet", "--rules", "max_entries=10", "--rules", "absolute=1m", "--no-results"]
    form = str(FORMS / "desk.yaml.j2")
    done = run("choose", *asked, "--write", "desk.yaml", "--template", form, "--json", cwd=tmp_path)
    assert "desk.yaml: the picked settings" in done.stderr
    (told,) = yaml.safe_load((tmp_path / "desk.yaml").read_text())["caches"].values()
    assert told["kibibytes"] is None or told["kibibytes"] > 0
    done = run("choose", *asked, "--template", form, cwd=tmp_path)
    assert done.returncode == 2 and "--write FILE" in done.stderr and not done.stdout
    (tmp_path / "wrong.j2").write_text("{% if %}")
    done = run("choose", *asked, "--write", "x.yaml", "--template", "wrong.j2", cwd=tmp_path)
    assert done.returncode == 2 and "wrong.j2:1:" in done.stderr and not (tmp_path / "x.yaml").exists()
