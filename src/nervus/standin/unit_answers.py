"""What the simulated control units answer: SAE J1979 and ISO 14229-1, byte for byte."""

from collections.abc import Callable

from nervus.domain.channel import CHANNEL_KINDS
from nervus.knowledge import parameters
from nervus.link.writing import LEARN_ROUTINE
from nervus.standin.vehicle import SimulatedVehicle

_NOT_SUPPORTED, _BAD_LENGTH, _CONDITIONS, _RANGE = 0x11, 0x13, 0x22, 0x31
_STATUS_MASK = 0xFF
_LEARN_MOST_RPM = 50.0
_IDENTITY = {
    0x02: b"\x01ISLANDDEPOT000006",
    0x04: b"\x01DEPOT-ENGINE-3.1",
    0x0A: b"\x01ECM\x00-ENGINE UNIT     ",
}


class EngineUnit:
    """The engine's control unit as the bus sees it (unit 0)."""

    def __init__(self, vehicle: SimulatedVehicle) -> None:
        self._vehicle = vehicle
        self._offered = {p.pid: p for p in parameters()}
        self._services: dict[int, Callable[[bytes], bytes]] = {
            0x01: self._values,
            0x02: self._frozen,
            0x03: lambda r: self._codes(r, "stored"),
            0x04: self._clear,
            0x07: lambda r: self._codes(r, "pending"),
            0x09: self._identity,
            0x0A: lambda r: self._codes(r, "permanent"),
            0x19: self._with_status,
            0x31: self._routine,
        }

    def answer(self, request: bytes, *, to_all: bool) -> bytes | None:
        """The answer to a request, `None` for silence (key off, or refused and asked of all)."""
        if not request or not self._vehicle.driver.key:
            return None
        service = self._services.get(request[0])
        told = service(request) if service is not None else _no(request, _NOT_SUPPORTED)
        if to_all and told[:1] == b"\x7f" and told[2] in (_NOT_SUPPORTED, 0x12, _RANGE):
            return None
        return told

    def _now(self) -> dict[str, float]:
        return {n: v for n, v in self._vehicle.values().items() if n in CHANNEL_KINDS}

    def _values(self, request: bytes) -> bytes:
        now, out = self._now(), bytearray(b"\x41")
        for pid in request[1:7]:
            if pid % 0x20 == 0:
                out += bytes([pid, *self._bits(pid, now)])
            elif pid == 0x01:
                memory = self._vehicle.unit.memory
                out += bytes([0x01, memory.lamp << 7 | len(memory.stored), 0x07, 0xE5, 0x00])
            elif pid in self._offered and self._offered[pid].channel in now:
                known = self._offered[pid]
                out += bytes([pid]) + known.raw(now[known.channel])
        return bytes(out) if len(out) > 1 else _no(request, _RANGE)

    def _bits(self, base: int, now: dict[str, float]) -> bytes:
        pids = {p for p, known in self._offered.items() if known.channel in now} | {0x01}
        pids |= {b for b in range(0x20, 0xE0, 0x20) if any(p > b for p in pids)}
        bits = sum(1 << (32 - (p - base)) for p in pids if base < p <= base + 32)
        return bits.to_bytes(4, "big")

    def _frozen(self, request: bytes) -> bytes:
        frame = self._vehicle.unit.memory.frame
        if len(request) < 3:
            return _no(request, _BAD_LENGTH)
        pid, known = request[1], self._offered.get(request[1])
        if pid == 0x02:
            number = frame[0].number if frame is not None else 0
            return bytes([0x42, 0x02, 0x00]) + number.to_bytes(2, "big")
        if frame is None or known is None or known.channel not in frame[1]:
            return _no(request, _RANGE)
        return bytes([0x42, pid, 0x00]) + known.raw(frame[1][known.channel])

    def _codes(self, request: bytes, kind: str) -> bytes:
        codes = getattr(self._vehicle.unit.memory, kind)
        rows = b"".join(c.number.to_bytes(2, "big") for c in codes)
        return bytes([request[0] + 0x40, len(codes)]) + rows

    def _clear(self, request: bytes) -> bytes:
        if self._vehicle.engine.rpm > _LEARN_MOST_RPM:
            return _no(request, _CONDITIONS)
        self._vehicle.unit.memory.clear()
        return b"\x44"

    def _identity(self, request: bytes) -> bytes:
        if len(request) < 2 or (request[1] not in _IDENTITY and request[1] != 0):
            return _no(request, _RANGE)
        if request[1] == 0:
            bits = sum(1 << (32 - n) for n in _IDENTITY)
            return b"\x49\x00" + bits.to_bytes(4, "big")
        return bytes([0x49, request[1]]) + _IDENTITY[request[1]]

    def _with_status(self, request: bytes) -> bytes:
        if len(request) != 3 or request[1] != 0x02:
            return _no(request, 0x12)
        rows = b"".join(
            c.number.to_bytes(2, "big") + bytes([c.failure_type or 0, status])
            for c, status in self._vehicle.unit.memory.with_bits(request[2])
        )
        return bytes([0x59, 0x02, _STATUS_MASK]) + rows

    def _routine(self, request: bytes) -> bytes:
        if len(request) < 4 or int.from_bytes(request[2:4], "big") != LEARN_ROUTINE:
            return _no(request, _RANGE)
        if self._vehicle.engine.rpm > _LEARN_MOST_RPM:
            return _no(request, _CONDITIONS)
        if request[1] == 0x01:
            self._vehicle.unit.learn()
        return b"\x71" + request[1:4]


class BrakeUnit:
    """A second module, which has an opinion of the first (unit 2)."""

    def __init__(self, vehicle: SimulatedVehicle) -> None:
        self._vehicle = vehicle

    def answer(self, request: bytes, *, to_all: bool) -> bytes | None:
        """It offers codes only: that the engine unit's data can't be used while that has fallen back."""
        if not request or not self._vehicle.driver.key:
            return None
        invalid = (0xC401).to_bytes(2, "big") if self._vehicle.unit.mode else b""
        if request[0] in (0x03, 0x07):
            count = len(invalid) // 2
            return bytes([request[0] + 0x40, count]) + invalid
        if request[0] == 0x0A:
            return b"\x4a\x00"
        return None if to_all else _no(request, _NOT_SUPPORTED)


def _no(request: bytes, reason: int) -> bytes:
    return bytes([0x7F, request[0], reason])


def ask_units(
    units: "dict[int, EngineUnit | BrakeUnit]", request: bytes, unit: int | None
) -> dict[int, bytes]:
    """What some units answer to a request, to one of them or (`None`) to all."""
    told = {
        number: asked.answer(request, to_all=unit is None)
        for number, asked in units.items()
        if unit in (None, number)
    }
    return {number: answer for number, answer in told.items() if answer is not None}
