"""Settings for the demo that tend each look-up by what its data does. They use many rules."""

from typing import Any

from vestigo import Plan

_CHANGES: dict[str, Any] = {
    "rules.overlap": "join",
    "rules.on_write": "drop",
    "rules.tell_nodes": "drop",
    "rules.tell_delay": "200ms",
    "lookup.berth.absolute": "4h",
    "lookup.berth.on_write": "replace",
    "lookup.berth.tell_nodes": "copy",
    "lookup.chart.absolute": "1d",
    "lookup.notice.absolute": "4h",
    "lookup.notice.nulls": "keep",
    "lookup.tide.absolute_at": "00:00",
    "lookup.tide.absolute": "1d",
    "lookup.tide.zone": "UTC",
    "lookup.vessel.max_entries": 2000,
    "lookup.vessel.absolute": "12h",
    "lookup.vessel.sliding": "never",
    "lookup.vessel.nulls": "keep 10m",
    "lookup.weather.absolute": "2m",
}


def tended(plan: Plan) -> Plan:
    """The demo's plan with these settings."""
    return plan.changed(_CHANGES)
