"""Formats of others, written by their reference libraries and read back here; mappings; broken files."""

from pathlib import Path

import can
import numpy as np
import pytest
from asammdf import MDF, Signal

from nervus.codes.notation import read_code
from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import RecordingUnusable
from nervus.domain.job import CodeState
from nervus.link.can_log import read_can_log
from nervus.link.can_transport import CanTransport
from nervus.link.diagnostics import Diagnostics
from nervus.link.log_kind import SUFFIXES
from nervus.link.loopback_bus import LoopbackBus
from nervus.link.reading import read_any, recording_in
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer
from nervus.tables.mapping import CLOCK, Column, problem, propose
from nervus.tables.reader import read_mapped

TIMES = np.arange(0.0, 5.0, 0.01)
VOLTS = 0.5 + 4.0 * (1 - np.cos(TIMES)) / 2


def frame(number: int, text: str, at: float) -> can.Message:
    return can.Message(
        timestamp=at, arbitration_id=number, data=bytes.fromhex(text), is_extended_id=False, is_rx=True
    )


def conversation() -> list[can.Message]:
    """Source: worked by hand from SAE J1979 and ISO 15765-2: value 11 hex is percent of 255, 0C is a
    quarter 1/min; 43 counts its codes; 59 02 tells three bytes and a status for each.
    """
    return [
        frame(0x7DF, "02010C0000000000", 100.00), frame(0x7E8, "04410C1AF8000000", 100.01),
        frame(0x7E0, "0201110000000000", 100.10), frame(0x7E8, "0341118000000000", 100.11),
        frame(0x7E0, "0201110000000000", 100.20), frame(0x7E8, "034111FF00000000", 100.21),
        frame(0x7DF, "0103000000000000", 100.30), frame(0x7E8, "0443010222000000", 100.31),
        frame(0x7DF, "0107000000000000", 100.40), frame(0x7EA, "044701C401000000", 100.41),
        frame(0x7E0, "031902FF00000000", 100.50),
        frame(0x7E8, "100B5902FF022216", 100.51), frame(0x7E0, "3000000000000000", 100.52),
        frame(0x7E8, "212F21350060AAAA", 100.53),
        frame(0x123, "0011223344556677", 100.60),
    ]  # fmt: skip


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_a_log_of_can_traffic_becomes_channels_and_codes(tmp_path: Path, suffix: str) -> None:
    """Source: the log is written by the reference library for such files."""
    path = tmp_path / f"road{suffix}"
    with can.Logger(path) as log:
        for message in conversation():
            log(message)
    heard = read_can_log(path)
    assert heard.recording is not None
    assert heard.recording.get("rpm").values == pytest.approx([1726.0])  # type: ignore[union-attr]
    throttle = next(c for c in heard.recording.channels if c.id != "rpm")
    assert throttle.values == pytest.approx([50.196, 100.0], abs=0.001)
    assert throttle.time_s == pytest.approx([0.10, 0.20], abs=0.002)
    codes = {(c.module, c.code): (set(c.states), c.status) for c in heard.codes}
    assert codes == {
        ("control unit 0", "P0222-16"): ({CodeState.STORED, CodeState.PENDING}, 0x2F),
        ("control unit 0", "P2135-00"): (set(), 0x60),
        ("control unit 2", "U0401"): ({CodeState.PENDING}, None),
    }
    assert heard.garbled == 0
    assert heard.remarks == (), "it is whole"


def test_a_code_without_its_failure_type_is_the_one_that_was_told_with_it(tmp_path: Path) -> None:
    """Source: ISO 14229-1, 19 02, tells a failure type; SAE J1979, service 03, does not: one code."""
    path = tmp_path / "x.log"
    with can.Logger(path) as log:
        for message in (*conversation()[10:14], *conversation()[6:8]):
            log(message)
    heard = {c.code: set(c.states) for c in read_can_log(path).codes}
    assert heard == {"P0222-16": {CodeState.STORED, CodeState.PENDING}, "P2135-00": set()}


def test_answers_of_29_bits_and_a_flood_of_other_frames_are_told_apart(tmp_path: Path) -> None:
    """Source: ISO 15765-4: unit 10 answers on 18DAF110; SAE J1979: 1A F8 is 1726/min."""
    path = tmp_path / "wide.log"
    told = [
        (0x18DAF110, "04410C1AF8000000"),
        (0x18DAF118, "044301022200AAAA"),
        (0x18DB33F1, "02010C0000000000"),
    ]
    with can.Logger(path) as log:
        for number, (identifier, text) in enumerate(told):
            log(
                can.Message(
                    timestamp=100.0 + number, arbitration_id=identifier, data=bytes.fromhex(text)
                )
            )
            log(can.Message(timestamp=100.5 + number, arbitration_id=0x7E8, is_remote_frame=True, dlc=8,
                            is_extended_id=False))  # fmt: skip
    heard = read_can_log(path)
    assert heard.recording is not None
    assert heard.recording.get("rpm").values == pytest.approx([1726.0])  # type: ignore[union-attr]
    assert [(c.module, c.code) for c in heard.codes] == [("control unit 18 (29 bit)", "P0222")]
    assert heard.frames == 6


