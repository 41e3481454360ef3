"""From files to a Trace: which files, which columns mean what, every value checked, dense ids."""
