"""The simulated control unit and its adapter, answer by answer, limit by limit."""

import threading
from dataclasses import replace

import isotp
import numpy as np
import pytest

from nervus.codes.notation import read_code
from nervus.domain.profile import ThrottleKind
from nervus.link.instruments import Instrument
from nervus.standin.code_memory import CodeMemory
from nervus.standin.instrument import InstrumentServer
from nervus.standin.monitors import Mode, Seen, monitors_of
from nervus.standin.runs import record_run
from nervus.standin.text_adapter import Adapter, Habits, frames
from nervus.standin.unit_answers import BrakeUnit, EngineUnit, ask_units
from nervus.standin.vehicle import SimulatedVehicle

# -- what is watched ---------------------------------------------------------------------------------

SOUND = Seen((0.5, 0.5), (40.0, 40.0), (0.3, 0.15), (20.0, 20.0), 5.0, 40.0, 40.0, 1.0, 0.0)
WATCHED = {
    "P0122-16": (0.1, Mode.LIMITED, (0,), True), "P0123-17": (0.1, Mode.LIMITED, (0,), True),
    "P0222-16": (0.1, Mode.LIMITED, (1,), True), "P0223-17": (0.1, Mode.LIMITED, (1,), True),
    "P2135-62": (0.2, Mode.IDLE_ONLY, (), True), "P2101-77": (0.6, Mode.IDLE_ONLY, (), True),
    "P2122-16": (0.1, Mode.LIMITED, (), True), "P2123-17": (0.1, Mode.LIMITED, (), True),
    "P2127-16": (0.1, Mode.LIMITED, (), True), "P2128-17": (0.1, Mode.LIMITED, (), True),
    "P2138-62": (0.25, Mode.LIMITED, (), True),
    "P0642-16": (0.1, Mode.IDLE_ONLY, (), True), "P0643-17": (0.1, Mode.IDLE_ONLY, (), True),
    "P0068-62": (2.0, Mode.NORMAL, (), False), "P0506": (5.0, Mode.NORMAL, (), False),
    "P0507": (5.0, Mode.NORMAL, (), False),
}  # fmt: skip
ON_CABLE = ("P0122-16", "P0123-17", "P0642-16", "P0643-17", "P0068-62", "P0506", "P0507")


def test_what_is_watched_for_how_long_and_what_then() -> None:
    """Source: from memory, what such units usually do; the codes by SAE J2012."""
    electronic = {
        str(m.code): (m.time_s, m.mode, m.tracks, m.at_once) for m in monitors_of(electronic=True)
    }
    assert electronic == WATCHED
    cable = {str(m.code): (m.time_s, m.mode, m.tracks, m.at_once) for m in monitors_of(electronic=False)}
    assert tuple(cable) == ON_CABLE
    for code in ON_CABLE:
        wanted = WATCHED[code]
        mode = Mode.NORMAL if code.startswith("P012") else wanted[1]
        assert cable[code] == (wanted[0], mode, wanted[2], wanted[3])


@pytest.mark.parametrize(
    ("code", "at_limit", "beyond"),
    [
        ("P0122-16", {"shares": (0.04, 0.5)}, {"shares": (0.0399, 0.5)}),
        ("P0123-17", {"shares": (0.96, 0.5)}, {"shares": (0.9601, 0.5)}),
        ("P0222-16", {"shares": (0.5, 0.04)}, {"shares": (0.5, 0.0399)}),
        ("P0223-17", {"shares": (0.5, 0.96)}, {"shares": (0.5, 0.9601)}),
        ("P2135-62", {"percents": (46.0, 40.0)}, {"percents": (40.0, 46.1)}),
        ("P2101-77", {"command": 48.0}, {"command": 31.9}),
        ("P2122-16", {"pedal_shares": (0.04, 0.3)}, {"pedal_shares": (0.0399, 0.3)}),
        ("P2123-17", {"pedal_shares": (0.96, 0.3)}, {"pedal_shares": (0.9601, 0.3)}),
        ("P2127-16", {"pedal_shares": (0.3, 0.04)}, {"pedal_shares": (0.3, 0.0399)}),
        ("P2128-17", {"pedal_shares": (0.3, 0.96)}, {"pedal_shares": (0.3, 0.9601)}),
        ("P2138-62", {"pedals": (28.0, 20.0)}, {"pedals": (20.0, 28.1)}),
        ("P0642-16", {"supply_v": 4.7}, {"supply_v": 4.69}),
        ("P0643-17", {"supply_v": 5.3}, {"supply_v": 5.31}),
        ("P0068-62", {"flow_ratio": 0.601}, {"flow_ratio": 0.6}),
        ("P0068-62", {"flow_ratio": 1.699}, {"flow_ratio": 1.7}),
        ("P0506", {"idle_off": -200.0}, {"idle_off": -200.1}),
        ("P0507", {"idle_off": 200.0}, {"idle_off": 200.1}),
    ],
)  # fmt: skip
def test_each_watch_at_its_limit_and_beyond(
    code: str, at_limit: dict[str, object], beyond: dict[str, object]
) -> None:
    watch = next(m for m in monitors_of(electronic=True) if str(m.code) == code)
    assert watch.fails(replace(SOUND, **at_limit)) is False  # type: ignore[arg-type] # its own fields
    assert watch.fails(replace(SOUND, **beyond)) is True  # type: ignore[arg-type]
    assert watch.fails(SOUND) is False


