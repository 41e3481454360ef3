"""Finds the settings of each look-up.

search      rounds of attempts, until they bring no more
units       what can be set by itself: look-ups with their pool
offers      values that are worth trying, from what the data of a look-up does (clock, ladders)
attempts    what was tried of each unit, and what it gives alone
combining   one attempt of each unit, best within limits: a mixed integer program, with its bound and prices (limits)
found       ``Search``: what was found, and other questions answered from it
"""
