"""How much of a trace is worked on, and kept, at one time."""

KEPT_EVENTS = 1 << 24
"""What is prepared of a trace of no more events is kept while it lives. Of a longer one it is made anew for every
replay, so that memory grows with its keys alone."""

BATCH_EVENTS = 1 << 20


def is_long(events: int) -> bool:
    """Whether a trace of so many events is worked on part by part, to save memory."""
    return events > KEPT_EVENTS
