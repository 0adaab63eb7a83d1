"""What every member of a family keeps: sources, transports, formats. The next one is a row here."""

import errno
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, ExitStack, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import can
import numpy as np
import pytest
from asammdf import MDF, Signal

from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.domain.errors import OutsideError, RecordingUnusable, Stopped
from nervus.files.journal import SUFFIX, Journal
from nervus.files.recording_writer import write_recording
from nervus.link.bus_health import BusHealth, cant_open
from nervus.link.buses import open_transport
from nervus.link.capture import Capture, Trouble
from nervus.link.errors import NoAnswer, Refused
from nervus.link.hand_entry import HandSource
from nervus.link.instruments import MeterSetup, MeterSource, SamplerSource
from nervus.link.reading import recording_in
from nervus.link.source import Block, Clock, Source
from nervus.link.transport import Transport
from nervus.link.vehicle_source import VehicleSource
from nervus.standin.instrument import InstrumentServer
from nervus.standin.text_adapter import AdapterServer, Habits
from nervus.standin.unit_answers import BrakeUnit, EngineUnit, ask_units
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer


def held_open() -> int:
    """How many files, sockets and terminals this process holds.

    Event counters are none of these: Qt's idle threads have one each, and end when they like.
    """
    held = 0
    for descriptor in Path("/proc/self/fd").iterdir():
        with suppress(FileNotFoundError):  # the one that lists them is gone by now
            held += str(descriptor.readlink()) != "anon_inode:[eventfd]"
    return held


def settled(look: Callable[[], object], before: object) -> bool:
    """Whether something is as it was before, once the stand-ins' threads have noticed too."""
    end = time.monotonic() + 15.0
    while look() != before and time.monotonic() < end:
        time.sleep(0.01)
    return look() == before


def sentence(wrong: BaseException) -> None:
    """An error is one sentence fit for a technician: no library's words, no number of an error."""
    told = str(wrong)
    assert told.endswith((".", "?")), told
    assert "\n" not in told
    assert not any(word in told for word in ("Errno", "VI_ERROR", "Traceback", "0x", "Exception")), told


@dataclass
class Bench:
    """A simulated vehicle with everything that can be connected to it."""

    bus: str
    instrument: str
    adapter: AdapterServer


@contextmanager
def bench() -> Iterator[Bench]:
    vehicle = SimulatedVehicle()
    units: dict[int, EngineUnit | BrakeUnit] = {0: EngineUnit(vehicle), 2: BrakeUnit(vehicle)}
    with (
        VehicleServer(vehicle, answer_s=0.001) as server,
        InstrumentServer(vehicle, server.lock) as instruments,
        AdapterServer(lambda r, to: ask_units(units, r, to), answer_s=0.002) as adapter,
    ):
        yield Bench(f"standin:{server.port}", f"127.0.0.1:{instruments.port}", adapter)


# -- sources -----------------------------------------------------------------------------------------

MakeSource = Callable[[Bench], Source]
LINES = ("tps1_v", "tps2_v", "vref_v")
QUICK = MeterSetup(wait_s=0.5)


def by_hand(_bench: Bench) -> Source:
    source = HandSource("tps1_v")
    source.open_before = source.open  # type: ignore[attr-defined] # a reading is typed as soon as it is open

    def opened(clock: object) -> None:
        source.open_before(clock)  # type: ignore[attr-defined]
        source.enter(".51")

    source.open = opened  # type: ignore[method-assign]
    return source


SOURCES: dict[str, tuple[MakeSource, MakeSource | None]] = {
    "meter": (
        lambda b: MeterSource(b.instrument, "tps1_v"),
        lambda _b: MeterSource("127.0.0.1:1", "tps1_v", QUICK),
    ),
    "sampler": (
        lambda b: SamplerSource(b.instrument, LINES),
        lambda _b: SamplerSource("127.0.0.1:1", LINES),
    ),
    "vehicle on a bus": (
        lambda b: VehicleSource(b.bus),
        lambda _b: VehicleSource("standin:1"),
    ),
    "vehicle through an adapter": (
        lambda b: VehicleSource(f"tcp:127.0.0.1:{b.adapter.port}"),
        lambda _b: VehicleSource("tcp:127.0.0.1:1"),
    ),
    "readings by hand": (by_hand, None),
}


