"""Drives the user's own cache with a trace, beside the replay of the same settings.

offered    what the origin would give at each event
functions  a cache in Python, as functions;  clock  the time that it is given
process    a cache in another process, spoken to in JSON-RPC
answers    what it gave at each event, and what that adds up to
scales     the memory of its process;  costs  what entries and hits take, from that and from how long hits took
driven     what is returned;  run  where all comes together
explain    settings that explain a cache better (observed: what its answers show at once; untested: what they do not)
"""
