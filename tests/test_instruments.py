"""Instruments: SCPI and IEEE 488.2 by the real library, against the stand-ins."""

import os
import socket
import socketserver
import threading
import time
import tty
from collections.abc import Iterator

import numpy as np
import pytest

from nervus.circuit.signatures import broken, circuit_faults
from nervus.link.errors import Garbled, LinkLost
from nervus.link.hand_entry import HandSource, ReadingUnreadable, volts_of
from nervus.link.instruments import Instrument, MeterSource, SamplerSource, number_of, resource_name
from nervus.link.source import Block, Clock
from nervus.standin.instrument import InstrumentServer
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer


@pytest.fixture
def bench() -> Iterator[InstrumentServer]:
    vehicle = SimulatedVehicle()
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


def test_numbers_as_scpi_writes_them() -> None:
    """Source: IEEE 488.2 NR1, NR2, NR3; SCPI-99 writes an overload as 9.9E37."""
    assert number_of("+5.10000000E-01") == 0.51
    assert number_of("12") == 12.0
    assert number_of("-0.003") == -0.003
    assert number_of("9.90000000E+37") is None
    with pytest.raises(Garbled, match="where a number belongs"):
        number_of("HELLO")


def test_where_an_instrument_is() -> None:
    assert resource_name("10.0.0.5:5025") == "TCPIP::10.0.0.5::5025::SOCKET"
    assert resource_name("ASRL/dev/ttyS0::INSTR") == "ASRL/dev/ttyS0::INSTR"
    for bad in ("", "meter", "host:port"):
        with pytest.raises(LinkLost, match="accepted is"):
            resource_name(bad)
    with pytest.raises(LinkLost, match="no line that a meter reads"):
        MeterSource("127.0.0.1:1", "rpm")


def test_a_refused_port_and_a_silent_instrument_are_told() -> None:
    with socket.create_server(("127.0.0.1", 0)) as silent:
        port = silent.getsockname()[1]
        with pytest.raises(LinkLost, match="does not answer"):
            Instrument(f"127.0.0.1:{port}")
    with pytest.raises(LinkLost):
        Instrument(f"127.0.0.1:{port}")


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
        source = MeterSource(f"127.0.0.1:{server.server_address[1]}", "tps1_v")
        source.open(Clock())
        told = 0
        for _ in range(300):
            try:
                source.read()
            except (Garbled, LinkLost) as wrong:
                told += "instrument" in str(wrong)
        source.close()
        assert told > 280
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
