"""Conversations over CAN: ISO 15765-2 transport, addresses of ISO 15765-4 with 11 and 29 bit at once.

Segmentation and flow control are the transport library's. What a vehicle can do on the way (wait, busy,
half an answer, other traffic, errors of the bus) is here.
"""

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

import can
import isotp

from nervus.language import say
from nervus.link.addresses import (
    TO_ALL,
    TO_ALL_WIDE,
    name_of,
    unit_answering,
)
from nervus.link.bus_health import BusHealth
from nervus.link.errors import LinkLost
from nervus.link.listening import stack_of
from nervus.link.outcome import BUSY, PENDING, Kind, Outcome, judged
from nervus.link.transport import BUSY_PAUSE_S, BUSY_S, MORE_TIME_S, PENDING_CAP_S, Transport

# A long answer that has begun may take so much longer; a babbling bus gets no more of our time than this
# many frames at once.
_LONG_S, _FRAMES_AT_ONCE = 2.0, 200
# What has come since the last question is thrown away before the next, up to so many frames.
_FRAMES_FORGOTTEN = 5_000
# What ends a long answer that had begun; a stray frame of an earlier one ends nothing.
_BROKEN: dict[type[Exception], str] = {
    isotp.errors.ConsecutiveFrameTimeoutError: say("the rest of a long answer did not come"),
    isotp.errors.WrongSequenceNumberError: say("a frame of a long answer is missing"),
    isotp.errors.ReceptionInterruptedWithFirstFrameError: say("a long answer began anew"),
    isotp.errors.ReceptionInterruptedWithSingleFrameError: say("a long answer was cut short by another"),
}
_PARAMETERS = {"tx_padding": 0x00, "tx_data_min_length": 8, "stmin": 0, "blocksize": 0}


@dataclass(slots=True)
class _Talk:
    """One unit while a question is open.

    Attributes:
        until: until when it is waited for.
        cap: the last instant of all waiting.
        again_at: when a busy unit is asked again, 0 for not.
        busy_until: until when it may be busy.
        waits: it said "wait".
        done: how it ended.
        broken: what went wrong with a long answer.
    """

    until: float
    cap: float
    again_at: float = 0.0
    busy_until: float = 0.0
    waits: bool = False
    done: Outcome | None = None
    broken: str = ""


