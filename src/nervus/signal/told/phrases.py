"""Phrases that several findings are told with."""

from nervus.language import say_many


def times_told(count: int) -> str:
    """How often something was seen."""
    return say_many("once", "{count} times", count)
