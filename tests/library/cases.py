"""What users have typed in a notebook, and what must come of it: a table of cases.

Each case is code, the class of the error, and words of its message. The code sees the names of `SEEN`.
"""

import datetime as dt
import functools
import uuid
from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
import pyarrow as pa

import vestigo as vg


class Case(NamedTuple):
    code: str
    error: type[Exception]
    words: str


@functools.cache
def seen() -> Mapping[str, Any]:
    """The names that a case sees. Nothing that is made here is changed by a case."""
    trace = vg.synth(3000, keys=200, skew=0.8, changes="1m")
    rules = vg.Rules(max_entries=50)
    plan = vg.Plan(rules, vary={"rules.max_entries": [10, 20]})
    at = pd.date_range("2026-01-01", periods=5, freq="s", tz="UTC")

    async def later(lookup: str, key: object, load: Any) -> object:
        return load()

    return {
        "vg": vg,
        "np": np,
        "pd": pd,
        "pa": pa,
        "dt": dt,
        "uuid": uuid,
        "tr": trace,
        "r": rules,
        "plan": plan,
        "found": vg.sweep(trace, plan),
        "o": vg.replay(trace, rules),
        "curve": vg.size_curve(trace),
        "df": pd.DataFrame({"at": at, "key": list("abacb")}),
        "T": at,
        "keys": vg.key_by_key(trace, rules),
        "survey": vg.survey(trace),
        "later": later,
        "counted": lambda **first: [{"at": 0, **first}, {"at": 10**9, "hits": 5, "misses": 5}],
    }


RULES, UNKNOWN, TRACE, INPUT = vg.RulesError, vg.UnknownName, vg.TraceError, vg.InputError

TABLES = [
    Case("vg.read_trace(df.assign(at=pd.to_timedelta(range(5), unit='s')))", TRACE, "how long and not when"),
    Case("vg.read_trace(df.assign(at=pd.Categorical(T.tz_localize(None))))", TRACE, "a time without an offset"),
    Case("vg.read_trace(df.assign(at=pd.period_range('2026', periods=5, freq='min')))", TRACE, "to_timestamp()"),
    Case("vg.read_trace(df.assign(at=[0.5] * 5))", TRACE, "if it counts in another unit, state that (at_unit)"),
    Case("vg.read_trace(df.assign(cost=T))", TRACE, "column 'cost': found a column of timestamp"),
    Case("vg.read_trace(df.assign(cost=pd.period_range('2026', periods=5, freq='D')))", TRACE, "holds periods"),
    Case("vg.read_trace({'at': [1], 'key': ['a'], 'cost': [0.5]})", TRACE, "state that (cost_unit)"),
    Case("vg.read_trace({'at': [1], 'key': ['a'], 'cost': [True]})", TRACE, "found True"),
    Case("vg.read_trace(df.assign(size=pd.to_timedelta([5] * 5, unit='s')))", TRACE, "found a column of duration"),
    Case("vg.read_trace(df.assign(size=T))", TRACE, "found a column of timestamp"),
    Case("vg.read_trace(df.assign(key=pd.Categorical(T)))", TRACE, "found a column of timestamp"),
    Case("vg.read_trace(df.assign(key=pd.Categorical([1.5, 2, 3, 4, 5])))", TRACE, "found a column of double"),
    Case("vg.read_trace(df.assign(key=[1, 2, None, 4, 5]))", TRACE, "row 3, column 'key': found nothing"),
    Case("vg.read_trace(df.assign(key=[uuid.uuid4() for _ in T]))", TRACE, "column 'key' holds values of the type"),
    Case("vg.read_trace(df.assign(key=[dt.date(2026, 1, 1)] * 5))", TRACE, "make text of it, as in astype(str)"),
    Case("vg.read_trace(df.assign(key=[(1, 2)] * 5))", TRACE, "make text of it, as in astype(str)"),
    Case("vg.read_trace(df.assign(key=['a', 1, 'b', 2, 3]))", TRACE, "column 'key' mixes str and int"),
    Case("vg.read_trace(df.assign(key=[object()] * 5))", TRACE, "column 'key' holds a object (row 1)"),
    Case("vg.read_trace({'at': [1, 2], 'key': ['a', '']})", TRACE, "row 2, column 'key': found nothing"),
    Case("vg.read_trace(df.assign(url='x'), columns={'key': 'url'})", TRACE, "write columns.key = '{url}'"),
    Case("vg.read_trace(pd.Series([1, 2]))", TRACE, "a Series is one column; give a DataFrame"),
    Case("vg.read_trace(pa.array([1, 2]))", TRACE, "cannot be read"),
    Case("vg.read_trace(pd.concat([df, df[['key']]], axis=1))", TRACE, "column 'key' appears twice"),
    Case("vg.read_trace({'at': 5, 'key': 'a'})", TRACE, "column 'at' is 5; give a list of values"),
    Case("vg.read_trace({'at': [1, 2], 'key': ['a']})", TRACE, "different lengths: at 2, key 1"),
    Case("vg.read_trace({'att': [1], 'key': ['a']})", TRACE, "no column 'at'; the table has att, key"),
    Case("vg.read_trace(5)", TRACE, "5 is not a trace; give a path, a DataFrame"),
    Case("vg.read_trace([df, df])", TRACE, "is not a trace"),
    Case("vg.read_trace(df, 5)", TRACE, "intake: 5 is not an Intake"),
    Case("vg.read_trace(df, {'at_units': 's'})", TRACE, "did you mean 'at_unit'?"),
    Case("vg.read_trace(df, at_units='s')", TRACE, "did you mean 'at_unit'?"),
    Case("vg.Intake(at_units='s')", UNKNOWN, "did you mean 'at_unit'?"),
]

