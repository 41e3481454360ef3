"""A receiver of OpenTelemetry spans that writes them as a trace.

receiver   requests and answers: who may send, how much, in which encoding
otlp       a request's body -> spans, as lists
selection  which spans are recorded, and as what
recording  spans that wait, the thread that makes lines of them, the counts
bodies     bodies that are taken in and read, within bounds;  lines  spans as lines;  accounts  every span counted once
"""