class WrittenDown(LoopbackBus):
    """Writes down all that it hears."""

    def __init__(self, port: int, log: can.Listener) -> None:
        self._log = log
        super().__init__(port)

    def _recv_internal(self, timeout: float | None) -> tuple[can.Message | None, bool]:
        heard, filtered = super()._recv_internal(timeout)
        if heard is not None:
            self._log(heard)
        return heard, filtered


def test_a_live_conversation_written_down_tells_what_was_told_live(tmp_path: Path) -> None:
    vehicle = SimulatedVehicle(faults=(read_fault("open-signal2"),))
    vehicle.advance(1.0)
    path = tmp_path / "live.log"
    with VehicleServer(vehicle, answer_s=0.001) as server, can.Logger(path) as log:
        bus = WrittenDown(server.port, log)
        live = Diagnostics(CanTransport(bus)).codes().codes
        bus.shutdown()
    heard = read_can_log(path).codes
    assert {read_code(c.code) for c in heard} == {c.code for c in live}
    states = {read_code(c.code): set(c.states) for c in heard}
    for read in live:
        assert set(read.kinds) <= {s.value for s in states[read.code]}


def test_what_is_no_such_log_is_told_in_a_sentence(tmp_path: Path) -> None:
    for name, content in (
        ("a.log", b"not a log at all\n"), ("b.asc", b"\x00\x01" * 500),
        ("c.blf", b"LOGG" + b"\xff" * 400), ("d.trc", b""), ("e.log", b"(1.0) can0 123#0011\n"),
    ):  # fmt: skip
        (tmp_path / name).write_bytes(content)
        with pytest.raises(RecordingUnusable, match=r"accepted is traffic"):
            read_can_log(tmp_path / name)
    only_codes = tmp_path / "codes.log"
    with can.Logger(only_codes) as log:
        for message in conversation()[6:8]:
            log(message)
    assert [c.code for c in read_any(only_codes).codes] == ["P0222"]
    with pytest.raises(RecordingUnusable, match="tells P0222 but no value"):
        recording_in(only_codes)


