"""The vehicle link: protocols against worked examples and reference libraries, and its bad days."""

import random
import time
from collections import deque
from collections.abc import Callable, Iterator

import can
import pytest
from udsoncan import Response
from udsoncan.services import ReadDTCInformation

from nervus.codes.notation import Code
from nervus.knowledge import parameters
from nervus.link.buses import open_bus
from nervus.link.can_transport import CanTransport
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import Garbled, LinkLost, NoAnswer, NotNow, Refused
from nervus.link.loopback_bus import LoopbackBus
from nervus.link.poll_plan import plan_polls
from nervus.link.source import Clock
from nervus.link.transport import Transport
from nervus.link.unit_codes import codes_with_status, counted_codes
from nervus.link.vehicle_source import VehicleSource
from nervus.link.writing import Writing
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer


class ScriptedBus(can.BusABC):
    """A bus whose other end is a function from a frame to frames; keeps what was sent."""

    def __init__(self, answer: Callable[[can.Message], list[bytes]]) -> None:
        self.sent: list[can.Message] = []
        self._answer = answer
        self._waiting: deque[can.Message] = deque()
        super().__init__(channel="scripted")

    def send(self, msg: can.Message, timeout: float | None = None) -> None:  # noqa: ARG002 - the interface's
        self.sent.append(msg)
        for data in self._answer(msg):
            self._waiting.append(can.Message(arbitration_id=0x7E8, data=data, is_extended_id=False))

    def _recv_internal(self, timeout: float | None) -> tuple[can.Message | None, bool]:
        if not self._waiting:
            time.sleep(min(timeout or 0.0, 0.002))
        return (self._waiting.popleft() if self._waiting else None), False


@pytest.fixture
def served() -> Iterator[VehicleServer]:
    vehicle = SimulatedVehicle(faults=(read_fault("open-signal2"),))
    vehicle.advance(1.0)
    with VehicleServer(vehicle, answer_s=0.001) as server:
        yield server


def read_often(source: VehicleSource) -> None:
    for _ in range(10):
        source.read()


def by_channel(channel: str, raw: str) -> float:
    parameter = next(p for p in parameters() if p.channel == channel)
    return parameter.value(bytes.fromhex(raw))


@pytest.mark.parametrize(
    ("channel", "raw", "value"),
    [
        ("rpm", "1AF8", 1726.0), ("ect_c", "7B", 83.0), ("load_pct", "FF", 100.0),
        ("tps1_pct", "80", 50.196), ("maf_gs", "0100", 2.56), ("map_kpa", "65", 101.0),
        ("batt_v", "36B0", 14.0), ("iat_c", "28", 0.0), ("throttle_cmd_pct", "00", 0.0),
        ("app1_pct", "33", 20.0),
    ],
)  # fmt: skip
def test_values_are_scaled_as_published(channel: str, raw: str, value: float) -> None:
    """Source: SAE J1979 appendix B; 1A F8 is 1726/min and 7B 83 degrees in the usual example."""
    assert by_channel(channel, raw) == pytest.approx(value, abs=0.001)


def test_every_value_is_encoded_as_it_is_decoded() -> None:
    for parameter in parameters():
        for steps in range(0, 256**parameter.size, 97 if parameter.size > 1 else 1):
            raw = steps.to_bytes(parameter.size, "big")
            assert parameter.raw(parameter.value(raw)) == raw


