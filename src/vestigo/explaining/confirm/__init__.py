"""The counters of a running cache beside what its settings were predicted to give.

counters   what files of counters say: how much each of them rose between two scrapes
measured   what they say of the running cache, by look-up
predicted  what a replay gives over the same time
windows    both over the same stretches of time, and how sure their difference is
tries      what the running cache may do differently, the nearest first
confirmation  what is returned;  compare  where all comes together
"""
