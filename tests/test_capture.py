"""A recording in progress: nothing that came in is lost, whatever happens."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import pytest

from nervus.cli import main
from nervus.domain.channel import FloatArray
from nervus.domain.errors import OutsideError, RecordingUnusable
from nervus.files import read_recording
from nervus.files.journal import SUFFIX, Journal, left_over, read_journal
from nervus.link.capture import Capture, Trouble
from nervus.link.errors import LinkLost
from nervus.link.source import Block, Clock, one_sample
from nervus.live_commands import seconds_of
from nervus.standin.instrument import InstrumentServer
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer


class Ticking:
    """A source that counts: its value is how many samples it has given; fails when told to."""

    def __init__(self, name: str, channel: str, fail_at: int = -1) -> None:
        self.name, self._channel, self._fail_at = name, channel, fail_at
        self.trouble: Callable[[str], None] = lambda _told: None
        self.count = self.opened = self.closed = 0
        self._clock = Clock()

    def open(self, clock: Clock) -> None:
        self._clock = clock
        self.opened += 1

    def read(self) -> Sequence[Block]:
        time.sleep(0.002)
        if self.count == self._fail_at and self.opened == 1:
            raise LinkLost("The unit is gone.")
        self.count += 1
        return [one_sample(self._channel, self._clock.now(), float(self.count))]

    def close(self) -> None:
        self.closed += 1


class Unreachable(Ticking):
    """A source whose other end is not there."""

    def open(self, clock: Clock) -> None:  # noqa: ARG002 - the interface's
        raise LinkLost("Nothing there.")


def wait_for(so: Callable[[], bool], within_s: float = 10.0) -> None:
    end = time.monotonic() + within_s
    while not so() and time.monotonic() < end:
        time.sleep(0.002)
    assert so()


class FullNow:
    """A keeper on a disk that can be full."""

    def __init__(self) -> None:
        self.full = False
        self.kept: list[float] = []
        self.marks: list[str] = []

    def samples(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:  # noqa: ARG002
        if self.full:
            raise OSError(28, "No space left on device")
        self.kept += list(values)

    def mark(self, time_s: float, text: str) -> None:  # noqa: ARG002
        if self.full:
            raise OSError(28, "No space left on device")
        self.marks.append(text)


def test_a_full_disk_is_told_and_when_there_is_room_it_goes_on(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("nervus.link.capture._DISK_AGAIN_S", 0.05)
    source, keeper = Ticking("one", "tps1_v"), FullNow()
    told: list[Trouble] = []
    capture = Capture([source], keeper, tell=told.append)
    capture.start()
    wait_for(lambda: len(keeper.kept) > 20)
    keeper.full = True
    wait_for(lambda: bool(told))
    before = len(keeper.kept)
    wait_for(lambda: source.count > before + 50)
    keeper.full = False
    wait_for(lambda: len(keeper.kept) > before + 20)
    capture.stop()
    assert [t.source for t in told] == ["disk", "disk"]
    assert "No space left on device" in told[0].text
    assert "make room, and it goes on by itself" in told[0].text
    assert told[1].text.startswith("takes what comes again; ")
    (mark,) = keeper.marks
    assert mark.startswith("the disk took nothing for ")
    missing = source.count - len(keeper.kept)
    assert missing >= 50
    gaps = np.diff(keeper.kept)
    assert gaps.max() == missing + 1  # one gap, and nothing else is lost
    assert sorted(keeper.kept) == keeper.kept


def test_everything_that_came_in_is_in_the_journal(tmp_path: Path) -> None:
    one, two = Ticking("one", "tps1_v"), Ticking("two", "tps2_v")
    journal = Journal(tmp_path / f"r{SUFFIX}")
    capture = Capture([one, two], journal)
    capture.start()
    wait_for(lambda: min(one.count, two.count) > 50)
    capture.mark("shake, plug")
    capture.stop()
    journal.close()
    recording = read_journal(journal.path)
    for source, channel in ((one, recording.get("tps1_v")), (two, recording.get("tps2_v"))):
        assert channel is not None
        assert np.array_equal(channel.values, np.arange(1.0, source.count + 1))
        assert np.all(np.diff(channel.time_s) >= 0)
    assert [m.text for m in recording.marks] == ["shake, plug"]


def test_a_lost_source_leaves_a_marked_gap_and_comes_back(tmp_path: Path) -> None:
    flaky, steady = Ticking("vehicle", "tps1_pct", fail_at=20), Ticking("meter", "vref_v")
    journal = Journal(tmp_path / f"r{SUFFIX}")
    told: list[Trouble] = []
    capture = Capture([flaky, steady], journal, tell=told.append)
    capture.start()
    wait_for(lambda: flaky.opened == 2)
    again = flaky.count
    wait_for(lambda: flaky.count > again + 5)
    capture.stop()
    journal.close()
    recording = read_journal(journal.path)
    assert [m.text.split(":")[0] for m in recording.marks] == ["vehicle lost", "vehicle back"]
    assert [t.source for t in told] == ["vehicle", "vehicle"]
    channel, other = recording.get("tps1_pct"), recording.get("vref_v")
    assert channel is not None
    assert other is not None
    assert np.diff(channel.time_s).max() > 0.8
    assert np.diff(other.time_s).max() < 0.5


def test_a_source_that_can_not_be_reached_stops_the_start() -> None:
    first = Ticking("one", "tps1_v")
    with pytest.raises(LinkLost, match="Nothing there"):
        Capture([first, Unreachable("two", "tps2_v")], None).start()
    assert (first.count, first.opened, first.closed) == (0, 1, 1)


WRITER = """
import sys, time, numpy as np
from pathlib import Path
from nervus.files.journal import Journal
journal = Journal(Path(sys.argv[1]))
began = time.monotonic()
print("ready", flush=True)
while True:
    now = time.monotonic() - began
    times = now + np.arange(100) / 1e4
    journal.samples("tps1_v", times, times)
    journal.samples("tps2_v", times, times)
    print(f"{now:.6f}", flush=True)
    time.sleep(0.01)