def test_a_long_answer_is_asked_for_frame_by_frame() -> None:
    """Source: ISO 15765-2, the worked example of a 20-byte identification: first frame 10 14, flow
    control 30 00 00 from the tester, consecutive frames 21 and 22.
    """
    frames = ["10144902013141424", "2131414243444546", "2247484950515253"]

    def answer(asked: can.Message) -> list[bytes]:
        if asked.data[0] == 0x02:
            return [bytes.fromhex("1014490201314142")]
        return [bytes.fromhex(frames[1]), bytes.fromhex(frames[2])] if asked.data[0] == 0x30 else []

    bus = ScriptedBus(answer)
    told = CanTransport(bus).ask(0, b"\x09\x02")
    assert told == bytes.fromhex("490201314142" + frames[1][2:] + frames[2][2:])
    assert [m.arbitration_id for m in bus.sent] == [0x7E0, 0x7E0]
    assert bytes(bus.sent[0].data) == bytes.fromhex("0209020000000000")
    assert bytes(bus.sent[1].data)[:3] == bytes.fromhex("300000")


def test_codes_of_service_03_as_they_are_laid_out() -> None:
    """Source: SAE J1979 on CAN: 43, how many, then two bytes for each code."""
    both = (Code(0x0121), Code(0xC100))
    assert counted_codes(bytes.fromhex("43020121C100")) == (both, "")
    assert counted_codes(bytes.fromhex("4300")) == ((), "")
    assert counted_codes(bytes.fromhex("43020121C1000000")) == (both, "")  # padded
    assert counted_codes(bytes.fromhex("43030121")) == ((Code(0x0121),), "it counts 3 and tells 1")
    assert counted_codes(bytes.fromhex("43010121C100")) == (both, "it counts 1 and tells 2")
    assert counted_codes(bytes.fromhex("43")) == ((), "it counts 0 and tells 0")


def test_codes_with_status_against_the_reference_library(served: VehicleServer) -> None:
    """Source: ISO 14229-1, as the library udsoncan reads the same bytes."""
    bus = LoopbackBus(served.port)
    transport = CanTransport(bus)
    raw = transport.ask(0, b"\x19\x02\xff")
    bus.shutdown()
    theirs = ReadDTCInformation.interpret_response(Response.from_payload(raw), subfunction=2)
    ours = codes_with_status(raw)
    assert ours
    assert {code.number << 8 | (code.failure_type or 0): status for code, status in ours} == {
        dtc.id: dtc.status.get_byte_as_int() for dtc in theirs.service_data.dtcs
    }


def test_all_units_are_asked_and_their_codes_told_with_kind_and_status(served: VehicleServer) -> None:
    bus = LoopbackBus(served.port)
    diagnostics = Diagnostics(CanTransport(bus))
    read = diagnostics.codes()
    found = {(c.unit, str(c.code)): c for c in read.codes}
    frames = diagnostics.freeze_frames()
    identity = diagnostics.identity(0)
    bus.shutdown()
    assert read.units == (0, 2)
    assert read.missing == ()
    assert set(found) == {(0, "P0222-16"), (0, "P2106-00"), (2, "U0401")}
    assert found[0, "P0222-16"].kinds == ("stored", "pending", "permanent")
    status = found[0, "P0222-16"].status
    assert status is not None
    assert status.confirmed
    assert frames[0].code == Code(0x0222)
    assert frames[0].values["batt_v"] == pytest.approx(12.6, abs=0.01)
    assert identity == {
        "vehicle": "ISLANDDEPOT000006",
        "calibration": "DEPOT-ENGINE-3.1",
        "name": "ECM-ENGINE UNIT",
    }


def test_a_unit_that_was_late_with_one_service_is_asked_for_it_alone() -> None:
    """Source: SAE J1979 on CAN, services 03, 07 and 0A; 7DF asks all, 7E0 the first unit alone."""

    def answer(asked: can.Message) -> list[bytes]:
        service, alone = asked.data[1], asked.arbitration_id == 0x7E0
        if asked.data[0] == 1 and (service == 0x03 or alone):
            return [bytes([4, service + 0x40, 1, 0x01, 0x21, 0, 0, 0])]
        return []

    found = Diagnostics(CanTransport(ScriptedBus(answer))).codes()
    assert [(f.code, f.kinds) for f in found.codes] == [
        (Code(0x0121), ("stored", "pending", "permanent"))
    ]


