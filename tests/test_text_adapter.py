"""The text adapter: lines read as answers, and a stand-in that misbehaves as copies do."""

import random
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from nervus.codes.notation import Code
from nervus.domain.errors import Stopped
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import LinkLost, NoAnswer, NotNow, Refused
from nervus.link.source import Clock
from nervus.link.text_adapter import TextTransport
from nervus.link.text_lines import Bus, Word, as_on_can, crc8, read_lines, word_in
from nervus.link.vehicle_source import VehicleSource
from nervus.link.writing import Writing
from nervus.standin.planting import read_fault
from nervus.standin.text_adapter import Adapter, AdapterServer, Ask, Habits
from nervus.standin.unit_answers import BrakeUnit, EngineUnit, ask_units
from nervus.standin.vehicle import SimulatedVehicle

ENGINE = {
    "0100": "410088180001",
    "0120": "412000000000",
    "010C": "410C0000",
    "0111": "411180",
    "010D": "410D40",
    "03": "43020121C100",
    "07": "4700",
    "0A": "4A00",
    "0902": "490201" + b"ISLANDDEPOT000006".hex(),
    "04": "44",
}


def scripted(table: dict[str, str], unit: int = 0) -> Ask:
    """A unit that knows these answers; the last question is kept in `asked`."""

    def ask(request: bytes, to: int | None) -> dict[int, bytes]:
        told = table.get(request.hex().upper())
        return {unit: bytes.fromhex(told)} if told is not None and to in (None, unit) else {}

    return ask


@contextmanager
def connected(ask: Ask, habits: Habits | None = None) -> Iterator[TextTransport]:
    with AdapterServer(ask, habits) as server:
        transport = TextTransport(f"tcp:127.0.0.1:{server.port}")
        try:
            yield transport
        finally:
            transport.close()


# -- lines -------------------------------------------------------------------------------------------


def test_lines_on_can_with_headers() -> None:
    """Source: ISO 15765-2, the usual example of a 20-byte identification: 10 14, then 21 and 22."""
    lines = ["7E8 10 14 49 02 01 31 44 34", "7E8 21 47 50 30 30 52 35 35", "7E8 22 42 31 32 33 34 35 36"]
    said = read_lines(lines, Bus.NARROW)
    assert said.answers == {0: [bytes.fromhex("4902013144344750303052353542313233343536")]}
    assert read_lines(lines[:2], Bus.NARROW).broken == {0: "the rest of a long answer did not come"}
    assert 0 in read_lines([lines[0], lines[2]], Bus.NARROW).broken
    wide = read_lines(["18DAF11004410C1AF8"], Bus.WIDE)
    assert wide.answers == {0x110: [bytes.fromhex("410C1AF8")]}


def test_lines_of_older_buses_carry_a_checksum() -> None:
    """Source: ISO 14230-2: the sum of all bytes; SAE J1850: CRC-8, whose check value of 1 to 9 is 4B."""
    assert crc8(b"123456789") == 0x4B
    good = bytes.fromhex("486B10410C1AF8")
    line = good + bytes([sum(good) & 0xFF])
    assert read_lines([line.hex()], Bus.SUMMED).answers == {0x210: [bytes.fromhex("410C1AF8")]}
    wrong = line[:-1] + bytes([line[-1] ^ 1])
    assert read_lines([wrong.hex()], Bus.SUMMED).unreadable == 1
    assert read_lines([(good + bytes([crc8(good)])).hex()], Bus.CHECKED).answers.keys() == {0x210}


def test_codes_of_older_buses_are_laid_out_as_on_can() -> None:
    """Source: SAE J1979 on ISO 9141-2: three codes in each message, uncounted, filled with zeros."""
    messages = [bytes.fromhex("43012101220222"), bytes.fromhex("43213500000000")]
    assert as_on_can(messages) == bytes.fromhex("43040121012202222135")
    assert as_on_can([bytes.fromhex("43000000000000")]) == bytes.fromhex("4300")
    parts = [bytes([0x49, 0x02, n + 1]) + b"ABCD" for n in range(3)]
    assert as_on_can(parts) == b"\x49\x02\x01ABCDABCDABCD"


