"""Data as it comes: rotated logs, several files, messages of many kinds, amounts with units."""

import gzip
from pathlib import Path

import pytest

from vestigo import read_trace
from vestigo.cli.stated import plan_for
from vestigo.errors import RulesError, TraceError
from vestigo.rules import Rules
from vestigo.trace import Trace, synth, write_trace
from vestigo.units import Duration

TIME = "2026-03-17T08:00:0{}Z"


def log_line(second: int, key: str) -> str:
    return f'10.0.0.1 - - [17/Mar/2026:08:00:{second:02} +0000] "GET /{key} HTTP/1.1" 200 512 0.043\n'


def rotated(folder: Path) -> list[Path]:
    """Logs whose names go backwards in time."""
    contents = {"access.log": (20, "c"), "access.log.1": (10, "b"), "access.log-20260316.gz": (0, "a")}
    folder.mkdir()
    for name, (second, key) in contents.items():
        lines = log_line(second, key) + log_line(second + 1, key)
        (folder / name).write_bytes(gzip.compress(lines.encode()) if name.endswith(".gz") else lines.encode())
    (folder / "README").write_text("no log")
    return [folder / name for name in contents]


def read_lines(tmp_path: Path, lines: str, **options: object) -> Trace:
    path = tmp_path / "t.jsonl"
    path.write_text(lines)
    return read_trace(path, **options)


def keys(trace: Trace) -> list[str]:
    return [str(trace.keys[int(key)]) for key in trace.key]


def test_rotated_logs_are_read_alone_in_a_folder_and_as_several_files(tmp_path: Path) -> None:
    files = rotated(tmp_path / "logs")
    assert keys(read_trace(files[1])) == ["/b", "/b"]
    for where in (tmp_path / "logs", files, list(map(str, reversed(files)))):
        trace = read_trace(where)
        assert keys(trace) == ["/a", "/a", "/b", "/b", "/c", "/c"]
        assert trace.moved == 0
        assert trace.notes == ("3 files: the requests' durations taken as s (cost_unit states another unit)",)


def test_a_file_that_is_named_twice_is_read_once(tmp_path: Path) -> None:
    files = rotated(tmp_path / "logs")
    assert len(read_trace([files[0], files[0], tmp_path / "logs"])) == 6
    with pytest.raises(TraceError, match="name either it or files"):
        read_trace(["-", files[0]])


def test_lines_of_a_log_that_ran_together_are_malformed(tmp_path: Path) -> None:
    path = tmp_path / "access.log"
    first, second = log_line(1, "a"), log_line(2, "b")
    refused = '10.0.0.1 - - [17/Mar/2026:08:00:01 +0000] "-" 400 0'
    path.write_text(f"{first.strip()} {second}{first[:60]}{second}{refused} {second}{second}")
    trace = read_trace(path)
    assert keys(trace) == ["/b"]
    assert any(note.startswith(f"{path}: left out 3 malformed lines") for note in trace.notes)


MESSAGES = '{"t":"2026-03-17T08:00:00Z","m":{"id":1}}\n{"t":"2026-03-17T08:00:01Z","m":{}}\n'
MESSAGES += '{"t":"2026-03-17T08:00:02Z","m":{"id":"x"}}\n'


def test_a_message_without_a_key_is_left_out_and_counted(tmp_path: Path) -> None:
    columns = {"at": "{t}", "key": "{m.id}"}
    trace = read_lines(tmp_path, MESSAGES, columns=columns)
    assert keys(trace) == ["1", "x"]
    note = f"{tmp_path / 't.jsonl'}: left out 1 message without a key, the first in line 2"
    assert trace.notes == (note,)
    with pytest.raises(TraceError) as error:
        read_lines(tmp_path, MESSAGES, columns=columns, strict=True)
    assert error.value.problems == (note,)


def test_columns_in_messages_are_named_as_they_are_written(tmp_path: Path) -> None:
    with pytest.raises(TraceError) as error:
        read_lines(tmp_path, MESSAGES, columns={"at": "{t}", "key": "{m.idx}"})
    assert error.value.problems[0].endswith("no column 'm.idx', which column 'key' is made of; the file has t, m.id")


@pytest.mark.parametrize(
    ("template", "expected"),
    [
        ("{args}", ['[1,"b"]', '[1,"b"]', "[2]"]),
        ("{args.0}", ["1", "1", "2"]),
        ("{args.0}/{args.1?}", ["1/b", "1/b", "2/"]),
        ("{rows}", ["[]", r'[{"x":"\u00e9"}]', "[3]"]),
        ("{nowhere?}{id}", ["7", "é", "7"]),
    ],
)
def test_lists_their_elements_and_ids_of_two_kinds_are_keys(tmp_path: Path, template: str, expected: list[str]) -> None:
    lines = (
        '{"at":"2026-03-17T08:00:00Z","args":[1,"b"],"rows":[],"id":7}\n'
        '{"at":"2026-03-17T08:00:01Z","args":[1, "b"],"rows":[{"x": "\\u00e9"}],"id":"\\u00e9"}\n'
        '{"at":"2026-03-17T08:00:02Z","args":[2],"rows":[3],"id":"7"}\n'
    )
    for nulls in ([], "[]"):
        trace = read_lines(tmp_path, lines, columns={"key": template}, null_where={"rows": nulls})
        assert keys(trace) == expected
        assert trace.found.tolist() == [0, 1, 1]


