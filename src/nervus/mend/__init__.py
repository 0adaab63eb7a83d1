"""Mending: procedures step by step, what came off, one thing at a time, and when it has settled."""