@pytest.mark.parametrize(
    "line",
    [
        "7E8 04410C1AF8",  # some spaces got lost, so others may have
        "7E804410C1AF",
        "7E8 04 41 0C F8 00 00 00",
        "7E8",
        "HELLO",
        "7E80441",
        "7E8 04 41 0C 1A F8 00 00 00 00",
        "7E8 04 41 0C 11A F8 00 00 0",
    ],
)
def test_a_line_that_lost_something_is_no_answer(line: str) -> None:
    said = read_lines([line], Bus.NARROW)
    assert said.answers == {}
    assert said.unreadable == 1


def test_what_the_adapter_says_itself() -> None:
    assert word_in("NO DATA") is Word.NO_DATA
    assert word_in("?") is Word.UNKNOWN
    assert word_in("BUS INIT: ...ERROR") is Word.BUS_INIT
    assert word_in("7E8 03 41 0D 40") is None


# -- a conversation through a good one, a bad one, on every kind of bus --------------------------------


@pytest.mark.parametrize("protocol", ["6", "7", "3", "1"])
@pytest.mark.parametrize(
    "habits",
    [
        {},
        {"echo_stays": True, "spaces_stay": True},
        {"knows_few": True},
        {"byte_lost": 0.002, "seed": 4},
        {"resets": 0.1, "seed": 2},
    ],
)
def test_values_and_codes_through_an_adapter(protocol: str, habits: dict[str, object]) -> None:
    unit = 0x110 if protocol == "7" else 0
    expected = {"6": 0, "7": 0x110}.get(protocol, 0x210)
    with connected(scripted(ENGINE, unit), Habits(protocol=protocol, **habits)) as transport:  # type: ignore[arg-type]
        diagnostics = Diagnostics(transport)
        assert transport.ask(expected, b"\x01\x0d") == bytes.fromhex("410D40")
        found = diagnostics.codes()
        if not found.missing:
            assert {c.code for c in found.codes} == {Code(0x0121), Code(0xC100)}
        assert found.units == (expected,)
        assert not found.surely_none
        assert diagnostics.identity(expected).get("vehicle", "ISLANDDEPOT000006") == "ISLANDDEPOT000006"


def test_a_lost_prompt_is_told_by_its_silence() -> None:
    with connected(scripted(ENGINE), Habits(prompt_lost=0.5, seed=3)) as transport:
        assert transport.ask(0, b"\x01\x0d") == bytes.fromhex("410D40")


def test_a_full_buffer_is_no_whole_answer() -> None:
    table = ENGINE | {"03": "4314" + "".join(f"{n:04X}" for n in range(0x100, 0x114))}
    with connected(scripted(table), Habits(buffer=60)) as transport:
        found = Diagnostics(transport).codes()
    assert not found.surely_none
    assert any("stored codes: the answer is broken" in text for text in found.missing)


def test_busy_pending_and_refused_through_an_adapter() -> None:
    """Source: ISO 14229-1: 21 is asked again, 78 is waited for, 31 is a refusal."""
    asked: list[bytes] = []

    def ask(request: bytes, _to: int | None) -> dict[int, bytes]:
        asked.append(request)
        again = asked.count(request) > 2
        if request == b"\x01\x0d":
            return {0: b"\x41\x0d\x40" if again else b"\x7f\x01\x21"}
        if request == b"\x03":
            return {0: b"\x43\x00" if again else b"\x7f\x03\x78"}
        return {0: b"\x7f" + request[:1] + b"\x31"} if request != b"\x01\x00" else {}

    with connected(ask) as transport:
        assert transport.ask(0, b"\x01\x0d") == b"\x41\x0d\x40"
        assert transport.ask(0, b"\x03") == b"\x43\x00"
        with pytest.raises(Refused, match="out of its range"):
            transport.ask(0, b"\x01\x05")
        assert asked.count(b"\x01\x05") == 1


def test_no_write_through_an_adapter_while_the_engine_runs() -> None:
    sent: list[bytes] = []

    def engine(rpm: str) -> Ask:
        inner = scripted(ENGINE | {"010C": rpm})

        def ask(request: bytes, to: int | None) -> dict[int, bytes]:
            sent.append(request)
            return inner(request, to)

        return ask

    for running in ("410C1AF8", "7F010C21"):
        with connected(engine(running)) as transport, pytest.raises(NotNow):
            Writing(transport).clear_codes(lambda: True)
    assert b"\x04" not in sent
    with connected(engine("410C0000")) as transport:
        assert Writing(transport).clear_codes(lambda: True).done == (0,)
    assert sent.count(b"\x04") == 1


