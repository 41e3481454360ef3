"""What a recorded read costs a service: ``make bench``.

A function that does nothing is called plainly and recorded, in turn, as fast as possible, and each call is timed. The
recorder's thread is at work. The difference of the medians is the cost of recording a read. The mean includes waits for
the thread, of which a service that does other work has fewer.
"""

import tempfile
from collections.abc import Callable
from statistics import mean, median
from time import perf_counter_ns

from vestigo import Recorder

CALLS = 200_000
RECORD = {f"field {i}": i for i in range(10)}
VALUES = {"nothing": None, "a text of 1 KiB": "x" * 1024, "a record of ten fields": RECORD}


def ns_a_call(load: Callable[[int], object], number: int) -> int:
    begun = perf_counter_ns()
    load(number)
    return perf_counter_ns() - begun


def main() -> None:
    print("\na recorded read            median us  mean us")
    for name, value in VALUES.items():

        def load(_: int, value: object = value) -> object:
            return value

        with tempfile.TemporaryDirectory() as folder, Recorder(folder, buffer=1_000_000) as recorder:
            recorded = recorder.reads("bench")(load)
            bare, with_it = [], []
            for number in range(CALLS):
                bare.append(ns_a_call(load, number))
                with_it.append(ns_a_call(recorded, number))
            if recorder.dropped:
                raise SystemExit(f"{recorder.dropped} events were dropped")
        costs = [(statistic(with_it) - statistic(bare)) / 1000 for statistic in (median, mean)]
        print(f"{name:<25}{costs[0]:>11.2f}{costs[1]:>9.2f}")


if __name__ == "__main__":
    main()