@pytest.mark.parametrize("version", ["3.30", "4.10"])
def test_mdf_by_the_reference_library(tmp_path: Path, version: str) -> None:
    """Source: ASAM MDF as the reference library writes it; units become ours."""
    mdf = MDF(version=version)
    slow = TIMES[::10]
    mdf.append([
        Signal(VOLTS * 1000, TIMES + 7, name="Throttle position sensor 1", unit="mV"),
        Signal((5 - VOLTS).astype("f4"), TIMES + 7, name="Throttle position sensor 2", unit="V"),
    ])  # fmt: skip
    mdf.append([Signal(slow * 0 + 0.4, slow + 7, name="Manifold pressure", unit="bar")])
    mdf.append([Signal(slow, slow + 7, name="Outside light", unit="lx")])
    path = tmp_path / f"drive.m{'f4' if version[0] == '4' else 'df'}"
    mdf.save(path, overwrite=True)
    mdf.close()
    recording = recording_in(path).recording
    assert recording is not None
    assert {c.id for c in recording.known().channels} == {"tps1_v", "tps2_v", "map_kpa"}
    track = recording.get("tps1_v")
    assert track is not None
    assert track.time_s == pytest.approx(TIMES)
    assert track.values == pytest.approx(VOLTS)
    assert recording.get("map_kpa").values[0] == pytest.approx(40.0)  # type: ignore[union-attr]
    raw = path.read_bytes()
    for cut in (70, 200, len(raw) // 2):
        path.write_bytes(raw[:cut])
        with pytest.raises(RecordingUnusable, match="MDF"):
            recording_in(path)


DIALECTS = {
    "semicolon-comma": """Zeit [ms];TPS 1 [mV];TPS 2 [mV]
0;500,0;4500,0
10;512,5;4487,5
20;525;4475
""",
    "preamble-units": """Some program
Date,today

Time,Throttle Sensor A,Throttle Sensor B
s,V,V
5.00,0.5,4.5
5.01,0.5125,4.4875
5.02,0.525,4.475
""",
    "tabs-clock": """clock\tTP sensor 1 (V)\tTP sensor 2 (V)
23:59:59.990\t0.5\t4.5
00:00:00.000\t0.5125\t4.4875
00:00:00.010\t0.525\t4.475
""",
    "dated": """Timestamp,tps1_v,tps2_v
2031-05-04 10:00:00.000,0.5,4.5
2031-05-04 10:00:00.010,0.5125,4.4875
2031-05-04 10:00:00.020,0.525,4.475
""",
    "utf-16": """time (s);track 1 (V);track 2 (V)
0;0,5;4,5
0,01;0,5125;4,4875
0,02;0,525;4,475
""",
}
VALUES = ([0.5, 0.5125, 0.525], [4.5, 4.4875, 4.475])


@pytest.mark.parametrize("dialect", DIALECTS)
def test_any_dialect_is_proposed_and_read(tmp_path: Path, dialect: str) -> None:
    path = tmp_path / "theirs.csv"
    path.write_text(DIALECTS[dialect], encoding=dialect if dialect.startswith("utf") else "utf-8")
    proposal = propose(path)
    assert problem(proposal.mapping) == ""
    recording = read_mapped(path, proposal.mapping)
    assert [c.id for c in recording.channels] == ["tps1_v", "tps2_v"]
    for channel, values in zip(
        recording.channels, ([0.5, 0.5125, 0.525], [4.5, 4.4875, 4.475]), strict=True
    ):
        assert channel.values == pytest.approx(values)
        assert channel.time_s == pytest.approx([0.0, 0.01, 0.02])


def test_a_mapping_that_is_wrong_says_why_and_a_rate_stands_for_the_time(tmp_path: Path) -> None:
    path = tmp_path / "bare.csv"
    path.write_text("1.0;0.5\n2.0;0.6\n3.0;x\n")
    mapping = propose(path).mapping
    assert problem(mapping).startswith("No column is a channel")
    from msgspec.structs import replace

    first = Column("column 1", "V", "tps1_v")
    rated = replace(mapping, columns=(first, Column("column 2", "bar", "tps2_v")), rate_hz=50.0)
    assert problem(rated) == "“column 2” is in bar, which does not become V."
    twice = replace(rated, columns=(first, first))
    assert problem(twice) == "Two columns are track 1."
    alone = replace(rated, columns=(first, Column("column 2", "", "-")))
    assert read_mapped(path, alone).channels[0].time_s == pytest.approx([0.0, 0.02, 0.04])
    both = replace(rated, columns=(first, Column("column 2", "V", "tps2_v")))
    with pytest.raises(RecordingUnusable, match="line 3, column column 2: “x” is no number"):
        read_mapped(path, both)
    backwards = replace(rated, columns=(Column("t", "s", "time_s"), Column("c", "V", "tps1_v")))
    path.write_text("1.0;0.5\n0.5;0.6\n")
    with pytest.raises(RecordingUnusable, match="line 2: the time runs backwards"):
        read_mapped(path, backwards)
    assert CLOCK not in {c.unit for c in mapping.columns}


@pytest.mark.parametrize(
    ("value", "unit", "channel", "wanted"),
    [(1.0, "bar", "map_kpa", 100.0), (14.5037738, "psi", "map_kpa", 100.0),
     (29.53, "inHg", "map_kpa", 100.0), (3.6, "kg/h", "maf_gs", 1.0),
     (212.0, "°F", "ect_c", 100.0), (32.0, "°F", "ect_c", 0.0)],
)  # fmt: skip
def test_units_against_their_definitions(
    tmp_path: Path, value: float, unit: str, channel: str, wanted: float
) -> None:
    """Source: NIST SP 811, appendix B (pound-force per square inch, inch of mercury, Fahrenheit)."""
    path = tmp_path / "one.csv"
    path.write_text(f"time;x [{unit}]\n0;{value}\n1;{value}\n")
    from msgspec.structs import replace

    mapping = propose(path).mapping
    columns = (mapping.columns[0], replace(mapping.columns[1], channel=channel))
    recording = read_mapped(path, replace(mapping, columns=columns))
    assert recording.channels[0].kind is CHANNEL_KINDS[channel]
    assert recording.channels[0].values == pytest.approx([wanted] * 2, abs=0.01)


def test_what_is_no_table_is_told(tmp_path: Path) -> None:
    for content in (b"", b"\x00\x01\x02", b"only prose, and no numbers in it\nat all, really\n"):
        path = tmp_path / "x.csv"
        path.write_bytes(content)
        with pytest.raises(RecordingUnusable, match=r"x\.csv: .*; accepted is text in columns"):
            propose(path)
