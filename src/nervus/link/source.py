"""What a recording is fed by: anything that gives samples of channels on one clock."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, FloatArray


class Clock:
    """Seconds since a recording began; the same for all its sources."""

    def __init__(self) -> None:
        self._began = time.monotonic()

    def restart(self) -> None:
        """Now is zero."""
        self._began = time.monotonic()

    def wait(self, seconds: float) -> None:
        """Let some time pass."""
        time.sleep(seconds)

    def now(self) -> float:
        """Seconds since the beginning."""
        return time.monotonic() - self._began


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """Samples of one channel, in the order of time.

    Attributes:
        channel: its identifier.
        time_s: instants on the recording's clock, shape (n,).
        values: in the channel's unit, shape (n,).
    """

    channel: str
    time_s: FloatArray
    values: FloatArray

    def __post_init__(self) -> None:
        if self.channel not in CHANNEL_KINDS or self.time_s.shape != self.values.shape:
            raise ValueError(f"no block of samples: {self.channel}")


def one_sample(channel: str, time_s: float, value: float) -> Block:
    """A block of a single sample."""
    return Block(channel, np.asarray([time_s]), np.asarray([value]))


class Source(Protocol):
    """A vehicle, a meter, a sampler, or hands that type readings.

    All calls come from one thread. A source whose other end is gone raises `LinkLost` and can be
    opened again.

    Attributes:
        name: what is said of it in marks and troubles.
        trouble: called with a sentence for what goes wrong without an end; set by whoever runs it.
    """

    name: str
    trouble: Callable[[str], None]

    def open(self, clock: Clock) -> None:
        """Reach the other end; raises `OutsideError` if it can't be reached."""

    def read(self) -> Sequence[Block]:
        """What has come since; waits for at most some tenths of a second."""

    def close(self) -> None:
        """Let go of the other end."""
