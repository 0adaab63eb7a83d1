"""A vehicle through an adapter that speaks lines of text, in the open dialect that most of them have.

One command a line, ended by a carriage return; the answer is lines up to the prompt `>`. The adapter
does the bus, the flow control and the waiting itself, on CAN and on older buses, at some 5 to 20 values
a second. Many are copies that leave something out: the echo stays on, a prompt or a digit gets lost,
they begin anew by themselves. Whatever can't be read is no answer here, and is asked for once more.
"""

import time
from collections.abc import Callable
from typing import Final

import serial

from nervus.domain.errors import Stopped
from nervus.language import say
from nervus.link.addresses import OLD, WIDE, is_wide
from nervus.link.bus_health import cant_open
from nervus.link.errors import LinkLost
from nervus.link.outcome import BUSY, PENDING, SILENT, Kind, Outcome, judged
from nervus.link.text_lines import BUS_OF, RESETS, Bus, Said, Word, as_on_can, read_lines, word_in
from nervus.link.transport import (
    ANSWER_S,
    BUSY_PAUSE_S,
    BUSY_S,
    MORE_TIME_S,
    Transport,
)

_BAUD: Final = 38_400
_RATES: Final = (38_400, 115_200, 9_600)
# After a reset an adapter greets within a second; a search for the bus takes up to ten. One that lost
# its prompt is told by its silence.
_RESET_S, _COMMAND_S, _SEARCH_S, _QUIET_S = 2.5, 1.5, 12.0, 1.2
_LONGEST = 65_536
# Spaces stay on: they cost a third of the line's time, and show where a digit got lost.
_SETUP: Final = ("ATE0", "ATL0", "ATS1", "ATH1", "ATAT1")
_LOST_TIMES: Final = 2
_ACCEPTED = say(
    "accepted is such as serial:/dev/rfcomm0, serial:/dev/ttyUSB0@115200 or tcp:192.168.0.10:35000"
)
_WORDS_TOLD: Final = {
    Word.NO_BUS: say("The adapter finds no bus: is its plug in, the key on?"),
    Word.CAN_ERROR: say(
        "The adapter hears errors on the bus: is its plug in, is it the vehicle's bit rate?"
    ),
    Word.BUS_ERROR: say("The adapter hears errors on the bus: is its plug in, the key on?"),
    Word.FEEDBACK: say("The adapter can't drive the bus: a wire of the plug may be shorted."),
    Word.BUS_BUSY: say("The bus is never free for the adapter: another tool may be plugged in."),
    Word.BUS_INIT: say("The adapter can't wake the bus: is the key on?"),
    Word.FULL: say("The adapter's buffer ran over: part of an answer is lost."),
    Word.LOW_VOLTAGE: say("The adapter began anew: its supply sagged."),
    Word.FAULT: say("The adapter began anew because of a fault of its own."),
    Word.DATA_ERROR: say("The adapter heard an answer that was damaged on the bus."),
    Word.LINE_ERROR: say("The adapter heard a frame that was damaged on the bus."),
    Word.UNKNOWN: say("The adapter does not know a command; it may be a copy that leaves it out."),
}


