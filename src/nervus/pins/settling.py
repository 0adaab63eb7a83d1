"""When the value on a connected meter has settled, so that both hands can stay on the probes."""

from collections import deque
from typing import Final

from nervus.pins.meter import Meter

# A value has settled when it stayed within the meter's accuracy for so long, in so many readings.
_STEADY_S, _LEAST = 0.7, 3
# The next one is waited for until the value left the last by more than this, and the meter's accuracy.
_LEFT_V: Final = 0.05


class SettleWatch:
    """Takes readings as they come, and tells a value once when it stands.

    The same value twice in a row is not told twice: the probes have to leave the pins between.
    """

    def __init__(self, meter: Meter) -> None:
        self._meter = meter
        self._recent: deque[tuple[float, float]] = deque()
        self._last: float | None = None

    def begin_anew(self) -> None:
        """The probes were put elsewhere for sure: the same value may be told again."""
        self._recent.clear()
        self._last = None

    def feed(self, time_s: float, volts: float | None) -> float | None:
        """One reading, `None` where the meter shows none; returns a value that has just settled."""
        if volts is None:
            self._recent.clear()
            self._last = None
            return None
        self._recent.append((time_s, volts))
        while self._recent and self._recent[0][0] < time_s - _STEADY_S - 0.5:
            self._recent.popleft()
        if self._last is not None:
            if abs(volts - self._last) <= _LEFT_V + self._meter.accuracy(self._last):
                return None
            self._last = None
            self._recent.clear()
            self._recent.append((time_s, volts))
            return None
        values = [v for t, v in self._recent if t >= time_s - _STEADY_S - 0.3]
        long_enough = time_s - self._recent[0][0] >= _STEADY_S
        if len(values) < _LEAST or not long_enough:
            return None
        middle = sorted(values)[len(values) // 2]
        if max(values) - min(values) > 2.0 * self._meter.accuracy(middle):
            return None
        self._last = middle
        return middle
