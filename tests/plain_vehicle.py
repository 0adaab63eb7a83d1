"""A second vehicle for the tests, in plain bytes from the standards, without any transport library.

ISO 15765-2 (single, first, consecutive frames, flow control), ISO 15765-4 (addresses of 11 and 29 bit),
SAE J1979 (services), ISO 14229-1 (negative responses). Time is its own: a clock that jumps when all
wait, so ten thousand bad days take minutes. It remembers what was written to it, and how fast the
engine turned then.
"""

import heapq
import random
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from unittest import mock

import can

ALL, ALL_WIDE = 0x7DF, 0x18DB33F1
WRITES = (0x04, 0x31)


class Jumping:
    """A clock that only goes when somebody waits."""

    def __init__(self) -> None:
        self.now = 1000.0
        self.end = float("inf")

    def wait(self, seconds: float) -> None:
        self.now += max(seconds, 1e-4)
        if self.now > self.end:
            raise TimeoutError(f"it still waits after {self.now - 1000.0:.0f} s")

    def tell(self) -> float:
        return self.now

    def tell_ns(self) -> int:
        return int(self.now * 1e9)

    @contextmanager
    def instead_of_time(self) -> Iterator["Jumping"]:
        """While this lasts, the process's clocks are this one."""
        with (
            mock.patch.object(time, "monotonic", self.tell),
            mock.patch.object(time, "perf_counter", self.tell),
            mock.patch.object(time, "perf_counter_ns", self.tell_ns),
            mock.patch.object(time, "sleep", self.wait),
        ):
            yield self


@dataclass
class Unit:
    """One control unit and its habits.

    Attributes:
        number: 0 to 7, or the address of one byte where `wide`.
        codes: stored, pending and permanent numbers by service 03, 07, 0A.
        full: rows of 19 02: number, failure type, status.
        rpm: what it tells of the engine; `None` where it does not know it.
        after_s: how long it takes for an answer.
        refuses: a negative response code by service (and 0x0C for engine speed).
        silent: services that it never answers (and 0x0C).
        busy_s: for how long from the first question it is busy.
        waits: how often it says "wait" first, by service, and for how long each.
        loses_last: services of which a long answer loses its last frame, this often.
        alone_only: it answers only when it is asked alone.
        off: from when to when it does not hear anything (it starts anew).
        count_off: by how much its counts are wrong.
        doubled: it tells every code twice.
        one_value: of several values it tells the first only.
        rest_after_s: how long the rest of a long answer takes after flow control.
    """

    number: int
    wide: bool = False
    codes: dict[int, tuple[int, ...]] = field(default_factory=dict)
    full: tuple[tuple[int, int, int], ...] | None = None
    rpm: float | None = None
    after_s: float = 0.02
    refuses: dict[int, int] = field(default_factory=dict)
    silent: frozenset[int] = frozenset()
    busy_s: float = 0.0
    waits: dict[int, tuple[int, float]] = field(default_factory=dict)
    loses_last: dict[int, int] = field(default_factory=dict)
    alone_only: bool = False
    off: tuple[float, float] = (0.0, 0.0)
    count_off: int = 0
    doubled: bool = False
    one_value: bool = False
    rest_after_s: float = 0.001
    values: dict[int, bytes] = field(default_factory=dict)
    written: list[tuple[int, float]] = field(default_factory=list)
    rest: list[bytes] = field(default_factory=list)
    asked_at: float | None = None

    @property
    def request(self) -> int:
        return 0x18DA00F1 | self.number << 8 if self.wide else 0x7E0 + self.number

    @property
    def answer(self) -> int:
        return 0x18DAF100 | self.number if self.wide else 0x7E8 + self.number

    def every_code(self) -> set[int]:
        """All numbers that anybody who asks rightly gets to know."""
        plain = {n for told in self.codes.values() for n in told}
        return plain | {number for number, _, status in self.full or () if status & 0x0D}