SETTINGS = [
    Case("vg.Plan(r, vary={'nonsense.foo': [1, 2]})", RULES, "vary.nonsense.foo: is not a setting; write rules.RULE"),
    Case("vg.Plan(r, vary={'max_entries': [1]})", RULES, "write rules.max_entries or lookup.NAME.max_entries"),
    Case("vg.Plan(r, vary={'rules.max_entires': [1, 2]})", UNKNOWN, "did you mean 'max_entries'?"),
    Case("vg.Plan(r, vary={'lookups.reads.max_entries': [1]})", RULES, "write lookup.reads.max_entries"),
    Case("vg.Plan(r, vary={'whatif.nodes': [2]})", RULES, "is not a setting"),
    Case("vg.Plan(r, vary={'warm_up': ['1s']})", RULES, "is not a setting"),
    Case("vg.Plan(r, vary={'': [1]})", RULES, "vary.'': is not a setting"),
    Case("vg.Plan(r, vary={'pool.desk.max_bytes': [1]})", UNKNOWN, "pool 'desk' is unknown; known are none"),
    Case(
        "vg.Plan(r, vary={'rules.max_entries': np.geomspace(3, 10, 3)})", RULES, "not a whole number of entries; round"
    ),
    Case("vg.Plan(r, vary={'rules.max_entries': [8], 'rules.max_entires': [1]})", UNKNOWN, "rules.max_entires"),
    Case("vg.Plan(r, vary={'rules.max_entries': []})", RULES, "no values are given"),
    Case("vg.Plan(r, vary={'rules.overlap': 'join'})", RULES, "'join' is not a list of values"),
    Case("vg.Plan(r, vary={'rules.absolute': [60, '1m']})", RULES, 'vary.rules.absolute: 60 has no unit; write "60s"'),
    Case("vg.Plan(r, vary={'rules.jitter': ['10%']})", RULES, "jitter needs absolute"),
    Case("vg.Plan(r, vary=5)", RULES, "vary: 5 is not a mapping of names"),
    Case("vg.Plan(r, candidates={'c': vg.Plan(vary=plan.vary)})", RULES, "candidate.c.vary: vary is for the plan"),
    Case("vg.Plan(r, candidates={'c': vg.Plan(candidates={'d': r})})", RULES, "candidates is for the plan itself"),
    Case("vg.Plan(r, candidates={'c': vg.Plan(aim=vg.Aim(least='loads'))})", RULES, "aim is for the plan itself"),
    Case("vg.Plan(r, candidates={'c': vg.Plan(warm_up='10s')})", RULES, "warm_up is for the plan itself"),
    Case("vg.Plan(r, candidates={'c': vg.Plan(what_if={'nodes': 3})})", RULES, "what_if is for the plan itself"),
    Case("vg.Plan(r, candidates={'': r})", RULES, "'' does not name a candidate"),
    Case("vg.Plan(r, candidates={1: r})", RULES, "1 is not a name; write it in quotes"),
    Case("vg.Plan(r, candidates={'#1': r})", RULES, "'#1' does not name a candidate"),
    Case("vg.Plan(r, candidates={'today': r})", RULES, "'today' names something else"),
    Case("vg.Plan(r, candidates={'c': 5})", RULES, "candidate.c.rules: 5 is not Rules"),
    Case("vg.Plan(r, keys={'reads': {'{}': vg.Rules(max_entries=50)}})", RULES, "max_entries is for a whole look-up"),
    Case("vg.Plan(r, keys={'reads': {'{}': vg.Rules(max_entries=7)}})", RULES, "max_entries is for a whole look-up"),
    Case("vg.Plan(r, keys={'reads': {'{': r}})", RULES, "lookup.reads.keys.{: '{' has '{', which is not a part"),
    Case("vg.Plan(None)", RULES, "rules: None is not Rules; give Rules(max_entries=500)"),
    Case("vg.Plan('x')", RULES, "rules: 'x' is not Rules"),
    Case("vg.Plan({'max_entires': 5})", UNKNOWN, "rules.max_entires: 'max_entires' is unknown; did you mean"),
    Case("vg.Plan(lookups={1: r})", RULES, "lookup: 1 is not a name"),
    Case("vg.Plan(lookups={'a': 5})", RULES, "lookup.a: 5 is not rules"),
    Case("vg.Plan(pools={'p': {'lookups': ['a'], 'max_entires': 5}})", UNKNOWN, "pool.p.max_entires"),
    Case("vg.Plan(aim='loads')", RULES, "aim: 'loads' is not an Aim"),
    Case("vg.Plan(aim=vg.Worth(stale_read=1))", RULES, "is not an Aim"),
    Case("vg.Plan(aim={'least': 'load'})", UNKNOWN, "aim.least: 'load' is unknown; did you mean 'loads'?"),
    Case("vg.Plan(what_if=None)", RULES, "whatif: None is not WhatIf"),
    Case("vg.Plan(what_if={'node': 2})", UNKNOWN, "whatif.node: 'node' is unknown; did you mean 'nodes'?"),
    Case("vg.Plan(intake=5)", RULES, "trace: 5 is not an Intake"),
    Case("vg.Plan(intake={'at_unit': 'x'})", RULES, "trace.at_unit: 'x' is not one of s, ms, us, ns"),
    Case("vg.Plan(counters=5)", RULES, "counters: 5 is not CounterNames"),
    Case("vg.Plan(trace_path=5)", RULES, "trace.path: 5 is not a path"),
    Case("vg.Plan(warm_up='x')", RULES, "warm_up: 'x' is not a duration"),
    Case("vg.Plan(varry={})", UNKNOWN, "Plan: 'varry' is unknown; did you mean 'vary'?"),
    Case("vg.Aim(most='hit_rate', worth={'million_loads': 1})", RULES, "prices say what is best, and so does hit_rate"),
    Case(
        "vg.Aim(worth={'million_load': 1})", UNKNOWN, "aim.worth.million_load: 'million_load' is unknown; did you mean"
    ),
    Case("vg.Aim(worth=5)", RULES, "worth: 5 is not prices"),
    Case("vg.Aim(best='loads')", UNKNOWN, "Aim: 'best' is unknown"),
    Case("vg.Aim(most='loads')", RULES, "lower is better for loads; write least instead of most"),
    Case("vg.Aim(limits='<= 1')", RULES, "limits: '<= 1' is not limits"),
    Case("vg.Worth(stale_read=1, currency=None)", RULES, "worth.currency: None is not the name of a currency"),
    Case("vg.Worth(-1)", RULES, "worth.million_loads: -1 is not a price"),
    Case("vg.Rules(eviction=int)", RULES, "int is not a Policy; derive your class from vestigo.Policy"),
    Case("vg.Rules(eviction='lruu')", UNKNOWN, "eviction: 'lruu' is unknown; did you mean 'lru'?"),
    Case("vg.Rules(max_entries=5.5)", RULES, "5.5 is not a whole number of entries; round it"),
    Case("vg.Rules(absolute=np.timedelta64('NaT', 's'))", RULES, "is not a duration from 0 to 100 years"),
    Case("r.model_copy(update={'max_entires': 500})", UNKNOWN, "did you mean 'max_entries'?"),
    Case("r.model_copy(update={'max_entries': -7})", RULES, "-7 could mean no entries or no limit"),
    Case("vg.WhatIf(nodes=2).model_copy(update={'nodes': 'x'})", RULES, "'x' is not a number of nodes"),
    Case("setattr(r, 'max_entries', 5)", AttributeError, "cannot assign to 'max_entries'; make new ones: model_copy"),
    Case("setattr(plan, 'rules', r)", AttributeError, "cannot assign to field 'rules'"),
]

