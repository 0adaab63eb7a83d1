"""Answers of control units put together by a third party that only listens (ISO 15765-2)."""

from collections import deque
from collections.abc import Callable, Iterator
from typing import Any

import isotp

from nervus.link.addresses import answer_id, is_wide, request_id, unit_answering


def stack_of(
    unit: int,
    waiting: deque[isotp.CanMessage],
    send: Callable[[isotp.CanMessage], None],
    fault: Callable[[Exception], None],
    parameters: dict[str, Any],
) -> isotp.TransportLayerLogic:
    """The transport library's state machine for one unit: frames that wait go in, `send` sends."""
    mode = isotp.AddressingMode.Normal_29bits if is_wide(unit) else isotp.AddressingMode.Normal_11bits
    stack = isotp.TransportLayerLogic(
        rxfn=lambda _wait: waiting.popleft() if waiting else None,
        txfn=send,
        address=isotp.Address(mode, txid=request_id(unit), rxid=answer_id(unit)),
        error_handler=fault,
        params=parameters,
    )
    stack.logger.disabled = True
    return stack


class Listener:
    """Takes frames in the order in which they passed, gives whole answers.

    Args:
        faults: called with the unit and the error where an answer could not be put together.
    """

    def __init__(self, faults: Callable[[int, Exception], None]) -> None:
        self._faults = faults
        self._waiting: dict[int, deque[isotp.CanMessage]] = {}
        self._stacks: dict[int, isotp.TransportLayerLogic] = {}

    def _stack(self, unit: int) -> isotp.TransportLayerLogic:
        if unit not in self._stacks:
            waiting = self._waiting[unit] = deque()
            self._stacks[unit] = stack_of(
                unit,
                waiting,
                lambda _frame: None,  # a listener says nothing
                lambda wrong: self._faults(unit, wrong),
                # What is read back was written slower or faster: the clock says nothing.
                {"blocksize": 0, "rx_consecutive_frame_timeout": 10_000, "listen_mode": True},
            )
        return self._stacks[unit]

    def take(self, identifier: int, data: bytes, *, wide: bool) -> Iterator[tuple[int, bytes]]:
        """Take one frame; gives the units and answers that are whole with it."""
        unit = unit_answering(identifier, wide=wide)
        if unit is None or not data:
            return
        stack = self._stack(unit)
        self._waiting[unit].append(
            isotp.CanMessage(arbitration_id=identifier, data=data, extended_id=wide)
        )
        stack.process()
        while (answer := stack.recv()) is not None:
            yield unit, bytes(answer)

    def unfinished(self) -> tuple[int, ...]:
        """The units whose answer has begun and not ended."""
        return tuple(unit for unit, stack in self._stacks.items() if stack.is_rx_active())
