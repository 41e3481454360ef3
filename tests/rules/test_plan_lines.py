"""Every table and key of a TOML file is found on its line."""

import tomllib

from vestigo.rules.plan_tables import key_lines

TEXT = """# a comment with key = 1
[rules]
absolute = "1h"   # [not.a.table]
"max_entries" = 5
[lookup."deep water".rules]   # a table
  'on_write' = "drop"
[candidate.big]
lookup.vessel.max_bytes = "1 MiB"
lookup . berth . sliding="5m"
"""


def paths(table: dict[str, object], above: tuple[str, ...] = ()) -> set[tuple[str, ...]]:
    found = {(*above, name) for name in table}
    for name, value in table.items():
        if isinstance(value, dict):
            found |= paths(value, (*above, name))
    return found


def test_what_the_standard_reader_finds_has_a_line() -> None:
    assert set(key_lines(TEXT)) == paths(tomllib.loads(TEXT))


def test_lines_count_from_one_and_a_table_stands_where_it_is_first_named() -> None:
    lines = key_lines(TEXT)
    assert lines["rules",] == 2
    assert lines["rules", "max_entries"] == 4
    assert lines["lookup", "deep water", "rules", "on_write"] == 6
    assert lines["candidate", "big", "lookup"] == 8
    assert lines["candidate", "big", "lookup", "berth", "sliding"] == 9
