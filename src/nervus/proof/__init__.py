"""Proving a repair: the same test again, how long it must stay clean, and what state that gives."""