class PlainVehicle(can.BusABC):
    """A bus with such units on it; frames in, frames out, by its own clock."""

    def __init__(self, units: list[Unit], clock: Jumping) -> None:
        self.units, self.clock = units, clock
        self._due: list[tuple[float, int, int, bool, bytes]] = []
        self._count = 0
        self._next_noise = clock.now
        self.foreign_per_s = 0.0
        self.errors = 0
        super().__init__(channel="plain")
        self._is_shutdown = True  # nothing is held that would have to be let go

    # -- the bus ---------------------------------------------------------------------------------------

    def send(self, msg: can.Message, timeout: float | None = None) -> None:  # noqa: ARG002
        data, to = bytes(msg.data), msg.arbitration_id
        for unit in self.units:
            if not unit.off[0] <= self.clock.now - 1000.0 < unit.off[1]:
                if to == (ALL_WIDE if unit.wide else ALL):
                    self._heard(unit, data, alone=False)
                elif to == unit.request and msg.is_extended_id == unit.wide:
                    self._heard(unit, data, alone=True)

    def recv(self, timeout: float | None = None) -> can.Message | None:
        until = self.clock.now + (timeout or 0.0)
        foreign = self._foreign(until)
        if foreign is not None:
            return foreign
        if self._due and self._due[0][0] <= until:
            at, _, identifier, wide, data = heapq.heappop(self._due)
            self.clock.now = max(self.clock.now, at)
            return can.Message(arbitration_id=identifier, data=data, is_extended_id=wide)
        self.clock.wait(timeout or 0.0)
        return None

    def _foreign(self, until: float) -> can.Message | None:
        """Other traffic: as many frames a second as wanted, error and remote frames among them."""
        if not self.foreign_per_s or self._next_noise > until:
            return None
        self.clock.now = max(self.clock.now, self._next_noise)
        self._next_noise += 1.0 / self.foreign_per_s
        self._count += 1
        kind = self._count % 7
        return can.Message(
            arbitration_id=0x7E8 if kind == 0 else 0x100 + self._count % 0x600,
            is_remote_frame=kind == 0,
            is_error_frame=kind == 1,
            is_extended_id=False,
            data=b"" if kind == 0 else b"\1\2\3\4\5\6\7\x08",
        )

    def _recv_internal(self, timeout: float | None) -> tuple[can.Message | None, bool]:
        return self.recv(timeout), False

    def _tell(self, unit: Unit, data: bytes, after_s: float) -> None:
        self._count += 1
        row = (self.clock.now + after_s, self._count, unit.answer, unit.wide, data.ljust(8, b"\xaa"))
        heapq.heappush(self._due, row)

    # -- the transport: ISO 15765-2 ---------------------------------------------------------------------

    def _heard(self, unit: Unit, data: bytes, *, alone: bool) -> None:
        kind = data[0] >> 4
        if kind == 3:  # flow control: the rest may come
            for number, frame in enumerate(unit.rest):
                self._tell(unit, frame, unit.rest_after_s + 0.001 * number)
            unit.rest = []
        elif kind == 0 and 1 <= data[0] <= 7:
            self._asked(unit, data[1 : 1 + data[0]], alone=alone)

    def _answer(self, unit: Unit, service: int, told: bytes, after_s: float) -> None:
        if len(told) <= 7:
            self._tell(unit, bytes([len(told)]) + told, after_s)
            return
        self._tell(unit, bytes([0x10 | len(told) >> 8, len(told) & 0xFF]) + told[:6], after_s)
        parts = [told[at : at + 7] for at in range(6, len(told), 7)]
        unit.rest = [bytes([0x20 | (n + 1) & 0xF]) + part for n, part in enumerate(parts)]
        if unit.loses_last.get(service, 0) > 0:
            unit.loses_last[service] -= 1
            unit.rest.pop()

    # -- the services: SAE J1979, ISO 14229-1
    # ------------------------------------------------------------

    def _asked(self, unit: Unit, request: bytes, *, alone: bool) -> None:
        if unit.alone_only and not alone:
            return
        service, now = request[0], self.clock.now
        about = 0x0C if service == 0x01 and request[1:2] == b"\x0c" else service
        if unit.asked_at is None:
            unit.asked_at = now
        if about in unit.silent or service in unit.silent:
            return
        if now - unit.asked_at < unit.busy_s:
            self._tell(unit, bytes([0x03, 0x7F, service, 0x21]), unit.after_s)
            return
        reason = unit.refuses.get(about, unit.refuses.get(service))
        told = bytes([0x7F, service, reason]) if reason is not None else self._told(unit, request)
        if told is None:
            return
        if service in WRITES:
            unit.written.append((service, unit.rpm or 0.0))
        if told[0] == 0x7F and told[2] in (0x11, 0x12, 0x31) and not alone:
            return
        times, each_s = unit.waits.get(about, (0, 0.0))
        for number in range(times):
            self._tell(unit, bytes([0x03, 0x7F, service, 0x78]), unit.after_s + number * each_s)
        self._answer(unit, service, told, unit.after_s + times * each_s)

    def _told(self, unit: Unit, request: bytes) -> bytes | None:
        service = request[0]
        if service == 0x01:
            return self._values(unit, request[1:])
        if service in (0x03, 0x07, 0x0A):
            return self._codes(unit, service)
        if service == 0x04:
            return b"\x44"
        if service == 0x31:
            return b"\x71" + request[1:4]
        if service == 0x19 and unit.full is not None and request[1:2] == b"\x02":
            rows = [r for r in unit.full if r[2] & request[2]]
            return b"\x59\x02\xff" + b"".join(n.to_bytes(2, "big") + bytes([t, s]) for n, t, s in rows)
        return bytes([0x7F, service, 0x11])

    def _codes(self, unit: Unit, service: int) -> bytes:
        if service not in unit.codes:
            return bytes([0x7F, service, 0x11])
        numbers = unit.codes[service] * (2 if unit.doubled else 1)
        count = max(0, len(numbers) + (unit.count_off if numbers else 0))
        return bytes([service + 0x40, count]) + b"".join(n.to_bytes(2, "big") for n in numbers)

    def _values(self, unit: Unit, asked: bytes) -> bytes:
        known = dict(unit.values)
        if unit.rpm is not None:
            known[0x0C] = round(unit.rpm * 4).to_bytes(2, "big")
        out = bytearray(b"\x41")
        for pid in asked:
            if pid % 0x20 == 0:
                bits = sum(1 << (0x20 - (p - pid)) for p in known if pid < p <= pid + 0x20)
                bits |= int(any(p > pid + 0x20 for p in known))
                out += bytes([pid]) + bits.to_bytes(4, "big")
            elif pid in known:
                out += bytes([pid]) + known[pid]
            if unit.one_value and len(out) > 1:
                break
        return bytes(out) if len(out) > 1 else b"\x7f\x01\x31"


