"""Sizes and costs that a trace leaves out are filled in alike, in NumPy and in plain Python, and so is the truth."""

import numpy as np
from hypothesis import given

from tests.agreement.cases import Case, cases
from vestigo.engine.job import job
from vestigo.engine.reference import rows as reference
from vestigo.engine.reference.rows import Truth
from vestigo.prepared.fill import filler
from vestigo.prepared.truth import parts_with_truth
from vestigo.trace import Op
from vestigo.trace.trace import LAST_VALUED


@given(cases())
def test_what_is_missing_is_filled_in_alike(case: Case) -> None:
    trace = case.trace
    recorded = reference.rows(trace)
    truths = {key: Truth() for key in range(len(trace.keys))}
    nulls = []
    for row in recorded:
        if row.op <= LAST_VALUED:
            truths[row.key].learn(row)
        nulls.append(row.op <= LAST_VALUED and truths[row.key].value.is_null)
    work = job(trace, case.plan)
    reference.fill(recorded, nulls, work.assumed)
    null = next(parts_with_truth(trace))[1].null
    keyed = trace.op <= LAST_VALUED
    assert (null & keyed).tolist() == nulls
    sizes, costs = filler(trace, work.assumed).sizes(trace, null), filler(trace, work.assumed).costs(trace)
    assert sizes[keyed].tolist() == [row.size for row in recorded if row.op <= LAST_VALUED]
    reads = np.flatnonzero(trace.op == Op.READ)
    assert costs[reads].tolist() == [recorded[read].cost for read in reads]
