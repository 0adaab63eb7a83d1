"""The tone of the wiggle test: it follows the signal and breaks audibly when the signal drops.

Pure sound samples; whether there is a device that plays them is somebody else's matter.
"""

import numpy as np
from numpy.typing import NDArray

from nervus.domain.channel import FloatArray

RATE_HZ = 22_050
# Two octaves over the whole supply, where small speakers and noisy workshops still let it be heard.
_LOWEST_HZ, _OCTAVES, _LOUDNESS = 330.0, 2.0, 0.25
# A step over the time that input filters round an edge to, as a share of the supply; what a plate at its
# fastest may make of it a second; the break is heard for so long.
_EDGE_S, _FASTEST_PER_S = 0.002, 12.0
_STEP, _BREAK_S = 0.05, 0.12


class BreakWatch:
    """Tells when a signal jumps as no plate can make it."""

    def __init__(self) -> None:
        self._tail: tuple[FloatArray, FloatArray] = (np.empty(0), np.empty(0))

    def feed(self, time_s: FloatArray, shares: FloatArray) -> bool:
        """New samples as shares of the supply; whether the signal let go, or came back, in them.

        Each is held against the one a rounded edge before it, so that a drop shows however fast it was
        sampled, and a quick foot does not however slowly.
        """
        times = np.concatenate([self._tail[0], time_s])
        shares = np.concatenate([self._tail[1], shares])
        back = np.maximum(np.searchsorted(times, times - _EDGE_S, side="right") - 1, 0)
        allowed = np.maximum(_STEP, _FASTEST_PER_S * (times - times[back]))
        broken = bool(np.any(np.abs(shares - shares[back]) > allowed))
        kept = max(0, min(times.size - 1, int(np.searchsorted(times, times[-1] - _EDGE_S)) - 1))
        self._tail = (times[kept:], shares[kept:])
        return broken


class WiggleTone:
    """Turns the level of a signal into sound, without clicks at the joints."""

    def __init__(self) -> None:
        self._phase = 0.0
        self._pitch_hz = _LOWEST_HZ
        self._silent_s = 0.0
        self._level: float | None = None
        self._watch = BreakWatch()
        self.broken = False

    def feed(self, time_s: FloatArray, values: FloatArray, supply: float = 5.0) -> None:
        """New samples of the signal, in its own unit."""
        if values.size == 0:
            return
        shares = values / supply
        self.broken = self._watch.feed(time_s, shares)
        if self.broken:
            self._silent_s = _BREAK_S
        self._level = float(shares[-1])

    def sound(self, seconds: float) -> NDArray[np.int16]:
        """The next stretch of sound, 16-bit mono, shape (n,)."""
        count = round(seconds * RATE_HZ)
        share = min(max(self._level or 0.0, 0.0), 1.0)
        wanted = _LOWEST_HZ * 2.0 ** (_OCTAVES * share)
        pitch = np.linspace(self._pitch_hz, wanted, count)
        phase = self._phase + np.cumsum(2.0 * np.pi * pitch / RATE_HZ)
        self._pitch_hz, self._phase = wanted, float(phase[-1] % (2.0 * np.pi)) if count else self._phase
        gain = np.ones(count)
        quiet = min(count, round(self._silent_s * RATE_HZ))
        gain[:quiet] = 0.0
        self._silent_s = max(0.0, self._silent_s - seconds)
        if self._level is None:
            gain[:] = 0.0
        return np.asarray(32_767.0 * _LOUDNESS * gain * np.sin(phase), dtype=np.int16)