def test_ids_of_another_kind_far_down_are_read_too(tmp_path: Path) -> None:
    many = "".join(f'{{"at":{1_773_734_400 + n},"key":{n}}}\n' for n in range(3_000))
    trace = read_lines(tmp_path, many + '{"at":1773740000,"key":"x"}\n')
    assert keys(trace) == [*map(str, range(3_000)), "x"]


def test_amounts_may_have_units(tmp_path: Path) -> None:
    costs = ["43ms", "PT0.043S", "1m3.5s", "2 hours", "", "12µs"]
    sizes = ["4 KiB", "512", "1.5 kB", "", "2 bytes", "1 MiB"]
    rows = [f"{TIME.format(n)},a,{cost},{size}\n" for n, (cost, size) in enumerate(zip(costs, sizes, strict=True))]
    path = tmp_path / "t.csv"
    path.write_text("at,key,cost,size\n" + "".join(rows))
    trace = read_trace(path)
    assert trace.cost.tolist() == [43_000_000, 43_000_000, 63_500_000_000, 7_200_000_000_000, -1, 12_000]
    assert trace.size.tolist() == [4096, 512, 1500, -1, 2, 1 << 20]
    path.write_text(f"at,key,cost\n{TIME.format(1)},a,43 fortnights\n")
    with pytest.raises(TraceError, match="found '43 fortnights'; it must be a time span from 0 to 100 years"):
        read_trace(path)


@pytest.mark.parametrize(
    ("costs", "unit"),
    [("43 51", "ms"), ("0.043 0.2", "s"), ("43000 900", "us"), ("43000000 2100000", "ns"), ("1.5 2.5", "ms")],
)
def test_the_amounts_tell_the_unit_of_costs(tmp_path: Path, costs: str, unit: str) -> None:
    path = tmp_path / "t.csv"
    path.write_text("at,key,cost\n" + "".join(f"{TIME.format(n)},a,{cost}\n" for n, cost in enumerate(costs.split())))
    assert read_trace(path).notes == (f"{path}: costs taken as {unit}, by their size (cost_unit states another)",)
    assert read_trace(path, cost_unit="s").notes == ()


def test_each_look_up_counts_once_when_the_unit_is_guessed(tmp_path: Path) -> None:
    busy = "".join(f"{TIME.format(1)},busy,k{n},0.3\n" for n in range(500))
    slow = "".join(f"{TIME.format(2)},{name},k,0.04\n" for name in ("chart", "tide"))
    path = tmp_path / "t.csv"
    path.write_text(f"at,lookup,key,cost\n{busy}{slow}")
    assert "costs taken as s," in read_trace(path).notes[0]


@pytest.mark.parametrize("ending", ["csv", "jsonl", "parquet", "csv.gz"])
def test_recordings_of_our_own_are_read_in_silence(tmp_path: Path, ending: str) -> None:
    trace = synth(500, keys=20, cost="300ns", size="1 KiB", seed=3)
    again = read_trace(write_trace(trace, tmp_path / f"t.{ending}"))
    assert again.notes == () and again.cost.tolist() == trace.cost.tolist()


@pytest.mark.parametrize(
    ("text", "plain"), [("1 week", "7d"), ("2w", "14d"), ("1h30m", "90m"), ("PT4H", "4h"), ("P1DT12H", "36h")]
)
def test_durations_as_people_and_standards_write_them(text: str, plain: str) -> None:
    assert Duration.parse(text) == Duration.parse(plain)


@pytest.mark.parametrize("text", ["30m1h", "P", "PT", "", "1h 30", "-5s", "10M"])
def test_what_is_no_duration_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match="is not a duration such as"):
        Duration.parse(text)


@pytest.mark.parametrize(
    ("word", "rule"),
    [("ttl", "absolute"), ("max_size", "max_entries"), ("capacity", "max_bytes"), ("max_age", "absolute")],
)
def test_words_of_the_trade_are_refused_with_the_rule_that_does_it(word: str, rule: str) -> None:
    with pytest.raises(RulesError) as error:
        Rules(**{word: 5})
    assert f"{word!r} is unknown; write" in str(error.value) and rule in str(error.value)


@pytest.mark.parametrize("key", ["0123", "123", "00"])
def test_a_key_keeps_its_zeros_on_the_command_line(key: str) -> None:
    plan = plan_for(None, [f"pin={key}", "max_entries=500"])
    assert plan is not None and plan.rules.pin == (key,) and plan.rules.max_entries == 500
