"""Each candidate by its best explanation; `shaft.py` is all of it for one shaft."""