@pytest.mark.parametrize("name", SOURCES)
def test_a_source_gives_what_it_took_stops_within_a_second_and_leaves_nothing_open(name: str) -> None:
    make, _ = SOURCES[name]
    with bench() as made:
        source = make(made)
        before, threads = held_open(), threading.active_count()
        came: list[Block] = []
        told: list[Trouble] = []
        enough = threading.Event()

        def watch(blocks: object) -> None:
            came.extend(blocks)  # type: ignore[arg-type] # blocks
            enough.set()

        capture = Capture([source], None, watch=watch, tell=told.append)
        capture.start()
        assert enough.wait(10.0)
        began = time.monotonic()
        capture.stop()
        assert time.monotonic() - began < 1.0
        assert settled(held_open, before)
        assert settled(threading.active_count, threads)
    assert told == []
    assert source.name
    for channel in {b.channel for b in came}:
        instants = np.concatenate([b.time_s for b in came if b.channel == channel])
        values = np.concatenate([b.values for b in came if b.channel == channel])
        assert channel in CHANNEL_KINDS
        assert np.all(np.diff(instants) >= 0.0)
        assert np.all(np.isfinite(values))


@pytest.mark.parametrize("name", [name for name, (_, fails) in SOURCES.items() if fails is not None])
def test_a_source_that_is_not_there_fails_in_a_sentence_and_leaves_nothing_open(name: str) -> None:
    _, make = SOURCES[name]
    assert make is not None
    with bench() as made:
        source = make(made)
        before = held_open()
        with pytest.raises(OutsideError) as wrong:
            Capture([source], None).start()
        sentence(wrong.value)
        assert settled(held_open, before)


@pytest.mark.parametrize("name", SOURCES)
def test_a_source_that_fails_in_an_unforeseen_way_is_marked_told_and_tried_again(
    name: str, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    make, _ = SOURCES[name]
    monkeypatch.setattr("nervus.link.capture._RETRY_S", 0.05)
    with bench() as made:
        source = make(made)
        really, failed = source.read, threading.Event()

        def read() -> object:
            if not failed.is_set():
                failed.set()
                raise ZeroDivisionError
            return really()

        source.read = read  # type: ignore[method-assign, assignment]
        told: list[str] = []
        back = threading.Event()

        def tell(trouble: Trouble) -> None:
            told.append(trouble.text)
            if trouble.text == "back":
                back.set()

        capture = Capture([source], None, tell=tell)
        capture.start()
        assert back.wait(10.0)
        capture.stop()
    assert told[0].startswith("lost: stopped by a fault of Nervus' own")
    assert "ZeroDivisionError" in caplog.text
    caplog.clear()


# -- transports --------------------------------------------------------------------------------------

WAYS: dict[str, Callable[[Bench], str]] = {
    "bus": lambda b: b.bus,
    "adapter over TCP": lambda b: f"tcp:127.0.0.1:{b.adapter.port}",
    "adapter on a serial line": lambda b: f"serial:{b.adapter.device}",
}


@contextmanager
def transport_to(way: str) -> Iterator[Transport]:
    with bench() as made:
        before = held_open()
        transport = open_transport(WAYS[way](made))
        try:
            yield transport
        finally:
            transport.close()
        assert settled(held_open, before)


@pytest.mark.parametrize("way", WAYS)
def test_a_transport_tells_what_came_of_every_question(way: str) -> None:
    with transport_to(way) as transport:
        assert transport.ask(0, b"\x01\x0c") == b"\x41\x0c\x00\x00"
        with pytest.raises(Refused) as refused:
            transport.ask(0, b"\x22\xf1\x90")
        sentence(refused.value)
        with pytest.raises(NoAnswer) as silent:
            transport.ask(5, b"\x01\x0c", 0.2)
        sentence(silent.value)
        sentence(OutsideError(transport.silence()))
        all_told = transport.ask_all(b"\x03")
        assert {unit: outcome.is_told for unit, outcome in all_told.items()} == {0: True, 2: True}
        each = transport.ask_each((0, 2, 5), b"\x09\x02", 0.3)
        assert [each[unit].kind.value for unit in (0, 2, 5)] == ["told", "refused", "silent"]
        assert len(each[0].answer) == 20
        with pytest.raises(ValueError, match="one frame"):
            transport.ask_all(bytes(8))


@pytest.mark.parametrize("way", WAYS)
def test_a_question_that_is_stopped_ends_within_a_second_and_the_next_is_answered(way: str) -> None:
    with transport_to(way) as transport:
        threading.Timer(0.1, transport.stop).start()
        began = time.monotonic()
        stopped = False
        while time.monotonic() - began < 3.0 and not stopped:
            try:
                transport.ask_each((5, 6), b"\x01\x0c", 5.0)
            except Stopped:
                stopped = True
        assert stopped
        assert time.monotonic() - began < 2.0
        assert transport.ask(0, b"\x01\x0c") == b"\x41\x0c\x00\x00"


def test_what_is_reached_but_says_nothing_leaves_nothing_open() -> None:
    """A socket that takes a connection and stays silent, as a meter and as an adapter."""
    with socket.create_server(("127.0.0.1", 0)) as silent:
        port = silent.getsockname()[1]
        before = held_open()
        with pytest.raises(OutsideError) as meter:
            MeterSource(f"127.0.0.1:{port}", "tps1_v", MeterSetup(wait_s=0.2)).open(Clock())
        with pytest.raises(OutsideError) as adapter:
            open_transport(f"tcp:127.0.0.1:{port}")
        assert settled(held_open, before)
    for wrong in (meter, adapter):
        sentence(wrong.value)
        assert "answer" in str(wrong.value)


# -- what a bus says of itself -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("number", "says"),
    [
        (errno.ENODEV, "no such interface"),
        (errno.ENETDOWN, "type can bitrate 250000"),
        (errno.EACCES, "no permission"),
        (errno.EAFNOSUPPORT, "no CAN"),
        (errno.ENOENT, "no such device"),
        (errno.ECONNREFUSED, "nobody listens"),
        (errno.EBUSY, "another program holds it"),
        (errno.EIO, "input/output error"),
    ],
)
def test_why_a_bus_can_not_be_opened_is_a_sentence_with_what_to_do(number: int, says: str) -> None:
    """Source: the numbers are the system's own (`errno`); SocketCAN sends them as they are."""
    told = cant_open("socketcan:can0", OSError(number, "[Errno] whatever"), "accepted is such as x")
    sentence(OutsideError(told))
    assert says in told


