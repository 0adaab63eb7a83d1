"""Instruments that speak SCPI: a bench meter that is asked for readings, a sampler of blocks.

By PyVISA with its pure-Python back end, so over a socket, a serial line or USB alike. Commands are those
of SCPI-99 (measurement, format, trace subsystems), blocks those of IEEE 488.2 (definite length).
"""

from collections.abc import Sequence
from typing import Any

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, FloatArray, Unit
from nervus.link.errors import Garbled, LinkLost
from nervus.link.source import Block, Clock, one_sample

_WAIT_MS = 2000
_ACCEPTED = "accepted is HOST:PORT or a VISA resource such as TCPIP::10.0.0.5::5025::SOCKET"
# SCPI writes an overload as this number (SCPI-99, volume 1, 7.2.1.4 and NaN/INF: 9.9E37).
_OVERLOAD = 9.0e37
_STOOD_STILL_S = 0.25
OVERRUN = -363
"""The number of SCPI-99 for an input buffer that ran over."""


def resource_name(where: str) -> str:
    """The VISA resource of an instrument, from `HOST:PORT` or as it is.

    Raises:
        LinkLost: it is neither.
    """
    host, _, port = where.rpartition(":")
    if "::" in where:
        return where
    if host and port.isdecimal():
        return f"TCPIP::{host}::{port}::SOCKET"
    raise LinkLost(f"“{where}” is no instrument; {_ACCEPTED}.")


class Instrument:
    """One connection to an instrument.

    Attributes:
        identity: what it answers to `*IDN?`.
    """

    def __init__(self, where: str) -> None:
        import pyvisa  # noqa: PLC0415 - loaded when an instrument is first wanted: start-up

        self._visa_errors: tuple[type[Exception], ...] = (
            pyvisa.errors.Error,
            OSError,
            ValueError,
            TypeError,  # what the back end makes of a connection that was closed meanwhile
        )
        name = resource_name(where)
        try:
            self._manager = pyvisa.ResourceManager("@py")
            self._resource: Any = self._manager.open_resource(
                name, read_termination="\n", write_termination="\n", timeout=_WAIT_MS
            )
        except self._visa_errors as wrong:
            raise LinkLost(f"{where} can't be opened: {wrong}; {_ACCEPTED}.") from wrong
        # A refused port raises nothing before the first question.
        try:
            self.identity = self.ask("*IDN?")
        except LinkLost:
            self.close()
            raise

    def tell(self, command: str) -> None:
        """Send a command.

        Raises:
            LinkLost: the instrument is gone.
        """
        try:
            self._resource.write(command)
        except self._visa_errors as wrong:
            raise LinkLost(f"The instrument takes nothing any more: {wrong}.") from wrong

    def ask(self, question: str) -> str:
        """Send a question and wait for its line.

        Raises:
            LinkLost: no answer came in time; open anew after it, or a late answer would be taken for
                the next one's.
        """
        try:
            return str(self._resource.query(question)).strip()
        except self._visa_errors as wrong:
            raise LinkLost(f"The instrument does not answer {question}: {wrong}.") from wrong

    def ask_block(self, question: str) -> FloatArray:
        """Send a question and take a block of 32-bit floats, big end first.

        Raises:
            LinkLost: no whole block came in time.
        """
        try:
            values = self._resource.query_binary_values(
                question, datatype="f", is_big_endian=True, container=np.array
            )
        except self._visa_errors as wrong:
            raise LinkLost(f"The instrument hands over no whole block: {wrong}.") from wrong
        return np.asarray(values, dtype=np.float64)

    def close(self) -> None:
        """Let go."""
        self._resource.close()
        self._manager.close()


def number_of(text: str) -> float | None:
    """A reading as SCPI writes it (NR1, NR2, NR3); `None` for an overload.

    Raises:
        Garbled: it is no number.
    """
    try:
        value = float(text)
    except ValueError as wrong:
        raise Garbled(f"The instrument answered “{text[:40]}” where a number belongs.") from wrong
    return None if not np.isfinite(value) or abs(value) >= _OVERLOAD else value


