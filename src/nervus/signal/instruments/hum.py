"""Hum: a steady swing that long leads pick up from the mains or an alternator, and no signal's own.

It is as regular as no motion of a plate and no contact is: it stands out of the spectrum as one line,
and keeps its phase from one tenth of a second to the next. What does is taken away.
"""

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.signal.arithmetic.robust import even_median

# Sampled further apart, or for a shorter time, hum is not told from motion.
_FAST_S, _LEAST_S = 0.005, 5.0
# It is sought in so many stretches of such a length, from this frequency up to a share of the rate.
_STRETCHES, _STRETCH_S, _LOWEST_HZ, _HIGHEST = 24, 1.3, 20.0, 0.4
# A line is so many times as strong as what lies beside it, so many bins to each side.
_STANDS_OUT, _BESIDE, _ITSELF = 20.0, 16, 2
# Its phase and size are told from pieces so long, over so many to each side; single ones are off those
# by a smaller share of it.
_PIECE_S, _AROUND, _STEADY = 0.2, 12, 0.5
# Samples looked at together.
_AT_ONCE = 1 << 15
# The mains have harmonics.
_MOST_LINES = 3


def without_hum(level: FloatArray, time_s: FloatArray, interval_s: float) -> FloatArray:
    """Values without the steady swings in them, shape (n,) to (n,).

    Args:
        level: in any unit, shape (n,).
        time_s: instants, rising, shape (n,).
        interval_s: usual time between them.
    """
    if not 0.0 < interval_s <= _FAST_S or level.size * interval_s < _LEAST_S:
        return level
    for _ in range(_MOST_LINES):
        frequency = _line(level, interval_s)
        left = _without(level, time_s, frequency, interval_s) if frequency is not None else None
        if left is None:
            break
        level = left
    return level


def _line(level: FloatArray, interval_s: float) -> float | None:
    """The frequency that stands out of what the values swing with, hertz, if one does."""
    length = round(_STRETCH_S / interval_s)
    starts = np.linspace(0, level.size - length - 1, _STRETCHES).astype(np.int64)
    window = np.hanning(length)
    # What a plate does is slow: of differences little of it is left.
    stretches = np.stack([np.diff(level[s : s + length + 1]) * window for s in starts])
    power = np.median(np.abs(np.fft.rfft(stretches, axis=1)) ** 2, axis=0)
    hertz = np.fft.rfftfreq(length, interval_s)
    beside = np.lib.stride_tricks.sliding_window_view(
        np.pad(power, _BESIDE, mode="edge"), 2 * _BESIDE + 1
    )
    around = np.r_[0 : _BESIDE - _ITSELF, _BESIDE + _ITSELF + 1 : 2 * _BESIDE + 1]
    stands = power / np.maximum(np.median(beside[:, around], axis=1), 1e-18)
    stands[(hertz < _LOWEST_HZ) | (hertz > _HIGHEST / interval_s)] = 0.0
    at = int(np.argmax(stands))
    return float(hertz[at]) if stands[at] > _STANDS_OUT else None


def _without(
    level: FloatArray, time_s: FloatArray, frequency: float, interval_s: float
) -> FloatArray | None:
    """Values without what swings with a frequency and keeps its phase; `None` where nothing does."""
    length = round(_PIECE_S / interval_s)
    first = float(time_s[0])
    found = _pieces(level, time_s, frequency, interval_s)
    # A phase that goes on tells how far the line lies beside the middle of its bin.
    turns = np.sum(found[1:] * np.conj(found[:-1]) / np.maximum(np.abs(found[1:] * found[:-1]), 1e-18))
    frequency += float(np.angle(turns)) / (2.0 * np.pi * length * interval_s)
    found = _pieces(level, time_s, frequency, interval_s)
    steady = even_median(found.real, _AROUND) + 1j * even_median(found.imag, _AROUND)
    if float(np.median(np.abs(found - steady))) > _STEADY * float(np.median(np.abs(steady))):
        return None
    middle, left = (np.arange(found.size) + 0.5) * length, np.empty_like(level)
    for start in range(0, level.size, _AT_ONCE):
        some = slice(start, start + _AT_ONCE)
        at = np.arange(start, min(start + _AT_ONCE, level.size))
        phase = 2.0 * np.pi * frequency * (time_s[some] - first)
        real, imaginary = (np.interp(at, middle, part) for part in (steady.real, steady.imag))
        left[some] = level[some] - (real * np.cos(phase) - imaginary * np.sin(phase))
    return left


def _pieces(
    level: FloatArray, time_s: FloatArray, frequency: float, interval_s: float
) -> np.ndarray[tuple[int], np.dtype[np.complex128]]:
    """How large, and at which phase, a frequency is in each piece, complex, shape (pieces,)."""
    length = round(_PIECE_S / interval_s)
    count = level.size // length
    window, along = np.hanning(length), np.linspace(-1.0, 1.0, length)
    turning = 2.0 * np.pi * frequency * interval_s * np.arange(length)
    weights = []
    for wave in (np.cos(turning) * window, -np.sin(turning) * window):
        # A straight line through a piece is motion: it counts for nothing.
        level_free = wave - wave.mean()
        weights.append(level_free - (level_free @ along / (along @ along)) * along)
    pieces = level[: count * length].reshape(count, length)
    found = pieces @ weights[0] + 1j * (pieces @ weights[1])
    begins = time_s[: count * length : length] - time_s[0]
    return np.asarray(2.0 * found * np.exp(-2j * np.pi * frequency * begins) / window.sum())