class TextLine:
    """The line to an adapter: a command out, lines in.

    Raises:
        LinkLost: it can't be opened, or is gone.
    """

    def __init__(self, where: str) -> None:
        kind, _, name = where.partition(":")
        device, at, rate = name.partition("@")
        if at and not rate.isdecimal():
            raise LinkLost(say("{where} is no adapter; {accepted}.", where=where, accepted=_ACCEPTED))
        url = f"socket://{name}" if kind == "tcp" else device
        try:
            self._port = serial.serial_for_url(url, timeout=0.05, write_timeout=2.0)
            if kind != "tcp":
                self._port.baudrate = int(rate) if rate else _BAUD
        except (serial.SerialException, OSError, ValueError) as wrong:
            raise LinkLost(cant_open(where, wrong, _ACCEPTED)) from wrong
        self._unsettled = False
        self.rates = () if kind == "tcp" or rate else _RATES

    def set_rate(self, baud: int) -> None:
        """Speak at another rate."""
        self._port.baudrate = baud

    def command(
        self, text: str, wait_s: float = _COMMAND_S, alive: Callable[[], None] = lambda: None
    ) -> list[str] | None:
        """Send a command; its lines without the echo, `None` where nothing at all came.

        What was still on its way before is thrown away: it answers something else.

        Args:
            text: the command.
            wait_s: for the first sign of an answer.
            alive: called now and then meanwhile; may raise.
        """
        try:
            if self._unsettled:
                self._settle()
            self._port.reset_input_buffer()
            self._port.write(text.encode("ascii") + b"\r")
            got = self._until_prompt(wait_s, alive)
        except Stopped:
            self._unsettled = True
            raise
        except (serial.SerialException, OSError) as wrong:
            raise LinkLost(say("The adapter is gone: its line is closed.")) from wrong
        if not got:
            return None
        told = got.replace(b"\0", b"").decode("ascii", "replace").replace("\n", "\r").split("\r")
        lines = [line.strip() for line in told if line.strip(" >")]
        flat = text.replace(" ", "").upper()
        if lines and lines[0].replace(" ", "").upper() == flat:
            del lines[0]
        return [line.strip(" >") for line in lines]

    def _settle(self) -> None:
        """After a question that was left: whatever it still brings must not be taken for the next one's.

        Any byte ends what the adapter does and is no command then; so one is sent until its own answer
        comes.
        """
        got = b""
        end = time.monotonic() + _SEARCH_S
        while b"OK" not in got and time.monotonic() < end:
            self._port.write(b"ATE0\r")
            got += self._until_prompt(_COMMAND_S, lambda: None)
        while self._port.read(_LONGEST) and time.monotonic() < end:
            continue  # the answers to those that were sent too often
        self._unsettled = False

    def _until_prompt(self, wait_s: float, alive: Callable[[], None]) -> bytes:
        got = bytearray()
        end = time.monotonic() + wait_s
        while time.monotonic() < end and len(got) < _LONGEST:
            alive()
            more = self._port.read(max(1, min(self._port.in_waiting, 4096)))
            if not more:
                continue
            got += more
            if got.rstrip(b"\0").endswith(b">"):
                break
            # A lost prompt is told by silence; a search takes long and says so meanwhile.
            searching = b"SEARCH" in got[-40:].upper() or b"BUS INIT" in got[-40:].upper()
            quiet = _SEARCH_S if searching else max(_QUIET_S, wait_s if got.count(b"\r") < 1 else 0.0)
            end = time.monotonic() + quiet
        return bytes(got)

    def close(self) -> None:
        """Let go of the line."""
        self._port.close()


