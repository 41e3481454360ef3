"""Skerrow Quay, the desk of a made-up small harbour, and two days of its reads.

scene      who reads what, when, and how the data changes
generate   the same as a trace, always the same one
files      the recorded trace and a plan for it, as they ship with the package
"""