"""


@pytest.mark.parametrize("seed", range(8))
def test_a_kill_at_any_instant_loses_less_than_a_second(tmp_path: Path, seed: int) -> None:
    path = tmp_path / f"r{SUFFIX}"
    writer = subprocess.Popen(
        [sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True
    )
    assert writer.stdout is not None
    assert writer.stdout.readline() == "ready\n"
    time.sleep(0.1 + np.random.default_rng(seed).uniform(0.0, 0.3))
    os.kill(writer.pid, signal.SIGKILL)
    told = [line for line in writer.stdout.read().splitlines() if line]
    writer.stdout.close()
    writer.wait()
    recording = read_journal(path)
    kept = min(c.time_s[-1] for c in recording.channels)
    assert float(told[-1]) - kept < 0.1
    assert left_over(tmp_path) == (path,)


@pytest.mark.parametrize("cut", [1, 7, 20, 100])
def test_a_journal_cut_off_or_mangled_gives_what_is_whole(tmp_path: Path, cut: int) -> None:
    journal = Journal(tmp_path / f"r{SUFFIX}")
    for number in range(5):
        journal.samples("tps1_v", np.arange(10.0) + 10 * number, np.ones(10))
    journal.close()
    data = journal.path.read_bytes()
    journal.path.write_bytes(data[:-cut])
    channel = read_journal(journal.path).get("tps1_v")
    assert channel is not None
    assert channel.samples == 40
    broken = bytearray(data)
    broken[len(data) // 2] ^= 0xFF
    journal.path.write_bytes(bytes(broken))
    found = read_journal(journal.path).get("tps1_v")
    assert found is not None
    assert 10 <= found.samples < 50


def test_what_is_no_journal_is_told(tmp_path: Path) -> None:
    path = tmp_path / f"r{SUFFIX}"
    path.write_bytes(b"time_s,tps1_v\n0,1\n")
    with pytest.raises(RecordingUnusable, match="no whole sample"):
        read_journal(path)


@pytest.mark.parametrize(
    ("text", "seconds"), [("60s", 60), ("5 min", 300), ("1,5h", 5400), ("250ms", 0.25), ("9", 9)]
)
def test_times_as_people_write_them(text: str, seconds: float) -> None:
    assert seconds_of(text) == seconds


@pytest.mark.parametrize("text", ["", "long", "0s", "-5s", "99h"])
def test_what_is_no_time_is_told(text: str) -> None:
    with pytest.raises(OutsideError, match="accepted is"):
        seconds_of(text)


def test_the_commands_record_and_read_a_simulated_vehicle(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "r.csv"
    assert main(["record", "--source", "simulated:open-signal2", "--for", "2s", "-o", str(path)]) == 0
    recording = read_recording(path)
    assert {"tps1_pct", "tps2_pct", "rpm"} <= {c.id for c in recording.channels}
    assert recording.duration_s > 1.0
    assert left_over(tmp_path) == ()
    assert main(["codes", "--source", "simulated:open-signal2"]) == 0
    told = capsys.readouterr().out
    assert "P0222-16" in told
    assert "First of all: P0222" in told
    path = tmp_path / "s.csv"
    assert main(["simulate", "--fault", "open-signal2~shake", "--for", "12s", "-o", str(path)]) == 0
    assert {"tps1_v", "tps2_v", "vref_v"} <= {c.id for c in read_recording(path).channels}
    assert main(["simulate", "--fault", "wishful", "--for", "12s", "-o", str(path)]) == 2
    vehicle = SimulatedVehicle()
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock) as bench:
        both = ["--source", f"standin:{server.port}", "--source", f"meter:127.0.0.1:{bench.port}=tps1_v"]
        path = tmp_path / "both.csv"
        assert main(["record", *both, "--for", "3s", "-o", str(path)]) == 0
    assert {"tps1_v", "tps1_pct"} <= {c.id for c in read_recording(path).channels}
    path = tmp_path / "none.csv"
    assert main(["record", "--source", "meter:nowhere=tps1_v", "--for", "2s", "-o", str(path)]) == 2
    assert main(["record", "--source", "standin:1", "--for", "2s", "-o", str(path)]) == 2
    assert main(["record", "--source", "simulated", "--for", "2s", "-o", "/nowhere/r.csv"]) == 2
