"""How late a throttle follows its command: by a delay on the way to the recorder, or by its own inertia.

What is read later than it happened is the same motion, shifted. A plate that is stiff, or whose motor is
weak, nears what was asked for ever more slowly, as through a low-pass of first order. Both are fitted to
all that was recorded at once; only the second is a fault of the throttle.
"""

from dataclasses import dataclass
from math import exp, inf, log

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.signal.instruments import sampling

# The time constants and delays that are tried. A sound motor takes its plate nine tenths of the way in
# 0.1 to 0.2 s (from memory), which is a time constant of 0.04 to 0.09 s.
_TRIED_S = (0.0, 0.03, 0.05, 0.08, 0.12, 0.17, 0.25, 0.35, 0.5, 0.8, 1.2)
_DELAYS_S = tuple(0.02 * n for n in range(16))
# From this time constant on it is late.
_LATE_S = 0.15
# Told so seldom, a command does not say when it moved: a time constant is so many tellings at least.
_TELLINGS = 1.5
# A low-pass explains what is seen where it leaves no more than this share of what the best delay leaves.
_BETTER = 0.8
# What is further off than this, percent, is another fault.
_NO_MORE_PCT = 20.0
# Both are looked at on a grid this fine, of so many points at most: the beginning of a long recording.
_GRID_S, _MOST = 0.01, 100_000
# Nine tenths of the way are gone after so many time constants.
_NINE_TENTHS = log(10.0)


@dataclass(frozen=True, slots=True)
class Response:
    """How a throttle answers its command.

    Attributes:
        delay_s: by how much all of it is later.
        tau_s: its time constant.
        off: how far off, percent, the two leave it (root of the mean square).
        off_by_delay: how far off the best delay alone does.
        every_s: how often the command was told.
    """

    delay_s: float
    tau_s: float
    off: float
    off_by_delay: float
    every_s: float

    @property
    def is_late(self) -> bool:
        """Whether the throttle itself is slower than sound ones are."""
        least_s = max(_LATE_S, _TELLINGS * self.every_s)
        return self.tau_s >= least_s and self.off <= _BETTER * self.off_by_delay

    @property
    def takes_s(self) -> float:
        """Seconds to nine tenths of the way."""
        return _NINE_TENTHS * self.tau_s


def response_of(time_s: FloatArray, wanted: FloatArray, is_at: FloatArray) -> Response:
    """How a position answers what was asked of it.

    Args:
        time_s: instants, shape (n,), rising; two at least.
        wanted: percent asked for at each of them, shape (n,).
        is_at: where it was by the command's scale, shape (n,).
    """
    every_s = sampling.interval_s(time_s)
    at_s = np.arange(time_s[0], min(time_s[-1], time_s[0] + _MOST * _GRID_S), _GRID_S)
    asked, went = np.interp(at_s, time_s, wanted), np.interp(at_s, time_s, is_at)
    best, least, by_delay = (0.0, 0.0), inf, inf
    for tau_s in _TRIED_S:
        smooth = smoothed(asked, tau_s / _GRID_S)
        for delay_s in _DELAYS_S:
            later = min(round(delay_s / _GRID_S), at_s.size - 1)
            apart = np.minimum(np.abs(smooth[: at_s.size - later] - went[later:]), _NO_MORE_PCT)
            off = float(np.sqrt(np.mean(apart**2)))
            if off < least:
                best, least = (delay_s, tau_s), off
        if tau_s == 0.0:
            by_delay = least
    return Response(*best, least, by_delay, every_s)


def smoothed(values: FloatArray, tau: float) -> FloatArray:
    """Values on an even grid, shape (n,), through a low-pass of first order with `tau` steps.

    Before the first of them it had settled there.
    """
    if tau <= 0.0:
        return values
    weights = (1.0 - exp(-1.0 / tau)) * np.exp(-np.arange(values.size) / tau)
    size = 2 * values.size
    through = np.fft.rfft(values - values[0], size) * np.fft.rfft(weights, size)
    return np.asarray(values[0] + np.fft.irfft(through, size)[: values.size])
