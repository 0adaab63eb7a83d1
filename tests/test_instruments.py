"""Instruments: SCPI and IEEE 488.2 by the real library, against the stand-ins."""

import os
import select
import socket
import socketserver
import threading
import time
import tty
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from nervus.circuit.signatures import broken, circuit_faults
from nervus.link.capture import Capture
from nervus.link.errors import Garbled, LinkLost
from nervus.link.hand_entry import HandSource, ReadingUnreadable, volts_of
from nervus.link.instruments import Instrument, MeterSetup, MeterSource, SamplerSource
from nervus.link.meter_words import volts_said
from nervus.link.source import Block, Clock
from nervus.link.wires import open_wire
from nervus.standin.instrument import InstrumentServer
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer


@pytest.fixture
def bench() -> Iterator[InstrumentServer]:
    vehicle = SimulatedVehicle()
    vehicle.advance(2.0)  # the plate has come to rest where the control unit wants it
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock) as instruments:
        yield instruments


def test_the_meter_reads_what_is_at_the_pin(bench: InstrumentServer) -> None:
    source = MeterSource(f"127.0.0.1:{bench.port}", "tps1_v")
    source.open(Clock())
    (block,) = source.read()
    source.close()
    assert block.channel == "tps1_v"
    assert block.values[0] == pytest.approx(bench.vehicle.pins()["signal1"], abs=0.05)


def test_the_meter_loads_a_node_that_hangs_on_a_high_resistance() -> None:
    """Thevenin, worked by hand: behind a break of 10 megohms a meter of 10 megohms reads half."""
    vehicle = SimulatedVehicle(faults=(read_fault("open-supply=10000000"),))
    vehicle.driver.unplugged = True
    vehicle.advance(0.01)
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock, "wiper1") as bench:
        sound = vehicle.wiring.volts(vehicle.plate.percent)["wiper1"]
        assert bench.metered_v() < sound
    apart = broken(vehicle.wiring.circuit, circuit_faults(2)[0], 1e7).unplugged()
    free, metered = (c.volts(0.1)["plug_supply"] for c in (apart, apart.metered("plug_supply")))
    assert metered == pytest.approx(free / 2, rel=0.02)


def test_the_sampler_hands_over_every_sample_in_blocks(bench: InstrumentServer) -> None:
    """Source: IEEE 488.2 definite-length blocks, read by the reference library; 10 000 a second."""
    source = SamplerSource(f"127.0.0.1:{bench.port}", ("tps1_v", "tps2_v"))
    source.open(Clock())
    began = time.monotonic()
    blocks: list[Block] = []
    while sum(b.time_s.size for b in blocks) < 6_000 and time.monotonic() - began < 20.0:
        blocks += [b for b in source.read() if b.channel == "tps1_v"]
    lasted = time.monotonic() - began
    source.close()
    time_s = np.concatenate([b.time_s for b in blocks])
    values = np.concatenate([b.values for b in blocks])
    assert np.diff(time_s) == pytest.approx(1e-4, abs=1e-9)
    assert 6_000 <= time_s.size < 10_500 * lasted + 1_000
    assert np.median(values[-100:]) == pytest.approx(bench.vehicle.pins()["signal1"], abs=0.05)


def test_a_sampler_that_ran_over_is_told(bench: InstrumentServer) -> None:
    """Source: SCPI-99 error -363, input buffer overrun."""
    source = SamplerSource(f"127.0.0.1:{bench.port}", ("tps1_v",))
    source.open(Clock())
    source.read()
    with bench.lock:
        bench.vehicle.advance(6.0)
    with pytest.raises(LinkLost, match="ran over"):
        source.read()
    source.close()


@pytest.mark.parametrize(
    ("text", "volts"),
    [
        ("+5.10000000E-01", 0.51), ("12", 12.0), ("-0.003", -0.003), ("4.98 VDC", 4.98),
        ("4,98", 4.98), ("4,98 V", 4.98), ("498.2 mV", 0.4982), ("+0.512E+0 V", 0.512), (".5V", 0.5),
    ],
)  # fmt: skip
def test_numbers_as_meters_write_them(text: str, volts: float) -> None:
    """Source: IEEE 488.2 NR1, NR2, NR3; with a unit or a comma: common practice, no published source."""
    assert volts_said(text).volts == pytest.approx(volts)
    assert volts_said(text).word == ""


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("9.90000000E+37", "overload"), ("-9.9E37", "overload"), ("9.91E37", "not a number"),
        ("OL", "overload"), ("O.L", "overload"), ("OVLD", "overload"), ("+INF", "overload"),
        ("NAN", "not a number"), ("----", "not a number"), ("5000000", "5e+06 V can't be here"),
        ("61 V", "can't be here"),
    ],
)  # fmt: skip
def test_what_is_no_voltage_is_a_word(text: str, word: str) -> None:
    """Source: SCPI-99, volume 1, 7.2.1.4 and 7.2.1.5: infinity is 9.9E37, not a number 9.91E37."""
    assert volts_said(text).volts is None
    assert word in volts_said(text).word