def test_why_nobody_answers_is_told_by_what_was_heard() -> None:
    """Source: linux/can/error.h: 20 hex is a missing acknowledge, 08 and 80 are errors of the bus."""

    def heard(*frames: tuple[int, bool]) -> str:
        health = BusHealth("socketcan:can0")
        for identifier, error in frames:
            health.heard(
                can.Message(arbitration_id=identifier, is_error_frame=error, is_extended_id=error)
            )
        sentence(OutsideError(health.silence()))
        return health.silence()

    assert "nothing passes" in heard()
    assert "3 frames pass" in heard((0x100, False), (0x200, False), (0x7FF, False))
    assert "acknowledges" in heard((0x20, True))
    assert "bit rate is wrong" in heard((0x88, True), (0x08, True), (0x20, True))
    health = BusHealth("socketcan:can0")
    full = can.CanOperationError("no buffer", error_code=errno.ENOBUFS)
    assert "nobody acknowledges" in health.cant_send(full)
    assert "can0 is down" in health.cant_send(can.CanOperationError("down", error_code=errno.ENETDOWN))
    sentence(OutsideError(health.gone(can.CanOperationError("the other end of the bus is gone"))))


# -- formats of recordings ---------------------------------------------------------------------------

TIMES = np.arange(0.0, 5.0, 0.05)
VOLTS = np.round(0.5 + 4.0 * (1 - np.cos(TIMES)) / 2, 3)
MADE = Recording(
    (
        Channel(CHANNEL_KINDS["tps1_v"], TIMES, VOLTS),
        Channel(CHANNEL_KINDS["rpm"], TIMES[::10], TIMES[::10]),
    ),
    (Mark(1.0, "shake"),),
    "made",
)


def as_journal(path: Path) -> None:
    journal = Journal(path)
    for channel in MADE.channels:
        journal.samples(channel.id, channel.time_s, channel.values)
    journal.mark(1.0, "shake")
    journal.close()


