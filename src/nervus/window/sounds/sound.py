"""Sound out, where the machine has a device for it; else nothing, and that is told."""

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLoggingCategory, QObject

from nervus.window.sounds.wiggle_tone import RATE_HZ

_AHEAD_S = 0.15


class Tone(Protocol):
    """What makes sound, piece by piece."""

    def sound(self, seconds: float) -> NDArray[np.int16]:
        """The next stretch of sound, 16-bit mono, shape (n,)."""
        ...


class SoundOut(QObject):
    """Plays a tone as long as it is fed; `works` says whether anybody can hear it."""

    def __init__(self, tone: Tone, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._tone = tone
        self._sink: Any = None
        self._out: Any = None
        self.works = self._open()

    def _open(self) -> bool:
        # What the sound system lacks is told in our words, if it comes to that.
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")
        try:
            # Loads the sound system's library, which a machine without sound may lack.
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices  # noqa: PLC0415
        except ImportError:
            return False
        device = QMediaDevices.defaultAudioOutput()
        wanted = QAudioFormat()
        wanted.setSampleRate(RATE_HZ)
        wanted.setChannelCount(1)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        if device.isNull() or not device.isFormatSupported(wanted):
            return False
        self._sink = QAudioSink(device, wanted, self)
        self._sink.setBufferSize(int(2 * RATE_HZ * _AHEAD_S))
        self._out = self._sink.start()
        return self._out is not None

    def go_on(self) -> None:
        """Hand over as much sound as the device takes."""
        if self._sink is None or self._out is None:
            return
        free = self._sink.bytesFree() // 2
        if free > 0:
            self._out.write(self._tone.sound(free / RATE_HZ).tobytes())

    def stop(self) -> None:
        """Be quiet."""
        if self._sink is not None:
            self._sink.stop()
        self._sink = self._out = None
