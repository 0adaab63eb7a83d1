"""Instruments that speak SCPI: a bench meter that is asked for readings, a sampler of blocks.

Commands are those of SCPI-99 (measurement, format, trace subsystems), blocks those of IEEE 488.2
(definite length). Before each question what nobody asked for is thrown away, so that a second or a late
answer is never taken for the next one's.
"""

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, FloatArray, Unit
from nervus.domain.errors import Stopped
from nervus.language import say
from nervus.link.errors import Garbled, LinkLost, NoAnswer
from nervus.link.meter_words import volts_said
from nervus.link.source import Block, Clock, one_sample
from nervus.link.wires import open_wire

_STOOD_STILL_S, _BLOCK_S = 0.25, 3.0
# A meter that answers nonsense so often in a row is set to something else, or is none.
_GARBLED_TIMES = 20
_TRIES, _SETTLE_S = 3, 0.05
OVERRUN = -363
"""The number of SCPI-99 for an input buffer that ran over."""


@dataclass(frozen=True, slots=True)
class MeterSetup:
    """How a meter wants to be spoken to.

    Attributes:
        first: a command that sets it to volts, "" for none.
        question: what a reading is asked for by.
        wait_s: how long a reading may take.
        baud: of a serial line.
    """

    first: str = "CONF:VOLT:DC"
    question: str = "READ?"
    wait_s: float = 5.0
    baud: int = 9600


class Instrument:
    """One connection to an instrument.

    Attributes:
        identity: what it answers to `*IDN?`.
        unasked: how often it said something that nobody had asked for.
    """

    def __init__(self, where: str, setup: MeterSetup = MeterSetup()) -> None:
        self._wire = open_wire(where, setup.baud)
        self._wait_s = setup.wait_s
        self._stopped = threading.Event()
        self.unasked = 0
        # A refused port raises nothing before the first question.
        try:
            self.identity = self._introduced()
        except (LinkLost, Stopped):
            self.close()
            raise

    def _introduced(self) -> str:
        """Its name; a reading that somebody asked for before is none."""
        for _ in range(_TRIES):
            name = self.ask("*IDN?")
            if _is_no_reading(name):
                return name
            time.sleep(_SETTLE_S)
        return name

    def stop(self) -> None:
        """End the question that is being asked, from any thread; it raises `Stopped`."""
        self._stopped.set()

    def _alive(self) -> None:
        if self._stopped.is_set():
            raise Stopped

    def _throw_away(self) -> None:
        """What nobody asked for; an instrument that talks out of turn gets time to finish."""
        if self._wire.drain().strip():
            self.unasked += 1
            time.sleep(_SETTLE_S)
            self._wire.drain()

    def tell(self, command: str) -> None:
        """Send a command.

        Raises:
            LinkLost: the instrument is gone.
        """
        self._wire.write(command)

    def ask(self, question: str) -> str:
        """Send a question and wait for its line.

        Raises:
            LinkLost: no answer came in time; open anew after it, or a late answer would be taken for the
                next one's.
            Stopped: `stop` was called.
        """
        self._throw_away()
        self._wire.write(question)
        try:
            answer = self._wire.line(self._wait_s, self._alive)
            # A line that is on speaking terms with people repeats what it was told first.
            if answer == question:
                answer = self._wire.line(self._wait_s, self._alive)
        except NoAnswer as silent:
            raise LinkLost(
                say(
                    "The instrument does not answer {question} within {wait_s:g} s.",
                    question=question,
                    wait_s=self._wait_s,
                )
            ) from silent
        return answer

    def ask_block(self, question: str) -> FloatArray:
        """Send a question and take a block of 32-bit floats, big end first (IEEE 488.2).

        Raises:
            LinkLost: no whole block came in time.
        """
        self._throw_away()
        self._wire.write(question)
        try:
            head = self._wire.exactly(2, _BLOCK_S, self._alive)
            digits = int(head[1:2]) if head[:1] == b"#" and head[1:2].isdigit() else 0
            count = int(self._wire.exactly(digits, _BLOCK_S, self._alive)) if digits else -1
            if count < 0 or count % 4:
                raise LinkLost(say("The instrument hands over something else than a block."))
            data = self._wire.exactly(count, _BLOCK_S, self._alive)
        except (NoAnswer, ValueError) as wrong:
            raise LinkLost(say("The instrument hands over no whole block.")) from wrong
        return np.frombuffer(data, dtype=">f4").astype(np.float64)

    def close(self) -> None:
        """Let go."""
        self._wire.close()


