"""The live path: frames shown, samples lost, memory, the poll's cost, mangled frames.

    python bench/bench_live.py                    30 seconds live, 20 000 mangled frames
    python bench/bench_live.py --minutes 10       ten minutes live

The simulated vehicle runs in a process of its own; its sampler gives three lines at 10 000 samples a
second (two tracks and the supply). Frames are counted where they are painted, offscreen at 1280x800.
"""

import argparse
import json
import os
import random
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import can
import numpy as np

SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}


def live(seconds: float, scratch: Path) -> None:
    """Connect, record, sweep, shake; count frames and samples."""
    screen = scratch / "screen.json"
    screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
    from PyQt6.QtCore import QEventLoop, QSettings, QTimer  # noqa: PLC0415 - after the screen is set

    from nervus.window.app import NervusApplication  # noqa: PLC0415
    from nervus.window.main_window import MainWindow  # noqa: PLC0415

    application = NervusApplication([])
    settings = QSettings(str(scratch / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue("recordings", str(scratch))
    window = MainWindow(settings, logbook=scratch / "logbook.db")
    window.resize(1280, 800)
    window.show()

    def settle(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    window.connect_simulated("open-signal2~shake")
    while "times a second" not in window.live_panel.state.text():
        settle(50)
    kept: list[Path] = []
    window.live.recorded.disconnect()
    window.live.recorded.connect(kept.append)
    settle(1000)
    frames, drawn = [0], window.live_panel.view.draw

    def draw() -> None:
        frames[0] += 1
        drawn()

    window.live_panel.view.draw = draw  # type: ignore[method-assign] # counted where it is painted
    window.live.toggle_record()
    began, memory = time.monotonic(), []
    while (now := time.monotonic() - began) < seconds:
        window.live_panel.hands.pedal.setValue(int(50 - 50 * np.cos(2 * np.pi * now / 5)))
        window.live.shake(on=now % 10 > 7)
        settle(100)
        if int(now) % 10 == 0:
            memory.append(int(Path("/proc/self/statm").read_text().split()[1]) * 4096 / 1e6)
    lasted = time.monotonic() - began
    window.live.toggle_record()
    window.close()
    application.processEvents()
    print(f"live for {lasted:.0f} s: {frames[0] / lasted:.1f} frames/s (bar 60)")
    tell_kept(kept[0], memory)


def tell_kept(path: Path, memory: list[float]) -> None:
    """What a live run kept, and what it took."""
    from nervus.files.journal import read_journal  # noqa: PLC0415

    recording = read_journal(path)
    track = recording.get("tps1_v")
    assert track is not None  # noqa: S101 - a bench stops where its premise fails
    steps = np.diff(track.time_s)
    lost = int(np.sum(np.round(steps * 1e4) - 1))
    print(f"      {track.samples:,d} samples of each of three lines kept, {lost} missing between them")
    for at in np.flatnonzero(np.round(steps * 1e4) > 1)[:10]:
        told = [m.text for m in recording.marks if abs(m.time_s - track.time_s[at]) < 1.0]
        print(
            f"      {1e3 * steps[at]:.1f} ms without a sample at {track.time_s[at]:.2f} s, told: {told}"
        )
    half = len(memory) // 2
    early, late = statistics.mean(memory[:half] or memory), statistics.mean(memory[half:])
    print(f"      memory in the first half {early:.0f} MB, in the second {late:.0f} MB")


def poll(rounds: int = 300) -> None:
    """Reading values against the bare transport's round trip."""
    from nervus.knowledge import parameters  # noqa: PLC0415
    from nervus.link.can_transport import CanTransport  # noqa: PLC0415
    from nervus.link.diagnostics import Diagnostics  # noqa: PLC0415
    from nervus.link.loopback_bus import LoopbackBus  # noqa: PLC0415
    from nervus.link.source import Clock  # noqa: PLC0415
    from nervus.link.vehicle_source import VehicleSource  # noqa: PLC0415

    process = subprocess.Popen(
        [sys.executable, "-m", "nervus", "stand-in"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert process.stdout is not None  # noqa: S101 - asked for above
    port = int(process.stdout.readline().split()[0].partition(":")[2])
    bus = LoopbackBus(port)
    transport = CanTransport(bus)
    diagnostics = Diagnostics(transport)
    wanted = parameters()[:6]
    request = bytes([0x01, *(p.pid for p in wanted)])
    diagnostics.values(0, wanted)
    bare, ours = [], []
    for _ in range(rounds):
        began = time.perf_counter()
        transport.ask(0, request)
        middle = time.perf_counter()
        diagnostics.values(0, wanted)
        bare.append(middle - began)
        ours.append(time.perf_counter() - middle)
    ratio = statistics.median(ours) / statistics.median(bare)
    print(f"six values: {1e3 * statistics.median(ours):.1f} ms, bare round trip "
          f"{1e3 * statistics.median(bare):.1f} ms, ratio {ratio:.2f} (bar 1.2)")  # fmt: skip
    bus.shutdown()
    source, counts = (
        VehicleSource(f"standin:{port}"),
        dict.fromkeys((p.channel for p in parameters()), 0),
    )
    source.open(Clock())
    told, began = dict(source.rates_hz), time.monotonic()
    while time.monotonic() - began < 15.0:
        for block in source.read():
            counts[block.channel] += 1
    lasted = time.monotonic() - began
    source.close()
    off = max(abs(counts[c] / lasted / rate - 1.0) for c, rate in told.items())
    print(f"rates told and got over {lasted:.0f} s: at most {100 * off:.0f} % apart (bar 10)")
    process.communicate("")


class Noise(can.BusABC):
    """A bus that answers every question with noise, and now and then with the truth."""

    def __init__(self, seed: int) -> None:
        self._random = random.Random(seed)  # noqa: S311 - no secret
        self._waiting: list[bytes] = []
        self.frames = 0
        super().__init__(channel="noise")

    def send(self, msg: can.Message, timeout: float | None = None) -> None:  # noqa: ARG002
        """Answer."""
        if msg.data[0] == 0x02:
            self._waiting += [self._random.randbytes(self._random.randrange(1, 9)) for _ in range(100)]
            self._waiting.append(bytes([0x03, 0x41, msg.data[2], 0x80]))

    def _recv_internal(self, timeout: float | None) -> tuple[can.Message | None, bool]:
        if not self._waiting:
            time.sleep(min(timeout or 0.0, 0.001))
            return None, False
        self.frames += 1
        return can.Message(arbitration_id=0x7E8, data=self._waiting.pop(0), is_extended_id=False), False


def mangled(frames: int) -> None:
    """Noise on the bus: counts what comes of it."""
    from nervus.domain.errors import OutsideError  # noqa: PLC0415
    from nervus.link.can_transport import CanTransport  # noqa: PLC0415

    bus = Noise(7)
    transport = CanTransport(bus)
    good = told = 0
    longest = 0.0
    while bus.frames < frames:
        began = time.perf_counter()
        try:
            good += transport.ask(0, b"\x01\x11", 0.02) == b"\x41\x11\x80"
        except OutsideError:
            told += 1
        longest = max(longest, time.perf_counter() - began)
    bus.shutdown()
    print(f"{bus.frames:,d} mangled frames: {good} true answers, {told} told in a sentence; "
          f"longest question {longest:.2f} s")  # fmt: skip


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=0.5)
    parser.add_argument("--mangled", type=int, default=20_000)
    wanted = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        poll()
        mangled(wanted.mangled)
        live(wanted.minutes * 60.0, Path(folder))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3
    print(f"      peak memory of the whole run {peak:.0f} MB, the recording read back included")


if __name__ == "__main__":
    main()
