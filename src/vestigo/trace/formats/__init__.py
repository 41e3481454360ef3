"""One file a format: from a path to a table of what stands there, under the file's own column names."""
