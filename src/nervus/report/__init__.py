"""Reports of a job that one can hand over: what stands in them, and how they are written."""