def test_what_can_not_be_watched_now_says_so() -> None:
    by_code = {str(m.code): m for m in monitors_of(electronic=True)}
    blind = replace(SOUND, command=None, flow_ratio=None, idle_off=None)
    blind = replace(blind, shares=(0.5, 0.97), pedal_shares=(0.03, 0.3))
    for code in ("P2101-77", "P0068-62", "P0506", "P0507", "P2135-62", "P2138-62"):
        assert by_code[code].fails(blind) is None


# -- what is remembered ------------------------------------------------------------------------------


def test_status_bits_over_three_cycles() -> None:
    """Source: ISO 14229-1 annex D, bit by bit: failed, failed this cycle, pending, confirmed, not tested
    since clearing, failed since clearing, not tested this cycle, lamp.
    """
    code, other = read_code("P2135-62"), read_code("P0506")
    memory = CodeMemory((code, other))
    assert memory.entries[code].status == 0b0101_0000
    memory.failed(code, at_once=False, frame={"rpm": 850.0})
    assert memory.entries[code].status == 0b0010_0111
    memory.failed(code, at_once=False, frame={"rpm": 900.0})
    assert memory.entries[code].status == 0b0010_0111, "the same cycle confirms nothing"
    assert (memory.stored, memory.pending, memory.permanent, memory.lamp) == ((), (code,), (), False)
    memory.passed(code)
    assert memory.entries[code].status == 0b0010_0110
    memory.end_of_cycle()
    assert memory.entries[code].status == 0b0110_0100
    memory.failed(code, at_once=False, frame={"rpm": 950.0})
    assert memory.entries[code].status == 0b1010_1111
    assert memory.frame == (code, {"rpm": 950.0})
    assert (memory.stored, memory.permanent, memory.lamp) == ((code,), (code,), True)
    memory.end_of_cycle()
    memory.passed(code)
    assert memory.entries[code].status == 0b1010_1100
    memory.end_of_cycle()
    assert memory.entries[code].status == 0b1110_1000, "a cycle without failing ends pending"
    assert list(memory.permanent) == [code]
    memory.end_of_cycle()
    assert memory.entries[code].status == 0b1110_1000, "a cycle in which it was not tested tells nothing"
    memory.clear()
    assert memory.entries[code].status == 0b0101_0000
    assert list(memory.permanent) == [code], "what is permanent outlives a clearing"
    memory.end_of_cycle()
    assert list(memory.permanent) == [code], "not tested: still permanent"
    memory.passed(code)
    memory.end_of_cycle()
    assert list(memory.permanent) == []
    assert memory.with_bits(0x40) == ((code, 0b0100_0000), (other, 0b0101_0000))


def test_a_pending_code_that_was_not_tested_stays_pending() -> None:
    code = read_code("P0506")
    memory = CodeMemory((code,))
    memory.failed(code, at_once=False, frame={})
    memory.end_of_cycle()
    memory.end_of_cycle()
    assert memory.pending == (code,)


# -- what is answered --------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def unit() -> EngineUnit:
    return EngineUnit(SimulatedVehicle())


