"""Pages for a browser: the report, and what it shares with the page of knobs. Nothing on them comes from elsewhere."""