def as_wide(path: Path) -> None:
    rows = [f"{t:.2f},{v}" for t, v in zip(TIMES, VOLTS, strict=True)]
    path.write_text("time_s,tps1_v\n" + "\n".join(rows) + "\n")


def as_another_programs_table(path: Path) -> None:
    rows = [f"{t:.2f};{v}".replace(".", ",") for t, v in zip(TIMES, VOLTS, strict=True)]
    path.write_text("Zeit [s];TPS 1 [V]\n" + "\n".join(rows) + "\n")


def as_mdf(path: Path) -> None:
    with MDF(version="4.10") as file:
        file.append([Signal(VOLTS, TIMES, unit="V", name="tps1_v")])
        file.save(path)


def as_traffic(path: Path) -> None:
    """Source: SAE J1979: value 11 hex is percent of 255."""
    with can.Logger(path) as log:
        for at, volts in zip(TIMES, VOLTS, strict=True):
            data = bytes([3, 0x41, 0x11, int(volts * 50), 0, 0, 0, 0])
            log(
                can.Message(
                    timestamp=100 + at, arbitration_id=0x7E8, data=data, is_extended_id=False, is_rx=True
                )
            )


FORMATS: dict[str, tuple[Callable[[Path], None], str]] = {
    f"r{SUFFIX}": (as_journal, "tps1_v"),
    "long.csv": (lambda path: write_recording(MADE, path), "tps1_v"),
    "wide.csv": (as_wide, "tps1_v"),
    "theirs.csv": (as_another_programs_table, "tps1_v"),
    "r.mf4": (as_mdf, "tps1_v"),
    "traffic.mf4": (as_traffic, "tps1_pct"),
    **{f"r{suffix}": (as_traffic, "tps1_pct") for suffix in (".log", ".asc", ".blf", ".trc")},
}


@pytest.mark.parametrize("name", FORMATS)
def test_a_format_gives_what_it_took_and_leaves_nothing_open(tmp_path: Path, name: str) -> None:
    write, channel = FORMATS[name]
    write(tmp_path / name)
    before = held_open()
    recording = recording_in(tmp_path / name).recording
    assert recording is not None
    track = recording.get(channel)
    assert held_open() == before
    assert track is not None
    assert track.samples == TIMES.size
    assert track.time_s - track.time_s[0] == pytest.approx(TIMES, abs=0.002)
    expected = VOLTS if channel == "tps1_v" else (VOLTS * 50).astype(int) * 100 / 255
    assert track.values == pytest.approx(expected, abs=1e-6)


def emptied(path: Path) -> None:
    path.write_bytes(b"")


def cut_in_its_head(path: Path) -> None:
    path.write_bytes(path.read_bytes()[:7])


def made_noise(path: Path) -> None:
    path.write_bytes(np.random.default_rng(3).bytes(3000))


def taken_away(path: Path) -> None:
    path.unlink()


def made_a_folder(path: Path) -> None:
    path.unlink()
    path.mkdir()


@pytest.mark.parametrize("spoil", [emptied, cut_in_its_head, made_noise, taken_away, made_a_folder])
@pytest.mark.parametrize("name", FORMATS)
def test_a_spoilt_file_of_any_format_is_refused_in_a_sentence(
    tmp_path: Path, name: str, spoil: Callable[[Path], None]
) -> None:
    write, _ = FORMATS[name]
    write(tmp_path / name)
    spoil(tmp_path / name)
    before = held_open()
    with pytest.raises(RecordingUnusable) as wrong:
        recording_in(tmp_path / name)
    sentence(wrong.value)
    assert held_open() == before


def test_an_adapter_with_bad_habits_is_a_transport_like_any_other() -> None:
    with ExitStack() as held:
        vehicle = SimulatedVehicle()
        units: dict[int, EngineUnit | BrakeUnit] = {0: EngineUnit(vehicle)}
        server: AbstractContextManager[AdapterServer] = AdapterServer(
            lambda r, to: ask_units(units, r, to),
            Habits(echo_stays=True, spaces_stay=True, knows_few=True),
        )
        adapter = held.enter_context(server)
        transport = open_transport(f"tcp:127.0.0.1:{adapter.port}")
        held.callback(transport.close)
        assert transport.ask(0, b"\x01\x0c") == b"\x41\x0c\x00\x00"
