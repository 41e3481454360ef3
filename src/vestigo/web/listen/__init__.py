"""A receiver of OpenTelemetry spans that writes them as a trace.

app        requests and answers: who may send, how much, in which encoding
otlp       a request's body -> spans, as lists
selection  which spans are recorded, and as what
recording  spans that wait, the thread that makes lines of them, the counts
serve      the server's own limits; from its start to its end
"""