def test_an_adapter_that_is_none_or_dead_is_told() -> None:
    with (
        AdapterServer(scripted({}), Habits(dead=True)) as server,
        pytest.raises(LinkLost, match="answer"),
    ):
        TextTransport(f"tcp:127.0.0.1:{server.port}")
    with pytest.raises(LinkLost, match="can't be opened"):
        TextTransport("serial:/dev/nosuchline")
    with pytest.raises(LinkLost, match="accepted is"):
        TextTransport("serial:/dev/ttyS0@fast")


def test_silence_is_told_with_the_adapters_own_word() -> None:
    with connected(scripted({})) as transport:
        with pytest.raises(NoAnswer):
            transport.ask(0, b"\x01\x0d")
        assert "key on" in transport.silence()


def test_a_long_search_is_stopped() -> None:
    adapter = Adapter(scripted(ENGINE))
    held = threading.Event()

    def slow(request: bytes, to: int | None) -> dict[int, bytes]:
        if request == b"\x01\x0d":
            held.wait(3.0)
        return adapter.ask(request, to)

    with connected(slow) as transport:
        threading.Timer(0.3, transport.stop).start()
        began = time.monotonic()
        with pytest.raises(Stopped):
            transport.ask(0, b"\x01\x0d")
        held.set()
        assert time.monotonic() - began < 2.5
        assert transport.ask(0, b"\x01\x11") == b"\x41\x11\x80"


# -- as a source, over a pseudo-terminal ---------------------------------------------------------------


def test_a_vehicle_through_an_adapter_is_a_source_like_any_other() -> None:
    vehicle = SimulatedVehicle(faults=(read_fault("open-signal2"),))
    vehicle.advance(1.0)
    units: dict[int, EngineUnit | BrakeUnit] = {0: EngineUnit(vehicle), 2: BrakeUnit(vehicle)}
    with AdapterServer(lambda r, to: ask_units(units, r, to), answer_s=0.01) as server:
        source = VehicleSource(f"serial:{server.device}")
        doing: list[str] = []
        source.doing = doing.append
        source.open(Clock())
        blocks = [b for _ in range(4) for b in source.read()]
        codes = source.between(Diagnostics.codes)
        source.read()
        source.close()
    assert {b.channel for b in blocks} >= {"tps1_pct", "tps2_pct"}
    assert source.unit == 0
    assert 1.0 < source.rates_hz["tps1_pct"] < 200.0
    assert doing[0] == "opening the adapter"
    found = codes.result(0)
    assert {str(c.code) for c in found.codes} >= {"P0222-16", "U0401"}  # type: ignore[attr-defined] # CodesRead


def mangled(answers: bytes, noise: random.Random) -> bytes:
    """Bytes lost, doubled, put in or cut off; one kind for each answer, any number of times."""
    data = bytearray(answers)
    what = noise.choice(["lose", "double", "insert", "cut", "prompt"])
    for _ in range(noise.choice([0, 1, 1, 2, 5])):
        at = noise.randrange(len(data) + 1)
        if what == "lose":
            del data[at : at + noise.randrange(1, 4)]
        elif what == "double":
            data[at:at] = data[at : at + 1]
        elif what == "insert":
            data[at:at] = bytes([noise.randrange(256)])
        elif what == "cut":
            del data[at:]
        else:
            data[at:at] = b">"
    return bytes(data)


def test_mangled_lines_give_no_false_value() -> None:
    """A digit that became another can't be told on CAN, where no checksum comes along."""
    noise = random.Random(11)  # noqa: S311 - no secret
    line = b"7E8 04 41 0C 1A F8 00 00 00\r7E8 03 41 0D 40 00 00 00 00\r\r>"
    good = {bytes.fromhex("410C1AF8"), bytes.fromhex("410D40")}
    for _ in range(5000):
        text = mangled(line, noise).decode("ascii", "replace").split(">")[0]
        lines = [x for x in text.split("\r") if x.strip()]
        said = read_lines(lines, Bus.NARROW, frozenset({0}))
        told = {a for answers in said.answers.values() for a in answers}
        assert told <= good, text