def _is_no_reading(text: str) -> bool:
    try:
        volts_said(text)
    except Garbled:
        return True
    return False


def volt_channel(channel: str) -> str:
    """The channel, if it is measured in volts.

    Raises:
        LinkLost: it is not.
    """
    kind = CHANNEL_KINDS.get(channel)
    if kind is None or kind.unit is not Unit.VOLT:
        accepted = ", ".join(volt_channels())
        raise LinkLost(
            say(
                "“{channel}” is no line that a meter reads; accepted is one of {accepted}.",
                channel=channel,
                accepted=accepted,
            )
        )
    return channel


def volt_channels() -> tuple[str, ...]:
    """All lines that a meter can be on."""
    return tuple(name for name, kind in CHANNEL_KINDS.items() if kind.unit is Unit.VOLT)


class MeterSource:
    """A bench meter on one line: as many readings a second as it gives.

    What is no voltage leaves no sample: it is told, once for each row of its kind.
    """

    def __init__(self, where: str, channel: str, setup: MeterSetup = MeterSetup()) -> None:
        self.name = say("meter ({channel})", channel=channel)
        self.trouble: Callable[[str], None] = lambda _told: None
        self._where, self._channel, self._setup = where, volt_channel(channel), setup
        self._instrument: Instrument | None = None
        self._clock = Clock()
        self._word = ""
        self._garbled = 0

    def open(self, clock: Clock) -> None:
        """Reach the meter and set it to volts.

        Raises:
            LinkLost: it can't be reached.
        """
        self.close()
        self._clock, self._garbled = clock, 0
        self._instrument = Instrument(self._where, self._setup)
        if self._setup.first:
            self._instrument.tell(self._setup.first)

    def read(self) -> Sequence[Block]:
        """One reading, at the instant half way between question and answer; none where it is no voltage.

        Raises:
            LinkLost: the meter is gone, or answers nothing but nonsense.
        """
        if self._instrument is None:
            raise LinkLost(say("The meter is not connected."))
        asked = self._clock.now()
        try:
            said = volts_said(self._instrument.ask(self._setup.question))
        except Garbled as wrong:
            self._garbled += 1
            self._tell(str(wrong))
            if self._garbled >= _GARBLED_TIMES:
                raise LinkLost(
                    say(
                        "{wrong} It did so {garbled} times in a row.", wrong=wrong, garbled=self._garbled
                    )
                ) from wrong
            return []
        self._garbled = 0
        if said.volts is None:
            self._tell(said.word)
            return []
        if self._word:
            self._word = ""
            self.trouble(say("reads again"))
        middle = (asked + self._clock.now()) / 2
        return [one_sample(self._channel, middle, said.volts)]

    def _tell(self, word: str) -> None:
        if word != self._word:
            self._word = word
            self.trouble(word)

    def stop_asking(self) -> None:
        """End the question that is being asked now, from any thread."""
        if self._instrument is not None:
            self._instrument.stop()

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
        self.trouble: Callable[[str], None] = lambda _told: None
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
            raise LinkLost(say("The sampler is not connected."))
        self._clock.wait(0.02)
        rows = self._instrument.ask_block("FETC?")
        width = len(self._channels)
        if rows.size % width:
            raise Garbled(
                say(
                    "The sampler handed over {size} values for {width} channels.",
                    size=rows.size,
                    width=width,
                )
            )
        if rows.size == 0:
            return ()
        if self._instrument.ask("SYST:ERR?").split(",")[0].strip() == str(OVERRUN):
            raise LinkLost(say("The sampler ran over: samples were lost."))
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

    def stop_asking(self) -> None:
        """End the question that is being asked now, from any thread."""
        if self._instrument is not None:
            self._instrument.stop()

    def close(self) -> None:
        """Let go."""
        if self._instrument is not None:
            self._instrument.close()
        self._instrument = None
