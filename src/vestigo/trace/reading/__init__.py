"""From files to a Trace: which files, what their columns mean, checks of every value, dense ids."""