class CanTransport(Transport):
    """Talks over a bus of the CAN library.

    Args:
        bus: is closed with the transport.
        trouble: as `Transport`.
        where: the bus's name, for what is told about it.
    """

    def __init__(
        self,
        bus: can.BusABC,
        trouble: Callable[[str], None] = lambda _told: None,
        where: str = "",
    ) -> None:
        super().__init__(trouble)
        self._bus = bus
        self.health = BusHealth(where)
        self._waiting: dict[int, deque[isotp.CanMessage]] = {}
        self._stacks: dict[int, isotp.TransportLayerLogic] = {}
        self._wrong: dict[int, str] = {}

    def _stack(self, unit: int) -> isotp.TransportLayerLogic:
        if unit not in self._stacks:
            waiting = self._waiting[unit] = deque()
            self._stacks[unit] = stack_of(
                unit, waiting, self._send, lambda wrong: self._fault(unit, wrong), _PARAMETERS
            )
        return self._stacks[unit]

    def _fault(self, unit: int, wrong: Exception) -> None:
        said = f"{_BROKEN.get(type(wrong), 'a frame makes no sense')}"
        if type(wrong) in _BROKEN:
            self._wrong[unit] = said
        self.trouble(f"{name_of(unit)}: {said}")

    def _send(self, frame: isotp.CanMessage) -> None:
        wide = frame.arbitration_id > 0x7FF
        message = can.Message(arbitration_id=frame.arbitration_id, data=frame.data, is_extended_id=wide)
        try:
            self._bus.send(message, timeout=0.2)
        except (can.CanError, OSError) as wrong:
            raise LinkLost(self.health.cant_send(wrong)) from wrong

    # -- a conversation ------------------------------------------------------------------------------

    def _converse(
        self, request: bytes, units: tuple[int, ...] | None, wait_s: float, *, again: bool
    ) -> dict[int, Outcome]:
        self.check_stopped()
        self._forget()
        began = time.monotonic()
        end, cap = began + wait_s, began + wait_s + PENDING_CAP_S
        talks = {unit: _Talk(end, cap) for unit in units or ()}
        if units is None:
            self._send_to_all(request)
        for unit in talks:
            self._stack(unit).send(request)
        while True:
            # The clock is looked at before what has come is taken: a machine that was held up for longer
            # than the time allowed still takes what arrived meanwhile.
            now = time.monotonic()
            self._pump(0.005)
            self._listen(request, talks, cap, open_to_new=units is None)
            self._go_on(request, talks, now, again=again)
            self.check_stopped()
            is_over = all(t.done is not None for t in talks.values())
            if is_over and (units is not None or now >= end):
                return {unit: talk.done for unit, talk in talks.items() if talk.done is not None}

    def _send_to_all(self, request: bytes) -> None:
        data = bytes([len(request), *request]).ljust(8, b"\0")
        for identifier in (TO_ALL, TO_ALL_WIDE):
            self._send(isotp.CanMessage(arbitration_id=identifier, data=data))

    def _listen(self, request: bytes, talks: dict[int, _Talk], cap: float, *, open_to_new: bool) -> None:
        """Take whole answers, and notice who has begun one."""
        for unit, stack in list(self._stacks.items()):
            begun = stack.is_rx_active() or unit in self._wrong
            told = stack.recv()
            if told is None and not begun:
                continue
            if unit not in talks:
                if not open_to_new:
                    self._wrong.pop(unit, None)
                    continue
                talks[unit] = _Talk(time.monotonic() + _LONG_S, cap)
            talk = talks[unit]
            talk.broken = self._wrong.pop(unit, talk.broken)
            if told is not None and talk.done is None:
                self._take(request, unit, talk, bytes(told))

    def _take(self, request: bytes, unit: int, talk: _Talk, told: bytes) -> None:
        outcome = judged(request, told)
        now = time.monotonic()
        if outcome is None:
            self.trouble(
                say(
                    "{name_of} answered what was not asked: {hex}",
                    name_of=name_of(unit),
                    hex=told[:8].hex(" "),
                )
            )
        elif outcome.reason == PENDING:
            talk.waits, talk.until = True, min(now + MORE_TIME_S, talk.cap)
        elif outcome.reason == BUSY:
            talk.busy_until = talk.busy_until or now + BUSY_S
            talk.again_at = now + BUSY_PAUSE_S
        elif outcome.kind is Kind.BROKEN:
            talk.broken = outcome.why
        else:
            talk.done, talk.again_at = outcome, 0.0

    def _go_on(self, request: bytes, talks: dict[int, _Talk], now: float, *, again: bool) -> None:
        """Ask the busy again, give up the silent."""
        for unit, talk in talks.items():
            if talk.done is not None or now < talk.again_at:
                continue
            if talk.again_at and not (again and now < talk.busy_until):
                talk.done = Outcome(Kind.REFUSED, reason=BUSY)
            elif talk.again_at:
                talk.again_at, talk.until = 0.0, now + BUSY_S
                self._stack(unit).send(request)
            elif now >= self._patience(unit, talk):
                talk.done = self._given_up(talk)

    def _patience(self, unit: int, talk: _Talk) -> float:
        stack = self._stacks.get(unit)
        receiving = stack is not None and stack.is_rx_active()
        if talk.broken and not receiving:
            return min(talk.until, time.monotonic())
        return min(talk.until + (_LONG_S if receiving else 0.0), talk.cap)

    @staticmethod
    def _given_up(talk: _Talk) -> Outcome:
        if talk.broken:
            return Outcome(Kind.BROKEN, why=talk.broken)
        return Outcome(Kind.SILENT, reason=PENDING if talk.waits else 0)

    # -- frames --------------------------------------------------------------------------------------

    def _pump(self, wait_s: float) -> None:
        """Take what has come, hand it to its stack, and let the stacks go on."""
        for stack in list(self._stacks.values()):
            if stack.transmitting() or stack.is_rx_active():
                stack.process()
        for number in range(_FRAMES_AT_ONCE):
            message = self._receive(wait_s if number == 0 else 0.0)
            if message is None:
                return
            self.health.heard(message)
            if message.is_error_frame or message.is_remote_frame or not message.data:
                continue
            unit = unit_answering(message.arbitration_id, wide=message.is_extended_id)
            if unit is not None:
                frame = isotp.CanMessage(
                    arbitration_id=message.arbitration_id,
                    dlc=message.dlc,
                    data=bytes(message.data),
                    extended_id=message.is_extended_id,
                )
                stack = self._stack(unit)
                self._waiting[unit].append(frame)
                stack.process()

    def _receive(self, wait_s: float) -> can.Message | None:
        try:
            return self._bus.recv(wait_s)
        except (can.CanError, OSError) as wrong:
            raise LinkLost(self.health.gone(wrong)) from wrong

    def _forget(self) -> None:
        """Late answers to an earlier question are not answers to the next one."""
        late: set[int] = set()
        for _ in range(_FRAMES_FORGOTTEN):
            message = self._receive(0.0)
            if message is None:
                break
            self.health.heard(message)
            unit = unit_answering(message.arbitration_id, wide=message.is_extended_id)
            if unit is not None and message.data and not message.is_error_frame:
                late.add(unit)
        for unit in sorted(late):
            self.trouble(
                say(
                    "{name_of} answers late: what it said came after its time and is not taken",
                    name_of=name_of(unit),
                )
            )
        self._wrong.clear()
        for unit, stack in self._stacks.items():
            self._waiting[unit].clear()
            stack.stop_sending()
            stack.stop_receiving()
            stack.clear_rx_queue()
            stack.clear_tx_queue()

    def silence(self) -> str:
        """As `Transport.silence`, by what was heard on the bus."""
        return self.health.silence()

    def close(self) -> None:
        """Hang up."""
        self._bus.shutdown()
