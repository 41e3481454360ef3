"""The page with knobs: served on this machine alone, to whoever has its address."""
