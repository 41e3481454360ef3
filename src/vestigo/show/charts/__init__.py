"""What charts show, worked out once as plain records: figures and pages only draw them.

records    marks, lines and levels;  ticks  round sizes for an axis in bytes
front      candidates by memory and hits;  sizes  hits at every size;  over_time  a measure in each slice of time
"""
