"""Trouble codes: how they are written, and what their status says."""