class TextTransport(Transport):
    """Conversations through such an adapter.

    Attributes:
        identity: what the adapter calls itself.
        bus: what it is connected to.
    """

    def __init__(self, where: str, trouble: Callable[[str], None] = lambda _told: None) -> None:
        super().__init__(trouble)
        self.bus = Bus.NARROW
        self._header = ""
        self._padded: set[int] = set()
        self._last_word: Word | None = None
        self._line = TextLine(where)
        try:
            self.identity = self._greet()
            self._set_up()
        except LinkLost:
            self._line.close()
            raise

    # -- setting up ----------------------------------------------------------------------------------

    def _greet(self) -> str:
        for rate in self._line.rates or (0,):
            if rate:
                self._line.set_rate(rate)
            lines = self._line.command("ATZ", _RESET_S)
            readable = [x for x in lines or () if x.isascii() and x.isprintable()]
            if readable:
                return readable[-1][:60]
        raise LinkLost(
            say(
                "The adapter does not answer; is it on, at the right rate? {accepted}.",
                accepted=_ACCEPTED,
            )
        )

    def _set_up(self) -> None:
        for _ in range(_LOST_TIMES + 1):
            for command in (*_SETUP, "ATSP0"):
                self._line.command(command)
            self._header = ""
            # The first question makes the adapter look for the bus.
            lines = self._line.command("0100", _SEARCH_S, self.check_stopped) or []
            words = {w for w in map(word_in, lines) if w is not None}
            self._notice(words)
            if not words & RESETS:
                break
        told = self._line.command("ATDPN") or []
        digit = told[-1].upper().lstrip("A")[:1] if told else ""
        self.bus = BUS_OF.get(digit, Bus.NARROW)

    def _notice(self, words: set[Word]) -> None:
        for word in words:
            if word in _WORDS_TOLD:
                self._last_word = word
                self.trouble(_WORDS_TOLD[word])

    # -- a conversation ------------------------------------------------------------------------------

    def _converse(
        self, request: bytes, units: tuple[int, ...] | None, wait_s: float, *, again: bool
    ) -> dict[int, Outcome]:
        self.check_stopped()
        # On older buses all hear all: the question goes to everyone, the answer is picked out.
        if units is None or self.bus in (Bus.SUMMED, Bus.CHECKED):
            found = self._patiently(request, None, wait_s, again=again)
            return found if units is None else {u: found.get(u, SILENT) for u in units}
        found = {}
        for unit in units:
            if self._can_reach(unit):
                found[unit] = self._patiently(request, unit, wait_s, again=again).get(unit, SILENT)
        return found

    def _can_reach(self, unit: int) -> bool:
        return unit < OLD and is_wide(unit) == (self.bus is Bus.WIDE)

    def _patiently(
        self, request: bytes, unit: int | None, wait_s: float, *, again: bool
    ) -> dict[int, Outcome]:
        """Ask until everybody has said their last; what was lost on the line is asked for once more."""
        began = time.monotonic()
        lost_times = 0
        while True:
            said = self._once(request, unit, wait_s)
            found = self._outcomes(request, said)
            if unit is not None and unit not in found and said.unreadable:
                found[unit] = Outcome(Kind.BROKEN, why=say("its line could not be read"))
            spent = time.monotonic() - began
            broken = said.unreadable or any(o.kind is Kind.BROKEN for o in found.values())
            lost = broken or said.was_reset or Word.STOPPED in said.words
            if again and lost and lost_times < _LOST_TIMES:
                lost_times += 1
            elif again and self._waits(found, BUSY) and spent < BUSY_S:
                time.sleep(BUSY_PAUSE_S)
            elif again and self._waits(found, PENDING) and spent < MORE_TIME_S:
                time.sleep(4 * BUSY_PAUSE_S)
            else:
                return {u: _ended(o) for u, o in found.items()}

    @staticmethod
    def _waits(found: dict[int, Outcome], reason: int) -> bool:
        return any(o.kind is Kind.REFUSED and o.reason == reason for o in found.values())

    def _once(self, request: bytes, unit: int | None, wait_s: float) -> Said:
        self._address(unit)
        patience = "ATAT0" if wait_s > ANSWER_S else "ATAT1"
        if (
            wait_s > ANSWER_S
        ):  # what changes something may take long to say so: the longest the adapter can
            self._line.command(patience)
            self._line.command("ATSTFF")
        lines = self._line.command(request.hex().upper(), _SEARCH_S, self.check_stopped)
        if lines is None:
            raise LinkLost(say("The adapter does not answer any more."))
        if wait_s > ANSWER_S:
            self._line.command("ATAT1")
        said = read_lines(lines, self.bus, frozenset(self._padded))
        self._padded |= said.padded
        self._notice(said.words)
        if said.was_reset:
            self._set_up()
        return said

    def _address(self, unit: int | None) -> None:
        """Set whom the next question goes to; older buses keep the adapter's own header."""
        if self.bus in (Bus.SUMMED, Bus.CHECKED):
            return
        if self.bus is Bus.WIDE:
            header = "DB33F1" if unit is None else f"DA{unit - WIDE:02X}F1"
        else:
            header = "7DF" if unit is None else f"{0x7E0 + unit:03X}"
        if header != self._header:
            self._line.command(f"ATSH{header}")
            self._header = header

    def _outcomes(self, request: bytes, said: Said) -> dict[int, Outcome]:
        found: dict[int, Outcome] = {}
        for unit, answers in said.answers.items():
            judgements = [o for o in (judged(request, answer) for answer in answers) if o is not None]
            if unit >= OLD and len(answers) > 1 and all(o.is_told for o in judgements):
                judgements = [Outcome(Kind.TOLD, as_on_can(answers))]
            elif unit >= OLD and judgements and judgements[-1].is_told:
                judgements = [Outcome(Kind.TOLD, as_on_can([judgements[-1].answer]))]
            if judgements:
                found[unit] = judgements[-1]
            else:
                said.unreadable += 1  # what was asked before comes late: it is asked again
        for unit, why in said.broken.items():
            found.setdefault(unit, Outcome(Kind.BROKEN, why=why))
        if said.unreadable or Word.FULL in said.words or Word.DATA_ERROR in said.words:
            # Whose line it was can't be told: who answered is believed, who did not may have.
            self.trouble(say("a line of the adapter could not be read"))
        return found

    def silence(self) -> str:
        """As `Transport.silence`, by what the adapter said last."""
        if self._last_word is not None:
            return _WORDS_TOLD[self._last_word]
        return say(
            "No control unit answers through the adapter ({identity}); is the key on?",
            identity=self.identity,
        )

    def close(self) -> None:
        """Hang up."""
        self._line.close()


def _ended(outcome: Outcome) -> Outcome:
    """What "wait" comes to when nothing follows it."""
    if outcome.kind is Kind.REFUSED and outcome.reason == PENDING:
        return Outcome(Kind.SILENT, reason=PENDING)
    return outcome
