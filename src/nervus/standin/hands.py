"""Hands on the simulated vehicle from outside its process: pedal, key, shaking, water.

They travel as frames with identifiers that no vehicle uses, on the stand-in's own bus.
"""

import struct
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import can

HANDS_ID = 0x1F00_0001
_HANDS = struct.Struct(">BBHH")
KEY, ENGINE, SHAKEN, WET, UNPLUGGED = 1, 2, 4, 8, 16


def hands_frame(pedal_pct: float, flags: int) -> "can.Message":
    """A frame that sets the pedal and the flags (`KEY`, `ENGINE`, `SHAKEN`, `WET`, `UNPLUGGED`)."""
    import can  # noqa: PLC0415 - the window needs the flags at its start, the bus only later

    data = _HANDS.pack(flags, 0, round(100 * min(max(pedal_pct, 0.0), 100.0)), 0)
    return can.Message(arbitration_id=HANDS_ID, is_extended_id=True, data=data)


def hands_of(message: "can.Message") -> tuple[float, int] | None:
    """Pedal and flags of such a frame, `None` for any other."""
    if message.arbitration_id != HANDS_ID or len(message.data) != _HANDS.size:
        return None
    flags, _, pedal, _ = _HANDS.unpack(bytes(message.data))
    return pedal / 100.0, flags
