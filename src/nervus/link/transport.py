"""Requests and answers over CAN: ISO 15765-2 transport with the addresses of ISO 15765-4.

A request to all is sent once on 0x7DF; up to eight units answer on 0x7E8 to 0x7EF, and are asked
alone on 0x7E0 to 0x7E7. Segmentation and flow control are the transport library's.
"""

import time
from collections import deque
from collections.abc import Callable

import can
import isotp

from nervus.link.errors import Garbled, LinkLost, NoAnswer, Refused

TO_ALL, FIRST_REQUEST, FIRST_ANSWER, UNITS = 0x7DF, 0x7E0, 0x7E8, 8
# ISO 15765-4 asks for an answer within 50 ms, after "needs more time" within 5 s; slow adapters and a
# loaded machine get more. Of all units, nobody knows how many will answer, so the whole time is waited.
_ANSWER_S, _ALL_S, _MORE_TIME_S = 1.0, 0.5, 5.0
# A long answer that has begun may take so much longer; a babbling bus gets no more of our time than
# this many frames at once.
_LONG_S, _FRAMES_AT_ONCE = 2.0, 200
_BUSY_PAUSE_S, _BUSY_TIMES = 0.02, 5
_NEGATIVE, _BUSY, _PENDING = 0x7F, 0x21, 0x78
_PARAMETERS = {"tx_padding": 0x00, "tx_data_min_length": 8, "stmin": 0, "blocksize": 0}


class Transport:
    """Asks the control units on a bus; one question at a time.

    Attributes:
        trouble: called with a sentence for frames that make no sense.
    """

    def __init__(self, bus: can.BusABC, trouble: Callable[[str], None] = lambda _told: None) -> None:
        self._bus = bus
        self.trouble = trouble
        self._waiting: dict[int, deque[isotp.CanMessage]] = {n: deque() for n in range(UNITS)}
        self._stacks = {n: self._stack(n) for n in range(UNITS)}

    def _stack(self, unit: int) -> isotp.TransportLayerLogic:
        address = isotp.Address(txid=FIRST_REQUEST + unit, rxid=FIRST_ANSWER + unit)
        waiting = self._waiting[unit]
        stack = isotp.TransportLayerLogic(
            rxfn=lambda _wait: waiting.popleft() if waiting else None,
            txfn=self._send,
            address=address,
            error_handler=lambda wrong: self.trouble(f"unit {unit}: {wrong}"),
            params=_PARAMETERS,
        )
        stack.logger.disabled = True
        return stack

    def _send(self, frame: isotp.CanMessage) -> None:
        message = can.Message(arbitration_id=frame.arbitration_id, data=frame.data, is_extended_id=False)
        try:
            self._bus.send(message, timeout=0.2)
        except can.CanError as wrong:
            raise LinkLost(f"The bus takes nothing any more: {wrong}.") from wrong

    def ask(self, unit: int, request: bytes, wait_s: float = _ANSWER_S) -> bytes:
        """The answer of one unit to a request, without its negative forms.

        Args:
            unit: 0 to 7.
            request: service and data.
            wait_s: how long to wait for the first answer.

        Raises:
            NoAnswer: it stayed silent.
            Refused: it answered in the negative.
            Garbled: it answered something else.
            LinkLost: the bus is gone.
        """
        for _ in range(_BUSY_TIMES):
            self._forget()
            self._stacks[unit].send(request)
            answer = self._await(unit, request[0], wait_s)
            if answer[:1] != bytes([_NEGATIVE]):
                return _checked(request, answer)
            if answer[2] != _BUSY:
                raise Refused(request[0], answer[2])
            time.sleep(_BUSY_PAUSE_S)
        raise Refused(request[0], _BUSY)

    def ask_all(self, request: bytes, wait_s: float = _ALL_S) -> dict[int, bytes]:
        """Positive answers of all units that give one within the time, by unit.

        Raises:
            ValueError: the request does not fit into a single frame.
            LinkLost: the bus is gone.
        """
        if len(request) > 7:
            raise ValueError("a request to all must fit into one frame")
        self._forget()
        data = bytes([len(request), *request]).ljust(8, b"\0")
        self._send(isotp.CanMessage(arbitration_id=TO_ALL, data=data))
        found: dict[int, bytes] = {}
        end = time.monotonic() + wait_s
        in_time = True
        while in_time:
            # Looked at before what has come is taken: a machine that was held up for longer than the
            # time allowed still takes what arrived meanwhile.
            now = time.monotonic()
            in_time = now < end or (self._is_receiving() and now < end + _LONG_S)
            self._pump(0.01)
            for unit, stack in self._stacks.items():
                answer = stack.recv()
                told = bytes(answer or b"")
                if told[:1] == bytes([request[0] + 0x40]):
                    found[unit] = told
                elif told == bytes([_NEGATIVE, request[0], _PENDING]):
                    end = time.monotonic() + _MORE_TIME_S
        return found

    def _is_receiving(self) -> bool:
        return any(stack.is_rx_active() for stack in self._stacks.values())

    def _await(self, unit: int, service: int, wait_s: float) -> bytes:
        stack = self._stacks[unit]
        end = time.monotonic() + wait_s
        in_time = True
        while in_time:
            now = time.monotonic()
            in_time = now < end or (stack.is_rx_active() and now < end + _LONG_S)
            self._pump(0.005)
            answer = stack.recv()
            if answer is None:
                continue
            told = bytes(answer)
            negative = told[:2] == bytes([_NEGATIVE, service]) and len(told) == 3
            if negative and told[2] == _PENDING:
                end = time.monotonic() + _MORE_TIME_S
            elif negative or told[:1] == bytes([(service + 0x40) & 0xFF]):
                return told
            else:
                self.trouble(f"unit {unit} answered what was not asked: {told[:8].hex(' ')}")
        raise NoAnswer(f"Control unit {unit} does not answer service {service:02X}.")

    def _pump(self, wait_s: float) -> None:
        """Take what has come, hand it to its stack, and let the stacks go on."""
        for stack in self._stacks.values():
            if stack.transmitting() or stack.is_rx_active():
                stack.process()
        for number in range(_FRAMES_AT_ONCE):
            message = self._receive(wait_s if number == 0 else 0.0)
            if message is None:
                return
            unit = message.arbitration_id - FIRST_ANSWER
            if 0 <= unit < UNITS and not message.is_extended_id and not message.is_error_frame:
                frame = isotp.CanMessage(
                    arbitration_id=message.arbitration_id, dlc=message.dlc, data=bytes(message.data)
                )
                self._waiting[unit].append(frame)
                self._stacks[unit].process()

    def _receive(self, wait_s: float) -> can.Message | None:
        try:
            return self._bus.recv(wait_s)
        except can.CanError as wrong:
            raise LinkLost(f"The bus is gone: {wrong}.") from wrong

    def _forget(self) -> None:
        """Late answers to an earlier question are not answers to the next one."""
        for unit, stack in self._stacks.items():
            self._waiting[unit].clear()
            stack.stop_sending()
            stack.stop_receiving()
            stack.clear_rx_queue()
            stack.clear_tx_queue()


def _checked(request: bytes, answer: bytes) -> bytes:
    echo = request[1:2] if request[0] in _ECHOES else b""
    if answer[1 : 1 + len(echo)] != echo:
        raise Garbled(f"A control unit answered {answer[:6].hex(' ')} to {request.hex(' ')}.")
    return answer


# Services whose answer repeats the first byte that was asked for.
_ECHOES = frozenset({0x01, 0x02, 0x09, 0x19, 0x31})
