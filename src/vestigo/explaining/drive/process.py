"""Drives a cache in another process, in any language: JSON-RPC 2.0 over its standard input and output, one message a
line.

docs/drive.md says everything that the other side must know.
"""

import json
import shlex
from json.encoder import encode_basestring_ascii as quoted

import numpy as np

from vestigo.data import Json
from vestigo.errors import InputError
from vestigo.explaining.drive.answers import NOTHING_GIVEN, Given, Stopped
from vestigo.explaining.drive.offered import Offered
from vestigo.explaining.drive.pipes import Pipes
from vestigo.explaining.drive.scales import Scales
from vestigo.progress import Progress
from vestigo.rules import Plan
from vestigo.trace import Op
from vestigo.trace.columns import LARGEST, MISSING
from vestigo.trace.trace import LAST_VALUED
from vestigo.units import LONGEST, format_time

PROTOCOL = 1
_LARGEST_BATCH = 10_000
_AT_ONCE = 256
"""Messages that are sent before their answers are waited for, where each has a line of its own."""
_METHODS = {int(op): op.name.lower() for op in Op} | {int(Op.PRELOAD): "read"}
_WITH_VALUE = {int(Op.READ), int(Op.PRELOAD), int(Op.WRITE)}
_IS_READ = np.array([op in (Op.READ, Op.PRELOAD) for op in Op])
_NULL, _FRESH = ',"null":true', ',"fresh":true'


def talk(offered: Offered, plan: Plan, command: str, patience_seconds: float, progress: Progress) -> Given:
    """Starts the command, drives it, and ends it. Raises InputError if it cannot be started."""
    try:
        words = shlex.split(command)
    except ValueError as error:
        raise InputError(f"command: {command!r} cannot be read: {error}; close the quotes") from None
    if not words:
        raise InputError("command: is empty; write, for example, 'node my-cache.mjs'")
    progress(f"driving {words[0]}", 0, 0)
    with Pipes(words, patience_seconds) as pipes:
        talker = _Talker(offered, plan, pipes)
        try:
            talker.run()
        except Stopped as stopped:
            where = offered.said(stopped.row) if stopped.row >= 0 else "begin"
            return talker.given(max(stopped.row, 0), f"{where}: {stopped.what}")
    return talker.given(len(offered.trace))


