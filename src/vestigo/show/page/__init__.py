"""Pages for a browser: the report and the page with knobs. They load nothing from elsewhere."""
