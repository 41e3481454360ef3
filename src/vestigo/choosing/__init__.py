"""Many settings on one trace, and the choice among them.

candidates  what is known of each set of settings;  pick  the one that was chosen
compare     settings side by side, with no cache and the ceilings (ceilings, most_hits)
sweep       what trying all combinations gives;  run_sweep  the replays (tried, tasks, results, store)
search      looks for the best without trying all (guess)
key_sample  what a part of the keys tells (sampled, estimate)
choose      the pick for an aim;  reasons  why it was picked (front, resample)
share_out   bytes shared among look-ups;  explorer  settings that are moved by hand
"""