def test_nothing_is_written_without_a_yes_nor_against_the_units_conditions(
    served: VehicleServer,
) -> None:
    bus = LoopbackBus(served.port)
    transport = CanTransport(bus)
    writing = Writing(transport)
    assert writing.clear_codes(lambda: False).outcomes == {}
    assert not writing.learn_closed(0, lambda: False)
    assert served.vehicle.unit.memory.stored
    with served.lock:
        served.vehicle.start_engine()
    for write in (writing.clear_codes, lambda yes: writing.learn_closed(0, yes)):
        with pytest.raises(NotNow, match="Nothing was sent"):
            write(lambda: True)
    with pytest.raises(Refused, match="conditions"):
        transport.ask(0, b"\x04")  # the unit itself would refuse too
    with served.lock:
        served.vehicle.engine.stop()
        served.vehicle.engine.rpm = 0.0
    written = writing.clear_codes(lambda: True)
    assert written.done == (0,)
    assert "control unit 0: cleared" in written.text
    bus.shutdown()


def test_busy_pending_and_negative_answers() -> None:
    """Source: ISO 14229-1: 7F, service, code; 78 means wait, 21 means ask again."""
    asked = 0

    def answer(frame: can.Message) -> list[bytes]:
        nonlocal asked
        asked += 1
        if frame.data[1] == 0x22:
            return [bytes.fromhex("037F2231")]
        if asked == 1:
            return [bytes.fromhex("037F0121")]
        return [bytes.fromhex("037F0178"), bytes.fromhex("03410D40")]

    transport = CanTransport(ScriptedBus(answer))
    assert transport.ask(0, b"\x01\x0d") == bytes.fromhex("410D40")
    assert asked == 2
    with pytest.raises(Refused, match="out of its range"):
        transport.ask(0, b"\x22\xf1\x90")


def test_silence_other_answers_and_cut_frames_are_told() -> None:
    told: list[str] = []
    silent = CanTransport(ScriptedBus(lambda _f: []))
    with pytest.raises(NoAnswer, match="does not answer"):
        silent.ask(0, b"\x01\x0c", 0.02)
    strange = CanTransport(ScriptedBus(lambda _f: [bytes.fromhex("04620D4000")]), told.append)
    with pytest.raises(NoAnswer):
        strange.ask(0, b"\x01\x0d", 0.02)
    assert any("not asked" in text for text in told)
    other = CanTransport(ScriptedBus(lambda _f: [bytes.fromhex("03410540")]))
    with pytest.raises(Garbled):
        other.ask(0, b"\x01\x0d")
    short = Diagnostics(CanTransport(ScriptedBus(lambda _f: [bytes.fromhex("03410C1A")])))
    with pytest.raises(Garbled, match="short"):
        short.values(0, tuple(p for p in parameters() if p.channel == "rpm"))


def test_a_unit_that_tells_one_value_at_a_time_is_asked_so() -> None:
    def answer(frame: can.Message) -> list[bytes]:
        if frame.data[0] > 2:
            return [bytes.fromhex("037F0113")]
        return [bytes([0x03, 0x41, frame.data[2], 0x80])]

    diagnostics = Diagnostics(CanTransport(ScriptedBus(answer)))
    wanted = tuple(p for p in parameters() if p.channel in ("tps1_pct", "tps2_pct"))
    assert set(diagnostics.values(0, wanted)) == {"tps1_pct", "tps2_pct"}
    assert not diagnostics.tells_several(0)


