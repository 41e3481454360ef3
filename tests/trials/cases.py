"""How many cases a trial has, and from which seed."""

import os
import random
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.slowness import seconds


def cases(few: int, share: float = 1.0, most: int = 1_000_000) -> int:
    """A few in ``make test``. In ``make explore``, a share of those that are asked for, and no more than `most`."""
    asked = os.environ.get("VESTIGO_CASES")
    return few if asked is None else min(max(round(int(asked) * share), few), most)


@contextmanager
def bounded() -> Iterator[None]:
    """A case that takes no longer than 10 s, and no more than 1 GB beyond what was there before, whatever comes out."""
    Path("/proc/self/clear_refs").write_text("5")  # the peak begins anew
    before, begun = _peak_bytes(), time.monotonic()
    yield
    took, more = time.monotonic() - begun, _peak_bytes() - before
    assert took < seconds(10), f"{took:.1f} s"
    assert more < 10**9, f"{more:,} bytes"


def _peak_bytes() -> int:
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) << 10


def draws() -> random.Random:
    """Random numbers: the same on every machine in ``make test``, of the printed seed in ``make explore``."""
    return random.Random(int(os.environ.get("VESTIGO_SEED", "1")))


def mutated(content: bytes, at_random: random.Random) -> bytes:
    """The content after some changes: letters, cuts, parts that are left out, doubled, or put elsewhere."""
    changed = bytearray(content)
    for _ in range(at_random.choice((1, 1, 2, 3, 8))):
        begin = at_random.randrange(len(changed) + 1)
        end = min(begin + at_random.choice((1, 1, 2, 4, 20, 200)), len(changed))
        kind = at_random.randrange(6)
        if kind == 0 and begin < len(changed):
            changed[begin] = at_random.randrange(256)
        elif kind == 1:
            del changed[begin:end]
        elif kind == 2:
            changed[begin:begin] = changed[begin:end] * at_random.choice((1, 2, 50))
        elif kind == 3:
            changed[begin:begin] = at_random.choice(PIECES)
        elif kind == 4:
            changed[begin:end] = bytes(at_random.randrange(256) for _ in range(end - begin))
        elif at_random.random() < 0.2:
            del changed[begin:]
    return bytes(changed)


PIECES = [
    *(
        b"\0",
        b"\n",
        b"\r",
        b",",
        b'"',
        b"{",
        b"[",
        b"]",
        b"}",
        b":",
        b"null",
        b"-1",
        b"1e999",
        b"NaN",
        b"9" * 30,
        b"\xff\xfe",
    ),
    b"\xff\xfe",
    b"=cmd",
    *(b"\xed\xa0\x80", "\u202e".encode(), b"\\ud800", b"\x80" * 9 + b"\x01", b"{" * 200, b"[" * 2000, b"true"),
]
