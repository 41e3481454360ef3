"""A trace made ready for the kernel, once for all of its replays. Engines and studies share it.

`truth` says what each event tells of its key's value, `fill` what stands for missing sizes and costs, `entries` which
keys exist on which nodes, and `counting` which events count and how time is sliced. `batches` joins them into the
kernel's columns. Only some rules and measures need `neighbours` and `scopes`.
"""