def test_mangled_frames_neither_hang_nor_break_the_link() -> None:
    """Twenty thousand frames of noise between good answers; the bench takes a hundred thousand."""
    noise = random.Random(3)  # noqa: S311 - no secret

    def answer(frame: can.Message) -> list[bytes]:
        if frame.data[0] != 0x02:
            return []  # flow control for what looked like the beginning of a long answer
        mangled = [noise.randbytes(noise.randrange(1, 9)) for _ in range(100)]
        return [*mangled, bytes([0x03, 0x41, frame.data[2], 0x80])]

    transport = CanTransport(ScriptedBus(answer))
    good = 0
    for _ in range(200):
        try:
            good += transport.ask(0, b"\x01\x11", 0.05) == b"\x41\x11\x80"
        except (NoAnswer, Garbled, Refused):
            continue
    assert good > 20
    clean = CanTransport(ScriptedBus(lambda f: [bytes([0x03, 0x41, f.data[2], 0x80])]))
    assert clean.ask(0, b"\x01\x11") == b"\x41\x11\x80"


def test_the_plan_gives_the_throttle_the_most_and_tells_the_truth(served: VehicleServer) -> None:
    source = VehicleSource(f"standin:{served.port}")
    source.open(Clock())
    counts: dict[str, int] = {}
    at_first = dict(source.rates_hz)
    for _ in range(2 * source.plan.period if source.plan is not None else 0):
        for block in source.read():
            counts[block.channel] = counts.get(block.channel, 0) + 1
    told = dict(source.rates_hz)
    source.close()
    assert told != at_first  # measured anew with every period; bench_live holds it against what came
    assert max(counts.values()) == counts["tps1_pct"]
    assert counts["tps1_pct"] == counts["tps2_pct"]
    assert told["tps1_pct"] / told["ect_c"] == pytest.approx(32.0)


def test_a_frame_that_is_lost_now_and_then_is_no_lost_vehicle(
    served: VehicleServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every ninth frame gets lost, from the first one on: it connects, and still asks for several."""
    sent: list[can.Message] = []
    really = LoopbackBus.send

    def send(bus: LoopbackBus, msg: can.Message, timeout: float | None = None) -> None:
        sent.append(msg)
        if len(sent) % 9 != 1:
            really(bus, msg, timeout)

    monkeypatch.setattr(LoopbackBus, "send", send)
    monkeypatch.setattr(Transport.ask, "__defaults__", (0.15,))
    source = VehicleSource(f"standin:{served.port}")
    source.open(Clock())
    assert source.diagnostics is not None
    assert source.diagnostics.tells_several(0)
    told = [block for _ in range(8) for block in source.read()]
    source.close()
    assert {b.channel for b in told} >= {"tps1_pct", "tps2_pct"}


def test_every_value_is_in_the_plan_and_rounds_are_even() -> None:
    plan = plan_polls(parameters(), several=True)
    asked = {p.pid for r in plan.rounds for p in r}
    assert asked == {p.pid for p in parameters()}
    sizes = [len(r) for r in plan.rounds]
    assert max(sizes) - min(sizes) <= 2
    assert plan_polls(parameters()[:1], several=False).requests() == (1,)


def test_a_vanished_vehicle_is_told_and_can_be_opened_again() -> None:
    server = VehicleServer(SimulatedVehicle(), answer_s=0.001).start()
    source = VehicleSource(f"standin:{server.port}")
    source.open(Clock())
    assert source.read()
    server.stop()
    with pytest.raises(LinkLost):
        read_often(source)
    with pytest.raises(LinkLost, match="can't be opened"):
        source.open(Clock())
    waiting = source.between(lambda diagnostics: diagnostics.units())
    source.close()
    with pytest.raises(LinkLost, match="not connected any more"):
        waiting.result(1.0)


@pytest.mark.parametrize("where", ["", "cable:0", "standin:x", "socketcan:", "slcan:", "gs_usb:x"])
def test_a_bus_that_is_none_is_told(where: str) -> None:
    with pytest.raises(LinkLost, match="accepted is"):
        open_bus(where)


def test_the_key_off_is_silence(served: VehicleServer) -> None:
    with served.lock:
        served.vehicle.driver.key = False
    source = VehicleSource(f"standin:{served.port}")
    with pytest.raises(LinkLost, match="key on"):
        source.open(Clock())
    source.close()