@pytest.mark.parametrize(
    "text", ["HELLO", "4.98,4.97", "1.2.3", "5 kOhm", "4.98 VAC", "", "1 234", "0x1F"]
)
def test_what_is_neither_is_told(text: str) -> None:
    with pytest.raises(Garbled, match="The instrument answered"):
        volts_said(text)


def test_where_an_instrument_is() -> None:
    for bad in ("", "meter", "host:port"):
        with pytest.raises(LinkLost, match="accepted is"):
            open_wire(bad, 9600)
    with pytest.raises(LinkLost, match="no line that a meter reads"):
        MeterSource("127.0.0.1:1", "rpm")
    for visa in ("GPIB0::5::INSTR", "USB0::INSTR", "TCPIP::127.0.0.1::1::INSTRUMENT"):
        with pytest.raises(LinkLost, match=f"{visa} can't be opened; accepted is") as told:
            open_wire(visa, 9600)
        assert "VI_ERROR" not in str(told.value)


def test_a_refused_port_and_a_silent_instrument_are_told_in_our_words() -> None:
    with socket.create_server(("127.0.0.1", 0)) as silent:
        port = silent.getsockname()[1]
        with pytest.raises(LinkLost, match="does not answer"):
            Instrument(f"127.0.0.1:{port}", MeterSetup(wait_s=0.3))
    with pytest.raises(LinkLost, match="can't be opened") as told:
        Instrument(f"127.0.0.1:{port}")
    assert "Errno" not in str(told.value)


class Habit:
    """A meter of the tests' own: answers by a function, over a socket; keeps what it was told."""

    def __init__(self, answer: Callable[[str], bytes], after_s: float = 0.0) -> None:
        self.told: list[str] = []

        class Talk(socketserver.StreamRequestHandler):
            def handle(talk) -> None:  # noqa: N805 - the outer self is wanted
                while line := talk.rfile.readline(4096):
                    text = line.decode().strip()
                    if not text:
                        continue
                    self.told.append(text)
                    if text.endswith("?") and text != "*IDN?":
                        time.sleep(after_s)
                    talk.wfile.write(b"Habit\r" if text == "*IDN?" else answer(text))

        socketserver.ThreadingTCPServer.allow_reuse_address = True
        self._server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Talk)
        self._server.daemon_threads = True
        self.where = f"127.0.0.1:{self._server.server_address[1]}"
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True)

    def __enter__(self) -> "Habit":
        self._thread.start()
        return self

    def __exit__(self, *_wrong: object) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(2.0)


USUAL = MeterSetup()


def readings(habit: Habit, count: int, setup: MeterSetup = USUAL) -> tuple[list[float], list[str]]:
    source, told = MeterSource(habit.where, "tps1_v", setup), list[str]()
    source.trouble = told.append
    source.open(Clock())
    found = [float(b.values[0]) for _ in range(count) for b in source.read()]
    source.close()
    return found, told


def test_a_meter_that_ends_its_lines_with_a_carriage_return_and_takes_three_seconds() -> None:
    with Habit(lambda q: b"4,98 VDC\r" if q == "VAL?" else b"", after_s=3.0) as habit:
        found, _ = readings(habit, 1, MeterSetup(first="", question="VAL?"))
    assert found == [4.98]
    assert habit.told == ["*IDN?", "VAL?"]


def test_two_answers_to_one_question_are_one_reading() -> None:
    numbers = iter(range(1, 100))

    def answer(question: str) -> bytes:
        if not question.endswith("?"):
            return b""
        return f"{next(numbers)}.0\n9.0\n".encode()

    with Habit(answer) as habit:
        found, _ = readings(habit, 3)
    assert found == [1.0, 2.0, 3.0]


def test_an_overload_is_told_once_and_leaves_no_sample() -> None:
    """Source: SCPI-99 writes an overload as 9.9E37."""
    said = iter([b"5.0\n", b"9.9E37\n", b"9.9E37\n", b"HELLO\n", b"5000000\n", b"5.1\n"])
    with Habit(lambda q: next(said) if q.endswith("?") else b"") as habit:
        found, told = readings(habit, 6)
    assert found == [5.0, 5.1]
    assert [t.split(" ")[0] for t in told] == ["overload", "The", "5e+06", "reads"]


def test_an_answer_that_comes_after_reopening_is_not_taken_for_new() -> None:
    """On a serial line what was asked before arrives after it: here a reading before the name."""
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    ended = threading.Event()

    def answer() -> None:
        os.write(ours, b"+9.00000000E+00\n")  # the late one
        held, first = b"", True
        while not ended.is_set():
            ready, _, _ = select.select([ours], [], [], 0.05)
            held += os.read(ours, 256) if ready else b""
            while b"\n" in held:
                line, held = held.split(b"\n", 1)
                if line.startswith(b"*IDN?"):
                    os.write(ours, b"+8.00000000E+00\n" if first else b"Late stand-in\n")
                    first = False
                elif line.startswith(b"READ?"):
                    os.write(ours, b"+5.10000000E-01\n")

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    source = MeterSource(f"ASRL{os.ttyname(theirs)}::INSTR", "tps1_v")
    source.open(Clock())
    (block,) = source.read()
    source.close()
    ended.set()
    thread.join(2.0)
    os.close(ours)
    os.close(theirs)
    assert block.values[0] == pytest.approx(0.51)


