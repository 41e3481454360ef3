"""The page with knobs. It is served only on this machine, to whoever has its address."""
