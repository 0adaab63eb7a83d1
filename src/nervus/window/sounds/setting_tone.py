"""The tone for setting a sensor: it rises to the window, holds inside it, and is broken up above it."""

import numpy as np
from numpy.typing import NDArray

from nervus.window.sounds.wiggle_tone import RATE_HZ

# Far below the window, and at it; beyond so many volts it sounds as far as it can.
_LOW_HZ, _HIGH_HZ, _FAR_V = 220.0, 880.0, 0.5
_PULSE_S, _LOUDNESS = 0.12, 0.25


class SettingTone:
    """Turns a value and its window into sound."""

    def __init__(self) -> None:
        self._pitch_hz = 0.0
        self._above = False
        self._phase = self._time_s = 0.0

    def feed(self, volts: float, low_v: float, high_v: float) -> None:
        """The value now, and the window."""
        below = max(0.0, low_v - volts)
        self._above = volts > high_v
        share = 1.0 - min(below / _FAR_V, 1.0)
        self._pitch_hz = float(_LOW_HZ * (_HIGH_HZ / _LOW_HZ) ** share)

    @property
    def pitch_hz(self) -> float:
        """How high it sounds; 0 before the first value."""
        return self._pitch_hz

    def sound(self, seconds: float) -> NDArray[np.int16]:
        """The next stretch of sound, 16-bit mono, shape (n,)."""
        count = round(seconds * RATE_HZ)
        phase = self._phase + 2.0 * np.pi * self._pitch_hz * np.arange(1, count + 1) / RATE_HZ
        time_s = self._time_s + np.arange(count) / RATE_HZ
        gain = np.where((time_s // _PULSE_S) % 2 == 0, 1.0, 0.0) if self._above else np.ones(count)
        if self._pitch_hz == 0.0:
            gain = np.zeros(count)
        self._phase = float(phase[-1] % (2.0 * np.pi)) if count else self._phase
        self._time_s += count / RATE_HZ
        return np.asarray(32_767.0 * _LOUDNESS * gain * np.sin(phase), dtype=np.int16)


class SettledTone:
    """A short high tone that says: taken."""

    def __init__(self) -> None:
        self._left_s = 0.0
        self._phase = 0.0

    def ring(self) -> None:
        """Sound once."""
        self._left_s = _PULSE_S

    def sound(self, seconds: float) -> NDArray[np.int16]:
        """The next stretch of sound, 16-bit mono, shape (n,)."""
        count = round(seconds * RATE_HZ)
        heard = np.arange(count) < self._left_s * RATE_HZ
        phase = self._phase + 2.0 * np.pi * _HIGH_HZ * np.arange(1, count + 1) / RATE_HZ
        self._phase = float(phase[-1] % (2.0 * np.pi)) if count else self._phase
        self._left_s = max(0.0, self._left_s - seconds)
        return np.asarray(32_767.0 * _LOUDNESS * heard * np.sin(phase), dtype=np.int16)
