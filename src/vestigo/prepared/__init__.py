"""A trace made ready for the kernel, once for all replays of it: what engines and studies share.

`truth` says what each event tells of its key's value, `fill` what stands for sizes and costs that are missing,
`entries` which keys on which nodes there are, `counting` which events count and how time is sliced; `batches` joins
them into the kernel's columns. `next_reads`, `scopes` and `uncached` are asked for by some rules and measures alone.
"""
