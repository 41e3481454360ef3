"""Shows a key's story as text: its sums, what to change, and what happened."""

from collections.abc import Mapping, Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vestigo.explaining.why.story import Advice, Step, Story
from vestigo.outcome import Keys
from vestigo.show.grid import WIDTH
from vestigo.show.notes import kept_together
from vestigo.show.safe import command_text, printable
from vestigo.show.view import shown
from vestigo.show.watched import keys_table
from vestigo.units import SECOND, counted, format_bytes, format_seconds, format_time

_STEPS = 24
_BEFORE = 14
"""Steps that are shown before a read that is asked for."""
_ADVICE = 4


@shown.register
def story_text(story: Story, command: Sequence[str] = ("vestigo", "replay")) -> RenderableType:
    """The text of a story. `command` has the words that replay the settings, without the change that is advised."""
    parts: list[RenderableType] = []
    if story.read:
        parts += [kept_together(Text(printable(story.read, most=1000), style="bold")), Text()]
    parts += [kept_together(_total(story)), Text(), *_advice(story, command), _table(story)]
    return Group(*parts)


def _total(story: Story) -> Text:
    totals = story.total
    name = printable(f"{story.lookup} {story.key}")
    causes = sorted(totals["misses_by_cause"].items(), key=lambda one: -one[1])
    by_cause = ", ".join(f"{number:,} {cause}" for cause, number in causes)
    text = Text.assemble((name, "bold"), f": {counted(totals['reads'], 'read')}, {counted(totals['hits'], 'hit')}")
    if totals["joined"]:
        text.append(f", {totals['joined']:,} joined")
    if totals["failed"]:
        text.append(f", {totals['failed']:,} failed")
    text.append(f", {counted(totals['misses'], 'miss', 'misses')}{f' ({by_cause})' if by_cause else ''}. ")
    if totals["stale_hits"]:
        oldest = format_seconds(totals["oldest_stale_ns"] / SECOND)
        text.append(f"{counted(totals['stale_hits'], 'hit')} stale, for {oldest} at most. ")
    text.append(f"The origin took {_span(totals['origin_time_ns'])} for it in {counted(totals['loads'], 'call')}. ")
    if story.gap_ns is not None:
        text.append(f"Half of its reads come within {_span(story.gap_ns)} of the one before{_at_place(story)}. ")
    text.append(f"Held for {format_seconds(totals['held_ns'] / SECOND)}{_altogether(story)}.")
    return text


def _at_place(story: Story) -> str:
    return " in the same cache" if story.total["places"] > 1 else ""


def _altogether(story: Story) -> str:
    return f", in {story.total['places']} caches together" if story.total["places"] > 1 else ""


def _advice(story: Story, command: Sequence[str]) -> list[RenderableType]:
    if not story.advice:
        return [Text("No change of one rule was found that gives it more fresh hits.", style="dim"), Text()]
    parts: list[RenderableType] = [Text("What would have helped, each change replayed alone:", style="bold")]
    for one in story.advice[:_ADVICE]:
        parts.append(Padding(kept_together(_one_advice(story, one)), (0, 0, 0, 2)))
        parts.append(_command([*command, *one.options]))
    return [*parts, Text()]


def _one_advice(story: Story, advice: Advice) -> Text:
    misses: Mapping[str, int] = story.total["misses_by_cause"]
    before, after = (format_bytes(size) for size in advice.lookup_memory)
    against = (
        f"{counted(story.total['stale_hits'], 'hit')} of {story.total['hits']:,} are stale"
        if advice.cause == "stale"
        else f"{misses[advice.cause]:,} of {story.total['misses']:,} misses are {advice.cause}"
    )
    return Text(
        f"{against} ({_today(advice)}): with {printable(advice.in_words, most=200)}, {_more(advice.hits, 'hit')} and "
        f"{_more(advice.stale_hits, 'stale')}. All of {printable(story.lookup)}: {_more(advice.lookup_hits, 'hit')}, "
        f"{_more(advice.lookup_stale_hits, 'stale')}; mean memory "
        f"{before if before == after else f'{before} becomes {after}'}."
    )


def _today(advice: Advice) -> str:
    return ", ".join(f"{key.rpartition('.')[2]} = {printable(value)}" for key, value in advice.today.items())


def _more(number: int, thing: str) -> str:
    """ "12 more hits", "3 fewer stale", "no more stale"."""
    things = f"{thing}s" if thing == "hit" and abs(number) != 1 else thing
    return f"{f'{abs(number):,}' if number else 'no'} {'fewer' if number < 0 else 'more'} {things}"