def volt_channel(channel: str) -> str:
    """The channel, if it is measured in volts.

    Raises:
        LinkLost: it is not.
    """
    kind = CHANNEL_KINDS.get(channel)
    if kind is None or kind.unit is not Unit.VOLT:
        volts = ", ".join(n for n, k in CHANNEL_KINDS.items() if k.unit is Unit.VOLT)
        raise LinkLost(f"“{channel}” is no line that a meter reads; accepted is one of {volts}.")
    return channel


class MeterSource:
    """A bench meter on one line: as many readings a second as it gives."""

    def __init__(self, where: str, channel: str) -> None:
        self.name = f"meter ({channel})"
        self._where, self._channel = where, volt_channel(channel)
        self._instrument: Instrument | None = None
        self._clock = Clock()

    def open(self, clock: Clock) -> None:
        """Reach the meter and set it to volts.

        Raises:
            LinkLost: it can't be reached.
        """
        self.close()
        self._clock = clock
        self._instrument = Instrument(self._where)
        self._instrument.tell("CONF:VOLT:DC")

    def read(self) -> Sequence[Block]:
        """One reading, at the instant half way between question and answer; none for an overload."""
        if self._instrument is None:
            raise LinkLost("The meter is not connected.")
        asked = self._clock.now()
        value = number_of(self._instrument.ask("READ?"))
        middle = (asked + self._clock.now()) / 2
        return [] if value is None else [one_sample(self._channel, middle, value)]

    def close(self) -> None:
        """Let go."""
        if self._instrument is not None:
            self._instrument.close()
        self._instrument = None


class SamplerSource:
    """A fast sampler with a few channels: hands over all samples since the last time, without a gap.

    Instants come from the sampler's own even pace; the pace is fitted to the recording's clock by the
    first block, so they drift by as much as the sampler's clock does (from memory: 50 in a million).
    """

    def __init__(self, where: str, channels: tuple[str, ...], rate_hz: float = 10_000.0) -> None:
        self.name = "sampler"
        self._where = where
        self._channels = tuple(volt_channel(c) for c in channels)
        self._rate_hz = rate_hz
        self._instrument: Instrument | None = None
        self._clock = Clock()
        self._began: float | None = None
        self._count = 0

    def open(self, clock: Clock) -> None:
        """Reach the sampler and start it.

        Raises:
            LinkLost: it can't be reached.
        """
        self.close()
        self._clock, self._began, self._count = clock, None, 0
        instrument = Instrument(self._where)
        lines = ",".join(str(n) for n in range(1, len(self._channels) + 1))
        for command in (
            "FORM REAL,32",
            f"ROUT:SCAN (@{lines})",
            f"SENS:SWE:TINT {1.0 / self._rate_hz:.9f}",
            "INIT:CONT ON",
        ):
            instrument.tell(command)
        self._instrument = instrument

    def read(self) -> Sequence[Block]:
        """All samples since the last time, for each channel.

        Raises:
            LinkLost: the sampler is gone, or ran over because it was not asked in time.
        """
        if self._instrument is None:
            raise LinkLost("The sampler is not connected.")
        self._clock.wait(0.02)
        rows = self._instrument.ask_block("FETC?")
        width = len(self._channels)
        if rows.size % width:
            raise Garbled(f"The sampler handed over {rows.size} values for {width} channels.")
        if rows.size == 0:
            return ()
        if int(self._instrument.ask("SYST:ERR?").split(",")[0]) == OVERRUN:
            raise LinkLost("The sampler ran over: samples were lost.")
        count = rows.size // width
        behind = self._clock.now() - count / self._rate_hz
        if self._began is None:
            self._began = behind
        # A sampler that stood still for a while (a stand-in on a busy machine does) leaves a gap.
        if behind - (self._began + self._count / self._rate_hz) > _STOOD_STILL_S:
            self._began = behind - self._count / self._rate_hz
        time_s = self._began + (self._count + np.arange(count)) / self._rate_hz
        self._count += count
        return [
            Block(channel, time_s, np.ascontiguousarray(rows[number::width]))
            for number, channel in enumerate(self._channels)
        ]

    def close(self) -> None:
        """Let go."""
        if self._instrument is not None:
            self._instrument.close()
        self._instrument = None
