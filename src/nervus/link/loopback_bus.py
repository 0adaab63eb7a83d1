"""A CAN bus over a loopback connection, for stand-ins that run in a process of their own.

It never leaves the machine. A frame is 4 bytes of identifier, one of length, eight of data.
"""

import select
import socket
import struct
from collections import deque

import can

from nervus.language import say

_FRAME = struct.Struct(">IB8s")
_EXTENDED = 0x8000_0000
HOST = "127.0.0.1"
OTHER_END_GONE = say("the other end of the bus is gone")
"""Said of it without a number of the system."""


class LoopbackBus(can.BusABC):
    """One end of such a bus.

    Args:
        channel: the port of the stand-in on this machine, or a connected socket.
    """

    def __init__(self, channel: int | socket.socket, **_rest: object) -> None:
        if isinstance(channel, socket.socket):
            self._socket = channel
        else:
            try:
                self._socket = socket.create_connection((HOST, channel), timeout=2.0)
            except OSError as wrong:
                raise can.CanInitializationError(
                    say("port {channel}: {strerror}", channel=channel, strerror=wrong.strerror)
                ) from wrong
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._pending: deque[can.Message] = deque()
        self._rest = b""
        self.channel_info = "stand-in"
        super().__init__(channel=str(channel))

    def send(self, msg: can.Message, timeout: float | None = None) -> None:  # noqa: ARG002 - the interface's
        """Send one frame.

        Raises:
            CanOperationError: the other end is gone.
        """
        word = msg.arbitration_id | (_EXTENDED if msg.is_extended_id else 0)
        frame = _FRAME.pack(word, len(msg.data), bytes(msg.data).ljust(8, b"\0"))
        try:
            self._socket.sendall(frame)
        except OSError as wrong:
            raise can.CanOperationError(OTHER_END_GONE) from wrong

    def _recv_internal(self, timeout: float | None) -> tuple[can.Message | None, bool]:
        if not self._pending:
            ready, _, _ = select.select([self._socket], [], [], timeout)
            if ready:
                self._take()
        return (self._pending.popleft() if self._pending else None), False

    def _take(self) -> None:
        try:
            got = self._socket.recv(65536)
        except OSError as wrong:
            raise can.CanOperationError(OTHER_END_GONE) from wrong
        if not got:
            raise can.CanOperationError(OTHER_END_GONE)
        data = self._rest + got
        whole = len(data) // _FRAME.size * _FRAME.size
        for word, length, payload in _FRAME.iter_unpack(data[:whole]):
            self._pending.append(
                can.Message(
                    arbitration_id=word & ~_EXTENDED,
                    is_extended_id=bool(word & _EXTENDED),
                    data=payload[: min(length, 8)],
                )
            )
        self._rest = data[whole:]

    def shutdown(self) -> None:
        """Hang up."""
        super().shutdown()
        self._socket.close()