def _table(story: Story) -> RenderableType:
    shown, left_out = _shown(story)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    has_places = any(one.where for one in story.steps)
    for heading in ("at (UTC)", *(["where"] if has_places else []), "what happened"):
        table.add_column(Text(heading), no_wrap=heading != "what happened")
    for step in shown:
        is_read = (
            story.read_at_ns is not None and step.at_ns <= story.read_at_ns <= step.until_ns and step.event is not None
        )
        where = [Text(printable(step.where or "", 22))] if has_places else []
        table.add_row(
            Text(format_time(step.at_ns)), *where, kept_together(step_text(step)), style="bold" if is_read else ""
        )
    more = [Text(f"{counted(left_out, 'more step')}; --json has all of them.", style="dim")] if left_out else []
    return Group(table, *more)


def _shown(story: Story) -> tuple[Sequence[Step], int]:
    """The steps that are shown: the first ones, or those around the read that is asked for."""
    begin = 0
    if story.read_at_ns is not None:
        before = sum(one.at_ns <= story.read_at_ns for one in story.steps)
        begin = max(0, min(before - _BEFORE, len(story.steps) - _STEPS))
    shown = story.steps[begin : begin + _STEPS]
    return shown, len(story.steps) - len(shown)


@shown.register
def step_text(step: Step) -> Text:
    """What happened in a step, in a few words."""
    return Text(_WORDS[step.what](step) if step.what in _WORDS else step.what)


def _row(step: Step, what: str) -> str:
    if step.times == 1:
        return what
    return f"{what}, {step.times:,} in a row, until {format_time(step.until_ns, step.at_ns)}"


def _span(span_ns: int | None) -> str:
    return format_seconds((span_ns or 0) / SECOND)


def _idle(step: Step) -> str:
    return f", {_span(step.idle_ns)} after its last use"


def _by(step: Step) -> str:
    return f" by a write on {printable(step.other)}" if step.other else ""


def _size(step: Step) -> str:
    return format_bytes(step.bytes or 0)


def _changed(step: Step) -> str:
    if step.cause == "seen":
        return "the value at the origin has changed: this read shows it"
    return f"the value at the origin changes: a {step.cause}{f' on {printable(step.where)}' if step.where else ''}"


def _load(step: Step) -> str:
    waited = f", of which it waits {_span(step.waited_ns)} for the origin" if step.waited_ns else ""
    return f"the load takes {_span(step.span_ns)}{waited}"


_FAILED = {
    "down": "the origin was away, which it knew after",
    "gave up": "it gave up after",
    "kept": "an earlier failure was kept, which took",
}
_LIFETIMES = {"aged": "absolute", "idle": "sliding", "fixed_time": "absolute_at"}
_WORDS = {
    "hit": lambda step: _row(step, "hit"),
    "stale hit": lambda step: f"{_row(step, 'stale hit')}; stale for {_span(step.span_ns)}",
    "joined": lambda step: _row(step, "joined a load under way"),
    "failed": lambda step: f"{_row(step, 'failed')}: {_FAILED[step.cause or 'down']} {_span(step.span_ns)}",
    "missed": lambda step: f"missed ({step.cause}); {_load(step)}",
    "reloaded": lambda step: f"reloaded in the background; {_load(step)}",
    "load failed": lambda _: "the load failed: the origin was away",
    "loaded": lambda step: f"stored, {_size(step)}",
    "written": lambda step: f"a written value is stored, {_size(step)}",
    "copied": lambda step: (
        f"a value written{f' on {printable(step.other)}' if step.other else ' elsewhere'} is stored, {_size(step)}"
    ),
    "refused": lambda _: "the value is not kept: the rules refuse it",
    "null": lambda _: "the origin has nothing; the rules do not keep that",
    "expired": lambda step: f"left memory{_idle(step)}; it had expired by {_LIFETIMES[step.cause or 'aged']}",
    "evicted": lambda step: f"evicted for {printable(step.other or '')}{_idle(step)}",
    "dropped": lambda step: f"dropped{_by(step)}{_idle(step)}",
    "cleared": lambda step: f"cleared{_idle(step)}",
    "restarted": lambda step: f"lost in a restart{_idle(step)}",
    "superseded": lambda _: "replaced by a later value of its key",
    "freed": lambda _: "freed with its scope",
    "changed": _changed,
}


def losses_text(keys: Keys, command: Sequence[str], lookups: Sequence[str] | None = None) -> RenderableType:
    """The keys where most is lost, and how to ask about each. `command` has the words that ask, without the key."""
    parts: list[RenderableType] = []
    for loss, title in (("origin_time_ns", "most origin time"), ("stale_hits", "most stale hits")):
        worst = keys.worst(loss, 5, lookups).tolist()
        if not worst:
            continue
        parts += [Text(), keys_table(keys, title, worst), Text()]
        parts += [_command([*command, *_names(keys, key)]) for key in worst]
    return Group(*parts[1:]) if parts else Text("No origin calls and no stale hits: there is nothing to explain.")


def _names(keys: Keys, key: int) -> list[str]:
    trace = keys.trace
    return ["--lookup", trace.lookups[trace.key_lookup[key]], "--key", str(trace.keys[key])]


def _command(words: Sequence[str]) -> Text:
    return Text(command_text(words, 4, WIDTH), style="dim", overflow="fold")