def random_unit(draw: random.Random, number: int, *, wide: bool) -> Unit:
    """A unit with habits drawn at random: most are sound in most ways, few in all."""

    def often(chance: float) -> bool:
        return draw.random() < chance

    pool = [0x0121, 0x0122, 0x0222, 0x2135, 0x2101, 0x2106, 0xC100, 0x0300, 0x0171, 0x0642]
    has = draw.sample(pool, draw.choice([0, 0, 1, 2, 5, 10]))
    if often(0.05):
        has = draw.sample(range(1, 0x3400), 20)
    modern = often(0.3)
    codes = {0x03: tuple(has), 0x07: tuple(has[:2]), 0x0A: tuple(has[:1])}
    if often(0.3):
        del codes[0x0A]
    if modern and often(0.3):
        codes = {}
    rows = tuple((n, draw.randrange(256), draw.choice([0x08, 0x09, 0x2F, 0x04])) for n in has)
    if has and often(0.3):
        rows += ((has[0], 0x99, 0x08),)
    services = (0x01, 0x03, 0x07, 0x0A, 0x19)
    return Unit(
        number,
        wide,
        codes,
        rows if modern or not codes else None,
        after_s=draw.choice([0.005, 0.02, 0.045, 0.2, 0.7]) if often(0.5) else 0.02,
        refuses={s: draw.choice([0x11, 0x21, 0x22, 0x33]) for s in services if often(0.06)},
        silent=frozenset(s for s in services if often(0.05)),
        busy_s=draw.choice([0.0, 0.0, 0.0, 1.0, 3.0]),
        waits={s: (draw.choice([1, 3]), draw.choice([0.5, 4.0])) for s in services if often(0.06)},
        loses_last={s: draw.choice([1, 99]) for s in services if often(0.06)},
        alone_only=often(0.1),
        off=(draw.uniform(0.0, 3.0), draw.uniform(0.0, 5.0)) if often(0.1) else (0.0, 0.0),
        count_off=draw.choice([0, 0, 0, 0, 1, -1]),
        doubled=often(0.05),
    )
