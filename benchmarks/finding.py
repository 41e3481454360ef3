"""How fast settings are found, and how good they are: the demo with all rules, six look-ups with many reads."""

import dataclasses
import tempfile
import time
from pathlib import Path

import large

from vestigo import Plan, Search, Trace, read_plan, read_trace, search
from vestigo.demo import files

LIMITS_MIB = (48, 16, 8)
READS = (1_000_000, 10_000_000)


def told(what: str, trace: Trace, plan: Plan) -> Search:
    begun = time.perf_counter()
    found = search(trace, plan)
    took = time.perf_counter() - begun
    print(f"{what}: {sum(found.tried.values()):,} settings tried in {took:.1f} s")
    return found


def demo(folder: Path) -> None:
    trace, plan = (read(path) for read, path in zip((read_trace, read_plan), files.write_demo(folder), strict=True))
    found = told("the demo, all rules", trace, dataclasses.replace(plan, candidates={}, vary={"each": "any"}))
    for limit in LIMITS_MIB:
        begun = time.perf_counter()
        pick = found.choose(memory_peak=f"<= {limit} MiB")
        assert pick.proof is not None
        took, bound = time.perf_counter() - begun, pick.proof.bound
        print(f"  within {limit} MiB: {pick.candidate.fresh_hit_rate:.2%} fresh, at most {bound:.2%}, in {took:.1f} s")


def many(reads: int) -> None:
    large.KEYS = reads // 10
    trace = read_trace(large.reads(reads))
    pick = told(f"{reads:,} reads of six look-ups, no plan", trace, Plan()).choose()
    assert pick.proof is not None
    print(f"  {pick.candidate.fresh_hit_rate:.2%} fresh with {pick.candidate.memory_peak / 2**20:,.0f} MiB")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        demo(Path(name))
    for count in READS:
        many(count)
