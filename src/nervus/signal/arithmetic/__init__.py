"""Spans, intervals, robust figures and chances: arithmetic that knows nothing of sensors."""
