"""The course of a track: its level with excursions bridged, as if no fault had been there."""

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Span
from nervus.signal.levels import TrackSignal
from nervus.signal.spans import inside


def bridge(track: TrackSignal, faulty: tuple[Span, ...]) -> FloatArray:
    """Level of the track, shape (n,), straight lines drawn across the faulty spans."""
    bad = inside(track.time_s, faulty)
    if not bad.any() or bad.all():
        return track.level
    bridged = track.level.copy()
    bridged[bad] = np.interp(track.time_s[bad], track.time_s[~bad], track.level[~bad])
    return bridged


def smooth(level: FloatArray) -> FloatArray:
    """A median of five: leaves every monotone motion as it is, takes single stray samples out."""
    if level.size < 5:
        return level
    from scipy.ndimage import median_filter  # noqa: PLC0415 - loaded when first needed: start-up

    return np.asarray(median_filter(level, size=5, mode="nearest"), dtype=np.float64)
