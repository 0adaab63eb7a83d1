"""How long work tells how far it is, and is stopped."""

from collections.abc import Callable

Progress = Callable[[str, float], None]
"""Called with what is being done and how far it is (0 to 1); may raise `Stopped`."""


def no_progress(_doing: str, _share: float) -> None:
    """For callers that do not watch."""