class _Talker:
    def __init__(self, offered: Offered, plan: Plan, pipes: Pipes) -> None:
        trace = offered.trace
        self.value = np.full(len(trace), NOTHING_GIVEN)
        self.loads = np.zeros(len(trace), np.int32)
        self.took_ns = np.full(len(trace), MISSING)
        self._offered, self._plan, self._pipes = offered, plan, pipes
        self._scales = Scales(pipes.process, len(trace))
        self._keeps_values = self._weighs = False
        self._keys = np.where(trace.op <= LAST_VALUED, trace.key, MISSING)
        self._names: dict[int, str] = {}
        self._lookups = {number: f',"lookup":{quoted(name)}' for number, name in enumerate(trace.lookups)} | {
            MISSING: ""
        }
        self._nodes = {number: f',"node":{quoted(str(name))}' for number, name in enumerate(trace.nodes)} | {
            MISSING: ""
        }
        self._per_scope = len(trace.scopes) > 0 and any(rules.per == "scope" for rules in plan.all_rules())

    def run(self) -> None:
        """Raises Stopped."""
        batch, events = self._begin(), len(self._offered.trace)
        at_once = _AT_ONCE if batch == 1 else batch
        chunks = [(begin, min(begin + at_once, events)) for begin in range(0, events, at_once)]
        self._weigh(0)
        sent = 0
        for begin, end in chunks:
            is_weighed = self._scales.is_due(end)
            while sent < min(end if is_weighed else end + at_once, events):  # ahead, so that neither side waits
                self._send(sent, min(sent + at_once, events), batch > 1)
                sent = min(sent + at_once, events)
            self._receive(begin, end, batch > 1)
            if is_weighed:
                self._weigh(end)
        self._end()

    def given(self, events: int, stopped: str | None = None) -> Given:
        """What it gave at so many events."""
        return Given(self.value, self.loads, events, stopped, self.took_ns, self._scales.weights, self._keeps_values)

    def _weigh(self, events: int) -> None:
        """Looks at the memory after so many events, or asks the cache for what it holds, if it can tell."""
        said = None
        if self._weighs:
            self._pipes.send(json.dumps(_request(f"weigh {events}", "weigh", {})))
            answer = _result(self._message(events - 1), f"weigh {events}", events - 1)
            said = answer.get("bytes") if isinstance(answer, dict) else None
            if said is not None and (type(said) is not int or not 0 <= said <= LARGEST):
                what = f'the cache answered bytes = {_short(said)} to "weigh"; answer a whole number'
                raise Stopped(events - 1, what)
        self._scales.weigh(events, said)

    def _begin(self) -> int:
        """Sends the rules and the look-ups, and returns how many messages may come in one line."""
        trace, plan = self._offered.trace, self._plan
        begin_ns = int(trace.at[0]) if len(trace) else 0
        params = {
            "protocol": PROTOCOL,
            "begins": format_time(begin_ns),
            "begins_ms": begin_ns // 1_000_000,
            "nodes": list(trace.nodes),
            "lookups": {name: plan.rules_for(name).to_dict() for name in trace.lookups},
            "pools": {name: pool.to_dict() for name, pool in plan.pools.items()},
        }
        self._pipes.send(json.dumps(_request(0, "begin", params)))
        answer = _result(self._message(-1), 0, -1)
        says = answer if isinstance(answer, dict) else {}
        batch, keeps, weighs = says.get("batch", 1), says.get("keeps", "numbers"), says.get("weighs", False)
        if type(batch) is not int or not 1 <= batch <= _LARGEST_BATCH:
            raise Stopped(
                -1,
                f"the cache answered batch = {batch!r}; write the requests a line may have, 1 to {_LARGEST_BATCH:,}",
            )
        if keeps not in ("numbers", "values"):
            raise Stopped(-1, f'the cache answered keeps = {_short(keeps)}; write "numbers" or "values"')
        if type(weighs) is not bool:
            raise Stopped(-1, f"the cache answered weighs = {_short(weighs)}; write true or false")
        self._keeps_values, self._weighs = keeps == "values", weighs
        return batch

    def _end(self) -> None:
        last = len(self._offered.trace)
        self._pipes.send(json.dumps(_request(last + 1, "end", {})))
        _result(self._message(last - 1), last + 1, last - 1)

    def _send(self, begin: int, end: int, is_batch: bool) -> None:
        messages = self._messages(begin, end)
        self._pipes.send(f"[{','.join(messages)}]" if is_batch else "\n".join(messages))

    def _messages(self, begin: int, end: int) -> list[str]:
        offered, trace = self._offered, self._offered.trace
        columns = (trace.op, trace.lookup, trace.key, trace.node, trace.scope, trace.force, offered.null, offered.size)
        at = (trace.at[begin:end] - trace.at[0]).tolist()
        messages = []
        events = zip(at, *(column[begin:end].tolist() for column in columns), strict=True)
        for row, (at_ns, op, lookup, key, node, scope, force, null, size) in enumerate(events, begin):
            about = f'"at_ns":{at_ns}{self._nodes[node]}{self._scope(scope) if self._per_scope else ""}'
            about += self._name(key) if key >= 0 else self._lookups[lookup]
            if op in _WITH_VALUE:
                about += f',"value":{row},"size":{size}'
                if null or force:
                    about += f"{_NULL if null else ''}{_FRESH if force else ''}"
            method = "remove" if op == Op.WRITE and null else _METHODS[op]
            messages.append(f'{{"jsonrpc":"2.0","id":{row + 1},"method":"{method}","params":{{{about}}}}}')
        return messages

    def _name(self, key: int) -> str:
        """A key with its look-up, as JSON. It is written only once."""
        name = self._names.get(key)
        if name is None:
            trace = self._offered.trace
            lookup, text = trace.lookups[trace.key_lookup[key]], str(trace.keys[key])
            name = self._names[key] = f',"lookup":{quoted(lookup)},"key":{quoted(text)}'
        return name

    def _scope(self, scope: int) -> str:
        return f',"scope":{quoted(str(self._offered.trace.scopes[scope]))}' if scope >= 0 else ""

    def _receive(self, begin: int, end: int, is_batch: bool) -> None:
        answers = self._message(begin, end - begin) if is_batch else (self._message(row) for row in range(begin, end))
        if is_batch:
            answers = self._in_order(answers, begin, end)
        is_read = _IS_READ[self._offered.trace.op[begin:end]].tolist()
        for row, (answer, reads) in enumerate(zip(answers, is_read, strict=True), begin):
            result = _result(answer, row + 1, row)
            if reads:
                self._take(row, result)

    def _in_order(self, answers: object, begin: int, end: int) -> list[object]:
        """The answers of a batch in order. They may arrive in any order."""
        if not isinstance(answers, list):
            raise Stopped(begin, f"the cache answered a batch with {_short(answers)}; answer with a list")
        by_id = {
            answer["id"]: answer for answer in answers if isinstance(answer, dict) and type(answer.get("id")) is int
        }
        missing = next((row for row in range(begin, end) if row + 1 not in by_id), None)
        if missing is not None:
            raise Stopped(missing, f"the cache gave no answer with the id {missing + 1}")
        return [by_id[row + 1] for row in range(begin, end)]

    def _take(self, row: int, result: Json) -> None:
        """The answer to a read. Raises Stopped."""
        value = result.get("value") if isinstance(result, dict) else None
        if type(value) is not int:
            raise Stopped(
                row, f'the cache answered {_short(result)}; answer {{"value": NUMBER, "taken": true}} or false'
            )
        taken = result.get("taken", value == row)
        if value == row and not taken:
            raise Stopped(row, "the cache gave the value that it was offered, and says that it did not take it")
        if value != row and (not 0 <= value < row or self._keys[value] != self._keys[row]):
            raise Stopped(row, f"the cache gave value {value}, which was never offered for this key")
        took_ns = result.get("took_ns")
        if took_ns is not None:
            if type(took_ns) is not int or not 0 <= took_ns <= LONGEST:
                raise Stopped(row, f"the cache answered took_ns = {_short(took_ns)}; answer whole nanoseconds")
            self.took_ns[row] = took_ns
        self.loads[row] = bool(taken)
        self.value[row] = value

    def _message(self, row: int, events: int = 1) -> Json:
        """The next message, which answers so many `events` from a row on. Raises Stopped."""
        where = f" (or at one of the {events - 1:,} events after it, in one batch)" if events > 1 else ""
        try:
            line = self._pipes.receive()
        except Stopped as stopped:
            raise Stopped(row, f"{stopped.what}{where}") from None
        try:
            return json.loads(line)
        except (ValueError, RecursionError):
            raise Stopped(
                row,
                f"the cache wrote {_short(line.decode(errors='replace'))} to standard output, which is no JSON; "
                "let it print to standard error instead",
            ) from None


def _request(number: int | str, method: str, params: dict[str, object]) -> dict[str, object]:
    return {"jsonrpc": "2.0", "id": number, "method": method, "params": params}


def _result(answer: object, number: int | str, row: int) -> object:
    """The result in an answer. Raises Stopped if it is not an answer, or says that something went wrong."""
    if not isinstance(answer, dict) or answer.get("jsonrpc") != "2.0" or answer.get("id") != number:
        raise Stopped(row, f'the cache answered {_short(answer)}; answer with "jsonrpc": "2.0" and "id": {number}')
    if "error" in answer:
        error = answer["error"]
        message = error.get("message") if isinstance(error, dict) else error
        raise Stopped(row, f"the cache answered with an error: {_short(message)}")
    if "result" not in answer:
        raise Stopped(row, f"the cache's answer has neither result nor error: {_short(answer)}")
    return answer["result"]


def _short(what: object) -> str:
    text = what if isinstance(what, str) else json.dumps(what)
    return f"{text[:100]!r}{'...' if len(text) > 100 else ''}"
