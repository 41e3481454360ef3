"""The line of each key in a TOML file. The standard reader gives values without lines."""

import re

_TABLE = re.compile(r"\s*\[\s*([^\[\]]+?)\s*\]\s*(?:#.*)?$")
_KEY = re.compile(r"""\s*((?:[A-Za-z0-9_-]+|"[^"]*"|'[^']*')(?:\s*\.\s*(?:[A-Za-z0-9_-]+|"[^"]*"|'[^']*'))*)\s*=""")
_PART = re.compile(r"""[A-Za-z0-9_-]+|"[^"]*"|'[^']*'""")

Path = tuple[str, ...]


def key_lines(text: str) -> dict[Path, int]:
    """The line, from 1, on which each table and key is first named.

    >>> key_lines("[rules]\\nabsolute = '1h'\\n[candidate.big]\\nrules.absolute = '2h'")[("candidate", "big", "rules")]
    4
    """
    lines: dict[Path, int] = {}
    table: Path = ()
    for number, line in enumerate(text.splitlines(), 1):
        if header := _TABLE.match(line):
            path = table = _parts(header[1])
        elif key := _KEY.match(line):
            path = (*table, *_parts(key[1]))
        else:
            continue
        for length in range(1, len(path) + 1):
            lines.setdefault(path[:length], number)
    return lines


def _parts(dotted: str) -> Path:
    return tuple(part.strip("\"'") for part in _PART.findall(dotted))