@pytest.mark.parametrize(
    ("request_hex", "answer"),
    [
        ("05", "7F 05 11"), ("01 5C", "7F 01 31"), ("02 0C", "7F 02 13"), ("02 0C 00", "7F 02 31"),
        ("02 02 00", "42 02 00 00 00"), ("03", "43 00"), ("07", "47 00"), ("0A", "4A 00"), ("04", "44"),
        ("09", "7F 09 31"), ("09 FF", "7F 09 31"), ("09 00", "49 00 50 40 00 00"),
        ("09 02", "49 02 01" + b"ISLANDDEPOT000006".hex()),
        ("19 02", "7F 19 12"), ("19 01 FF", "7F 19 12"), ("19 02 08", "59 02 FF"),
        ("31 01 02", "7F 31 31"), ("31 01 FF FF", "7F 31 31"),
    ],
)  # fmt: skip
def test_answers_byte_for_byte(unit: EngineUnit, request_hex: str, answer: str) -> None:
    """Source: SAE J1979 (services 01 to 0A), ISO 14229-1 annex A (11 no such service, 12 no part of it,
    13 length, 31 out of range).
    """
    told = unit.answer(bytes.fromhex(request_hex), to_all=False)
    assert told is not None
    assert told == bytes.fromhex(answer)


def test_asked_of_all_what_is_refused_is_silence_but_not_for_length() -> None:
    """Source: ISO 14229-1, 7.5: to a functional request 11, 12 and 31 are not sent."""
    unit = EngineUnit(SimulatedVehicle())
    for request in ("05", "19 01 FF", "01 5C"):
        assert unit.answer(bytes.fromhex(request), to_all=True) is None
    assert unit.answer(bytes.fromhex("02 0C"), to_all=True) == b"\x7f\x02\x13"
    assert unit.answer(b"", to_all=True) is None


def test_an_engine_that_runs_is_neither_cleared_nor_taught() -> None:
    vehicle = SimulatedVehicle()
    unit = EngineUnit(vehicle)
    vehicle.engine.rpm = 50.0
    assert unit.answer(b"\x04", to_all=False) == b"\x44"
    assert unit.answer(bytes.fromhex("31 03 02 03"), to_all=False) in (
        b"\x7f\x31\x31",
        b"\x71\x03\x02\x03",
    )
    vehicle.engine.rpm = 50.1
    assert unit.answer(b"\x04", to_all=False) == b"\x7f\x04\x22"
    vehicle.driver.key = False
    assert unit.answer(b"\x03", to_all=False) is None


def test_the_second_unit_tells_what_it_thinks_of_the_first() -> None:
    """Source: SAE J2012: U0401 is invalid data from the engine's unit; J1979 for the counting."""
    vehicle = SimulatedVehicle()
    brake = BrakeUnit(vehicle)
    units: dict[int, EngineUnit | BrakeUnit] = {0: EngineUnit(vehicle), 2: brake}
    assert ask_units(units, b"\x03", None) == {0: b"\x43\x00", 2: b"\x43\x00"}
    assert brake.answer(b"\x0a", to_all=True) == b"\x4a\x00"
    assert brake.answer(b"\x09\x02", to_all=True) is None
    assert brake.answer(b"\x09\x02", to_all=False) == b"\x7f\x09\x11"
    vehicle.unit.mode = Mode.LIMITED
    assert ask_units(units, b"\x07", 2) == {2: bytes.fromhex("47 01 C4 01")}
    vehicle.driver.key = False
    assert ask_units(units, b"\x03", None) == {}


def test_what_is_reported_is_what_is_there() -> None:
    """A unit reports a track as 100 times its share of the supply (SAE J1979: 11, 47 to 4A)."""
    vehicle = SimulatedVehicle()
    vehicle.driver.pedal_pct = 40.0
    vehicle.advance(1.0)
    values, pins = vehicle.values(), vehicle.pins()
    for number in (1, 2):
        share = 100.0 * pins[f"signal{number}"] / pins["vref"]
        assert values[f"tps{number}_pct"] == pytest.approx(share, abs=0.2)
        pedal = 100.0 * pins[f"pedal_signal{number}"] / pins["pedal_vref"]
        assert values[f"app{number}_pct"] == pytest.approx(pedal, abs=0.2)
    assert values["throttle_cmd_pct"] == pytest.approx(values["throttle_pct"], abs=1.0)
    assert values["pedal_pct"] == pytest.approx(40.0, abs=1.0)
    assert values["batt_v"] == pins["battery"]
    cable = SimulatedVehicle(ThrottleKind.CABLE)
    assert not {"tps2_pct", "app1_pct", "throttle_cmd_pct", "pedal_pct"} & set(cable.values())


