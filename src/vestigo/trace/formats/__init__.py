"""The formats, one file each: from a path to a table with the file's own column names."""