CALLS = [
    Case("curve.hit_rate('1 MiB')", RULES, "for bytes give max_bytes="),
    Case("curve.hit_rate('abc')", RULES, "'abc' is not a number of entries"),
    Case("curve.hit_rate(-3)", RULES, "-3 is not a whole number from 0 on"),
    Case("curve.hit_rate(5, max_bytes=5)", RULES, "the curve knows one at a time"),
    Case("vg.report(tr, vg.Plan(vg.Rules(max_entries=1), vary=plan.vary), found=found)", RULES, "of other settings"),
    Case("vg.report(vg.synth(536, keys=20), plan, found=found)", RULES, "found: is of another trace than synth"),
    Case("vg.report(tr, plan, found=o)", RULES, "is not a sweep; give what vestigo.sweep"),
    Case("vg.report(tr, plan, asked='k1')", RULES, "asked: 'k1' is not a list of values"),
    Case("vg.report(tr, plan, found=found).write('r.pdf')", INPUT, "r.pdf: a report is a page; name the file .html"),
    Case("o.read_time(0.95)", RULES, "percentile: 0.95 is a share; write 95"),
    Case("o.read_time(-1)", RULES, "-1 is not a number from 0 to 100; write 95 for p95"),
    Case("o.read_time(101)", RULES, "101 is not a number from 0 to 100"),
    Case("o.lookups['reads'].stale_age('p95')", RULES, "'p95' is not a number from 0 to 100"),
    Case("found.today.read_time(0.95)", RULES, "0.95 is a share; write 95"),
    Case("found.today.read_time(42)", UNKNOWN, "p42 is not among mean, p50"),
    Case("vg.confirm(tr, r, [{'at': n, 'hits': 99 * n, 'reads': n} for n in (0, 9)])", INPUT, "891 hits in 9 reads"),
    Case("vg.confirm(tr, r, counted(hits=float('nan'), misses=1))", INPUT, "record 1, hits: nan is no count of hits"),
    Case("vg.confirm(tr, r, counted(hits='x', misses=1))", INPUT, "record 1, hits: 'x' is no count of hits"),
    Case(
        "vg.confirm(tr, r, counted(hits=0.5, misses=0.5))", INPUT, "0.5 is no count of hits; a count is a whole number"
    ),
    Case("vg.confirm(tr, r, None)", INPUT, "counters: None is no records"),
    Case("vg.confirm(tr, r, 5)", INPUT, "counters: 5 is no records"),
    Case("vg.confirm(tr, r, [{'at': dt.datetime(2026, 1, 5), 'hits': 1}])", INPUT, "a time with an offset"),
    Case("vg.search(tr, seconds=0)", RULES, "seconds: 0 is not a number above 0"),
    Case("vg.search(tr, seconds='5')", RULES, "seconds: '5' is not a number above 0"),
    Case("vg.search(tr, plan)", RULES, "vary: rules.max_entries sets all look-ups at once"),
    Case("vg.sweep(tr, plan, only=[])", RULES, "only: an empty list is not combinations to try"),
    Case("vg.sweep(tr, plan, only=[{'rules.max_entires': 10}])", UNKNOWN, "did you mean 'max_entries'?"),
    Case("vg.sweep(tr, plan, only=['max_entries=10'])", RULES, "only: 'max_entries=10' is not combinations to try"),
    Case("vg.sweep(tr, plan, sample=0.1)", RULES, 'sample: 0.1 is not a share; write one from "0%" to "100%", such as'),
    Case("vg.sweep(tr, plan, executor=4)", RULES, "executor: give an Executor (concurrent.futures)"),
    Case("vg.sweep('t.arrow', plan, executor=4)", RULES, "executor: give an Executor (concurrent.futures)"),
    Case("vg.sweep(tr, plan, engine='natve')", UNKNOWN, "engine: 'natve' is unknown; did you mean 'native'?"),
    Case("vg.sweep(tr, plan, progress=5)", RULES, "progress: 5 is not a function"),
    Case("vg.size_curve(tr, sizes=[5])", RULES, "sizes and lifetimes make a surface together"),
    Case("vg.size_curve(tr, sizes=[-5], lifetimes=['1m'])", RULES, "sizes: -5 is not a whole number from 1 on"),
    Case("vg.size_curve(tr, 'reads')", RULES, "settings: there is no plan file 'reads'"),
    Case("vg.size_curve(tr, lookup=0)", UNKNOWN, "look-up 0 is unknown; known are reads"),
    Case("vg.size_curve(tr, lookup='redas')", UNKNOWN, "look-up 'redas' is unknown; did you mean 'reads'?"),
    Case("vg.why(tr, r, lookup='redas', key='k1')", UNKNOWN, "look-up 'redas' is unknown; did you mean 'reads'?"),
    Case("vg.why(tr, r, key='zzz')", UNKNOWN, "the trace has no key 'zzz'"),
    Case("vg.shape.only(tr, lookups=['redas'])", UNKNOWN, "look-up 'redas' is unknown; did you mean 'reads'?"),
    Case("o.lookups['redas']", UNKNOWN, "look-up 'redas' is unknown; did you mean 'reads'?"),
    Case("survey.lookups['redas']", UNKNOWN, "look-up 'redas' is unknown; did you mean 'reads'?"),
    Case("vg.replay(tr, vg.Plan(lookups={'redas': r}))", RULES, "'redas' is unknown; did you mean 'reads'?"),
    Case("vg.replay(tr, 'max_entries=5')", RULES, "give Rules(max_entries=5)"),
    Case("vg.replay(tr, {'max_entries': 5})", RULES, "is no settings; give Rules(...)"),
    Case("vg.replay(tr, r, name=None)", RULES, "name: None is not a text"),
    Case("vg.replay(tr, r, name=5)", RULES, "name: 5 is not a text"),
    Case("vg.replay(tr, r, name='')", RULES, "name: '' is not a text"),
    Case("vg.read_plan('plan.json')", vg.PlanError, "read what vestigo.save wrote with vestigo.load"),
    Case("vg.shape.between(tr, '10s', '5s')", RULES, "end: 5s is before 10s"),
    Case("vg.shape.between(tr, 5.5)", RULES, "begin: 5.5 is not a time"),
    Case("vg.shape.between(tr, 1767571205)", RULES, "if it counts s, write 1767571205 * 1000000000"),
    Case("vg.shape.between(tr, dt.datetime(2026, 1, 5, 0, 0, 5))", RULES, "with an offset (2026-01-05T00:00:05Z)"),
    Case(
        "vg.shape.sampled(tr, 0.1)", RULES, 'sample: 0.1 is not a share; write one from "0%" to "100%", such as "10%"'
    ),
    Case("vg.shape.faster(tr, '2')", RULES, "speed: '2' is not a number above 0"),
    Case("vg.what_if.on_nodes(tr, 0)", RULES, "nodes: 0 is not a number of nodes"),
    Case("vg.what_if.on_nodes(tr, 2, 'by_key')", RULES, "spread: 'by_key' is not one of"),
    Case("vg.what_if.with_traffic(tr, 0.5)", RULES, "times: 0.5 is less than the trace has"),
    Case("vg.what_if.with_origin(tr, -1)", RULES, "times: -1 is not a number of times"),
    Case("vg.what_if.with_restarts(tr, '12:00')", RULES, "restart_at needs zone for times of day"),
    Case("vg.why(tr, r, key='k1', at=dt.datetime(2026, 1, 5))", RULES, "with an offset (2026-01-05T00:00:00Z)"),
    Case("vg.why(tr, r, key=str(tr.keys[0]), at='2026-01-05 00:00:05')", RULES, "(2026-01-05T00:00:05Z)"),
    Case("vg.Recorder('never-made', buffer=-1)", RULES, "buffer = -1 is not a number of events"),
    Case("vg.Recorder('never-made', flush_every='5')", RULES, "flush_every: '5' is not a duration"),
    Case("vg.synth(10, keys=1.5)", RULES, "keys = 1.5 is out of range"),
    Case("vg.synth(10, churn=5)", RULES, "synth: churn: 5 has no unit"),
    Case("vg.synth(10, nulls=0.5)", RULES, "nulls = 0.5 is out of range"),
    Case(
        "vg.KeySample(tr, '10%', samples=50)", RULES, "50 samples of 10% have no room beside each other; write up to 10"
    ),
    Case("vg.KeySample(tr, '50%')", RULES, "4 samples of 50% have no room beside each other; write up to 2"),
    Case("vg.drive(tr, r, read=lambda l, k: 1)", RULES, "read: cannot be called as read(lookup, key, load)"),
    Case("vg.drive(tr, r, read=5)", RULES, "read: 5 is not a function"),
    Case("vg.drive(tr, r, read=later)", RULES, "read: is a coroutine function"),
    Case("vg.drive(tr, r, make=lambda: 1)", RULES, "make: cannot be called as make(node)"),
    Case("vg.drive(tr, r, make=lambda node: 1)", RULES, "make: gave a int, which has no read(lookup, key, load)"),
    Case("vg.drive(tr, r, read=max, command='x')", RULES, "drive: read and command are both given"),
    Case("vg.drive(tr, r)", RULES, "drive: nothing says what is driven"),
    Case("vg.drive(tr, r, read=max, speed='100')", RULES, "speed: '100' is not a number above 0"),
    Case("vg.drive(tr, r, read=max, progress=5)", RULES, "progress: 5 is not a function"),
    Case("found.front('hit_rate')", RULES, "measures: 'hit_rate' is not a list of values"),
    Case("found.front(['hit_rat'])", UNKNOWN, "measure 'hit_rat' is unknown; did you mean 'hit_rate'?"),
    Case("found.front(part='rset')", UNKNOWN, "part: 'rset' is unknown; did you mean 'rest'?"),
    Case("found.today.measure('hit_rat')", UNKNOWN, "measure 'hit_rat' is unknown; did you mean 'hit_rate'?"),
    Case("o.measure('hit_rat')", UNKNOWN, "measure 'hit_rat' is unknown; did you mean 'hit_rate'?"),
    Case("keys.worst('mises')", UNKNOWN, "column 'mises' is unknown; did you mean 'misses'?"),
    Case("found['max_entries=21']", UNKNOWN, "candidate 'max_entries=21' is unknown; did you mean 'max_entries=20'?"),
    Case("found.choose('hit_rate')", RULES, "'hit_rate' is not an Aim; name what to make best: most="),
    Case("found.choose(most='hit_rat')", UNKNOWN, "aim.most: 'hit_rat' is unknown; did you mean 'hit_rate'?"),
    Case("found.choose(most='hit_rate', memory='<= 1 MiB')", UNKNOWN, "did you mean 'memory_peak'?"),
    Case("found.choose(vg.Aim(), most='hit_rate')", RULES, "give an Aim, or its words, not both"),
    Case("vg.figures.timeline(o, 5)", RULES, "ax: 5 is not Axes of Matplotlib; give three from top to bottom"),
    Case("vg.figures.causes(o, [1, 2])", RULES, "ax: [1, 2] is not Axes of Matplotlib"),
    Case("vg.figures.causes(found)", RULES, "outcome: <Sweep"),
    Case("vg.figures.size_curves([])", RULES, "curves: none is given"),
    Case("vg.figures.front(found, 5)", RULES, "pick: 5 is not what this figure draws; give a Pick"),
    Case(
        "vg.figures.front(found, vg.sweep(tr, vg.Plan(r, vary={'rules.max_entries': [90]})).choose())",
        RULES,
        "pick: was chosen among other candidates",
    ),
    Case("vg.figures.heat(found, 'rules.max_entires', 'x')", UNKNOWN, "did you mean 'rules.max_entries'?"),
]