def test_a_closed_stop_is_learned_only_near_the_old_one() -> None:
    vehicle = SimulatedVehicle()
    true = list(vehicle.unit.learned.closed)

    def learns() -> bool:
        return vehicle.unit.is_learning

    for off, learned in ((0.03, True), (-0.055, True), (0.065, False)):
        wrong = [share + off for share in true]
        vehicle.unit.learned.closed = list(wrong)
        vehicle.unit.learn()
        assert learns()
        vehicle.advance(3.0)
        assert not learns()
        expected = true if learned else wrong
        assert vehicle.unit.learned.closed == pytest.approx(expected, abs=0.005), off


# -- the adapter of lines ----------------------------------------------------------------------------


@pytest.mark.parametrize("length", [1, 6, 7, 8, 13, 14, 20, 100, 111, 112, 113, 300])
def test_an_answers_frames_are_what_the_reference_transport_sends(length: int) -> None:
    """Source: ISO 15765-2 as its reference library puts answers into frames, padded to eight bytes."""
    told = bytes(n % 251 for n in range(length))
    sent: list[bytes] = []
    waiting = [isotp.CanMessage(arbitration_id=0x7E0, data=bytes.fromhex("30 00 00 00 00 00 00 00"))]

    def heard(timeout: float) -> isotp.CanMessage | None:
        del timeout
        return waiting.pop() if sent and waiting else None

    stack = isotp.TransportLayerLogic(
        rxfn=heard,
        txfn=lambda frame: sent.append(bytes(frame.data)),
        address=isotp.Address(rxid=0x7E0, txid=0x7E8),
        params={"tx_padding": 0, "tx_data_min_length": 8},
    )
    stack.send(told)
    while stack.transmitting():
        stack.process()
    assert frames(told) == sent


def told_by(habits: Habits, *lines: str) -> list[str]:
    """What an adapter says to each line, its ends and prompt taken off."""

    def ask(request: bytes, unit: int | None) -> dict[int, bytes]:
        if request == b"\x03":
            return {0: bytes.fromhex("43 04 01 22 02 22 21 35 05 06")}
        if request == b"\x09\x02":
            return {0: bytes.fromhex("49 02 01") + b"ISLANDDEPOT000006"}
        if request == b"\x01\x0c":
            return {0: bytes.fromhex("41 0C 1A F8"), 2: bytes.fromhex("41 0C 1A F9")}
        return {unit: bytes([0x7F, request[0], 0x11])} if unit is not None else {}

    adapter = Adapter(ask, habits)
    said = []
    for line in ("ATE0", *lines):
        out = adapter.feed(line.encode() + b"\r").decode()
        assert out.endswith("\r\r>") or habits.prompt_lost
        said.append(out.removesuffix("\r\r>"))
    return said[1:]


def test_a_command_line_on_11_bits() -> None:
    """Source: from memory, the common open command dialect; frames by ISO 15765-2."""
    said = told_by(
        Habits(), "ATDPN", "010C", "ATH1", "010C", "ATS0", "010C", "0109", "ATSH7E2", "05",
        "ATSHDA10F1", "XX", "ATQQ",
    )  # fmt: skip
    assert said == [
        "A6", "04 41 0C 1A F8 00 00 00\r04 41 0C 1A F9 00 00 00", "OK",
        "7E8 04 41 0C 1A F8 00 00 00\r7EA 04 41 0C 1A F9 00 00 00", "OK",
        "7E804410C1AF8000000\r7EA04410C1AF9000000", "NO DATA", "OK", "7EA037F051100000000",
        "?", "?", "?",
    ]  # fmt: skip
    assert told_by(Habits(), "ATH1", "03") == [
        "OK", "7E8 10 0A 43 04 01 22 02 22\r7E8 21 21 35 05 06 00 00 00",
    ]  # fmt: skip
    assert told_by(Habits(), "ATZ") == ["\r\rTEXT STAND-IN v1.0"]