def test_what_came_unasked_before_a_block_is_no_part_of_it() -> None:
    """A block as IEEE 488.2 writes it: `#`, how many digits, how many bytes, the bytes."""
    block = b"#14" + np.array([2.5], dtype=">f4").tobytes() + b"\n"
    with Habit(lambda q: block if q == "CURV?" else b"1.0\n9.0\n") as habit:
        instrument = Instrument(habit.where)
        assert instrument.ask("READ?") == "1.0"
        time.sleep(0.2)
        assert instrument.ask_block("CURV?").tolist() == [2.5]
        assert instrument.unasked == 1
        instrument.close()


def test_a_slow_meter_is_left_within_a_second_in_the_middle_of_its_answer() -> None:
    with Habit(lambda q: b"5.0\n" if q.endswith("?") else b"", after_s=4.0) as habit:
        capture = Capture([MeterSource(habit.where, "tps1_v")], None)
        capture.start()
        while "READ?" not in habit.told:
            time.sleep(0.01)
        began = time.monotonic()
        capture.stop()
        assert time.monotonic() - began < 1.0


def test_nonsense_is_told_and_at_last_the_meter_is_given_up() -> None:
    with Habit(lambda q: b"HELLO\n" if q.endswith("?") else b"") as habit:
        source = MeterSource(habit.where, "tps1_v")
        source.open(Clock())
        for _ in range(19):
            assert source.read() == []
        with pytest.raises(LinkLost, match="20 times in a row"):
            source.read()
        source.close()


class Mangler(socketserver.StreamRequestHandler):
    """Answers every line with noise."""

    def handle(self) -> None:
        random = np.random.default_rng(1)
        while line := self.rfile.readline(4096):
            if line.startswith(b"*IDN?"):
                self.wfile.write(b"Mangler\n")
                continue
            if line.startswith(b"CONF"):
                continue
            self.wfile.write(random.bytes(int(random.integers(0, 40))).replace(b"\n", b"") + b"\n")


def test_mangled_answers_are_told_each_in_a_sentence() -> None:
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Mangler) as server:
        server.daemon_threads = True
        thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
        thread.start()
        where = f"127.0.0.1:{server.server_address[1]}"
        source = MeterSource(where, "tps1_v", MeterSetup(wait_s=0.2))
        source.open(Clock())
        told: list[str] = []
        source.trouble = told.append
        read = []
        for _ in range(300):
            try:
                read += [float(b.values[0]) for b in source.read()]
            except LinkLost as wrong:
                assert "in a row" in str(wrong) or "within 0.2 s" in str(wrong)  # noqa: PT017
        source.close()
        assert len(told) > 200
        assert all(abs(v) <= 60.0 for v in read)
        server.shutdown()


@pytest.mark.parametrize(
    ("text", "volts"),
    [(".51", 0.51), ("0,51", 0.51), ("510 mV", 0.51), ("4.5 V", 4.5), ("-0.02", -0.02), ("5", 5.0)],
)
def test_readings_as_people_write_them(text: str, volts: float) -> None:
    assert volts_of(text) == pytest.approx(volts)


@pytest.mark.parametrize("text", ["", "V", "abc", "4.5.1", "5 kV", "900", "4,5,1", "--1"])
def test_what_is_no_reading_is_told(text: str) -> None:
    with pytest.raises(ReadingUnreadable, match="accepted is such as"):
        volts_of(text)


def test_typed_readings_are_a_source_like_any_other() -> None:
    source = HandSource("tps1_v")
    source.open(Clock())
    assert source.read() == ()
    source.enter("510 mV")
    source.enter(",62")
    values = [float(b.values[0]) for _ in range(2) for b in source.read()]
    source.close()
    assert values == [0.51, 0.62]


def test_a_meter_on_a_serial_line_is_read_by_the_same_code() -> None:
    """A pseudo-terminal stands for the cable; the serial and the VISA library are the real ones."""
    ours, theirs = os.openpty()
    tty.setraw(theirs)

    def answer() -> None:
        held = b""
        while True:
            try:
                held += os.read(ours, 256)
            except OSError:
                return  # the line was closed: the test is over
            while b"\n" in held:
                line, held = held.split(b"\n", 1)
                if line.startswith(b"*IDN?"):
                    os.write(ours, b"Serial stand-in\n")
                elif line.startswith(b"READ?"):
                    os.write(ours, b"+5.10000000E-01\n")

    threading.Thread(target=answer, daemon=True).start()
    source = MeterSource(f"ASRL{os.ttyname(theirs)}::INSTR", "tps1_v")
    source.open(Clock())
    (block,) = source.read()
    source.close()
    os.close(ours)
    os.close(theirs)
    assert block.values[0] == pytest.approx(0.51)
