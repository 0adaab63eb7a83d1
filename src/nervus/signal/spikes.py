"""Ignition spikes: volts that every line shares for a sample or two, and no fault of the sensor.

A spike is coupled into the harness and the ground, so it adds the same voltage to all lines, the
supply included. An interruption does not: what it adds depends on where the track stands.
"""

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray
from nervus.signal import sampling

# A spike stands out of the median of so many samples, so it lasts at most half of them.
_WINDOW = 7
# It stands out by this many deviations of the noise and at least this many volts.
_OUTSTANDING, _LEAST_V = 5.0, 0.02
# All lines move by the same volts within this share; one of them may be filtered better.
_ALIKE = 0.5
# A supply that falls below this has collapsed: that is no spike.
_COLLAPSED_V = 3.0


def spike_mask(channel: Channel, reference: Channel | None) -> BoolArray:
    """Samples of `channel`, shape (n,), that are spikes shared with the reference line.

    Args:
        channel: a track in volts.
        reference: the supply, or another track, sampled at the same instants; without one nothing
            is called a spike.
    """
    nothing = np.zeros(channel.time_s.shape, dtype=bool)
    if reference is None or channel.samples < _WINDOW or reference.samples < _WINDOW:
        return nothing
    at, same_instant = _match(channel.time_s, reference.time_s)
    if same_instant.mean() < 0.5:
        return nothing
    shared = _bump(reference.values)
    least = max(_OUTSTANDING * sampling.noise(reference.values), _LEAST_V)
    own, other = _bump(channel.values), shared[at]
    alike = np.abs(own - other) <= _ALIKE * np.maximum(np.abs(own), np.abs(other))
    collapsed = reference.values[at] < _COLLAPSED_V if reference.id == "vref_v" else nothing
    return np.asarray(same_instant & (np.abs(other) > least) & alike & ~collapsed, dtype=np.bool_)


def _match(time_s: FloatArray, others_s: FloatArray) -> tuple[FloatArray, BoolArray]:
    """For each instant the index of the other channel's sample, and whether it is simultaneous."""
    at = np.minimum(np.searchsorted(others_s, time_s - 1e-9), others_s.size - 1)
    return at, np.abs(others_s[at] - time_s) < 1e-6


def _bump(values: FloatArray) -> FloatArray:
    from scipy.ndimage import median_filter  # noqa: PLC0415 - loaded when first needed: start-up

    return np.asarray(values - median_filter(values, size=_WINDOW, mode="nearest"))