def test_an_answer_of_pending_codes_and_a_short_text_on_an_older_bus() -> None:
    """Source: SAE J1979: services 07 and 0A tell as 03 does; a text of seven bytes is one message."""

    def ask(request: bytes, _unit: int | None) -> dict[int, bytes]:
        return {
            0: {7: bytes.fromhex("47 01 01 22"), 10: b"\x4a\x00", 9: b"\x49\x00" + bytes(5)}[request[0]]
        }

    adapter = Adapter(ask, Habits(protocol="3"))
    adapter.feed(b"ATE0\r")
    bodies = {
        r: bytes.fromhex(adapter.feed(r.encode() + b"\r").decode().strip("\r> "))
        for r in ("07", "0A", "0900")
    }
    assert bodies["07"][3:-1] == bytes.fromhex("47 01 22 00 00 00 00")
    assert bodies["0A"][3:-1] == bytes.fromhex("4A 00 00 00 00 00 00")
    assert bodies["0900"][3:-1] == b"\x49\x00" + bytes(5)


def test_a_command_line_on_29_bits_has_addresses_of_its_own() -> None:
    """Source: ISO 15765-4: unit 10 is asked on 18DA10F1 and answers on 18DAF110."""
    said = told_by(
        Habits(protocol="7"), "ATH1", "ATSH7E0", "ATSHDA10F1", "05", "ATSHDB33F1", "05", "ATSHXX"
    )
    assert said == ["OK", "?", "OK", "18 DA F1 10 03 7F 05 11 00 00 00 00", "OK", "NO DATA", "?"]


@pytest.mark.parametrize("protocol", ["1", "3"])
def test_an_older_bus_tells_three_codes_a_message_and_sums_it_up(protocol: str) -> None:
    """Source: SAE J1979: three codes in an answer of service 03 on older buses; ISO 14230-2 (sum of all
    bytes) and SAE J1850 (polynomial 1D, by hand for the first message) for the last byte.
    """
    first, second = told_by(Habits(protocol=protocol), "03")[0].split("\r")
    whole, rest = bytes.fromhex(first), bytes.fromhex(second)
    assert whole[:-1] == bytes.fromhex("48 6B 10 43 01 22 02 22 21 35")
    assert rest[:-1] == bytes.fromhex("48 6B 10 43 05 06 00 00 00 00")
    if protocol == "3":
        assert (whole[-1], rest[-1]) == (sum(whole[:-1]) & 0xFF, sum(rest[:-1]) & 0xFF)
    else:
        assert (whole[-1], rest[-1]) == (j1850(whole[:-1]), j1850(rest[:-1]))
    named = told_by(Habits(protocol=protocol), "0902")[0].split("\r")
    bodies = [bytes.fromhex(line)[3:-1] for line in named]
    assert [b[2] for b in bodies] == [1, 2, 3, 4, 5]
    assert b"".join(b[3:] for b in bodies) == b"\0\0\0ISLANDDEPOT000006"


def j1850(data: bytes) -> int:
    """Source: SAE J1850, section 5.2.1: polynomial x^8+x^4+x^3+x^2+1, begun with and inverted by FF."""
    register = 0xFF
    for byte in data:
        for bit in range(7, -1, -1):
            top = (register >> 7) ^ ((byte >> bit) & 1)
            register = (register << 1) & 0xFF
            if top:
                register ^= 0x1D
    return register ^ 0xFF


# -- meter and recorder ------------------------------------------------------------------------------


def test_commands_of_the_simulated_meter_that_are_taken_and_that_are_not() -> None:
    """Source: SCPI-99: *CLS and *RST are common to all; -113 is an undefined header, 0 is no error."""
    vehicle = SimulatedVehicle()
    with InstrumentServer(vehicle, threading.Lock()) as bench:
        meter = Instrument(f"127.0.0.1:{bench.port}")
        for command in ("*CLS", "*RST", "CONF:VOLT:DC", "FORM REAL"):
            meter.tell(command)
            assert meter.ask("SYST:ERR?").startswith("0,"), command
        meter.tell("NONSENSE")
        assert meter.ask("SYST:ERR?").startswith("-113,")
        assert meter.ask("SYST:ERR?").startswith("0,")
        meter.close()


def test_a_run_is_read_by_a_converter_of_twelve_bits() -> None:
    """By the converter's definition: all are multiples of 5 V / 4096, written with four digits."""
    recording = record_run(SimulatedVehicle(), 2.0, seed=3)
    for channel in recording.channels:
        if channel.id.startswith("tps") and channel.kind.unit == "V":
            counts = channel.values * 4096 / 5.0
            assert np.abs(counts - np.round(counts)).max() < 4096 / 5.0 * 0.5001e-4
            assert np.array_equal(channel.values, np.round(channel.values, 4))
