"""A kill at a random instant while jobs are recorded, attached, judged and exported: what is lost?

Each round a process of its own begins jobs and records into them, attaches a file, judges it and writes
a bundle, over and over, and tells through a pipe what it has done; it is killed (SIGKILL) at a random
instant. Then the logbook is opened as at the next start. Every recording of which a sample was told
must be in its job, with all but less than a second of what was told; every bundle that is there must
read whole; nothing half done may lie beside it. After that, journals with random flipped bits: all
outside the broken block is read, and the break is told.

    bench/bench_kills.py [--kills 1000] [--flips 100]
"""

import argparse
import os
import random
import select
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtCore import QCoreApplication

from nervus.domain.job import Job, Recorded, of_kind
from nervus.files.bundle import read_bundle
from nervus.files.journal import SUFFIX, Journal, finished, read_journal
from nervus.files.recording_csv import read_recording
from nervus.judge.analyse import analyse
from nervus.link.source import Block, Clock
from nervus.logbook import Logbook
from nervus.standin.demo import case_named
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.opening import WasRead
from nervus.window.live.live_session import LiveSession

_PACE_S = 0.01


class Ticking:
    """A source that tells, through the pipe, each instant that it has handed over before."""

    name = "ticking"

    def __init__(self, tell: Callable[[str], None]) -> None:
        self.trouble: Callable[[str], None] = lambda _told: None
        self._tell, self._clock, self._last = tell, Clock(), -1.0

    def open(self, clock: Clock) -> None:
        """Begin."""
        self._clock = clock

    def read(self) -> list[Block]:
        """Ten samples a hundredth."""
        if self._last >= 0.0:
            self._tell(f"kept {self._last:.6f}")
        self._clock.wait(_PACE_S)
        now = self._clock.now()
        time_s = now - _PACE_S + np.arange(10) * _PACE_S / 10
        self._last = float(time_s[-1])
        return [Block("tps1_v", time_s, np.full(10, 2.5))]

    def close(self) -> None:
        """Nothing is held."""


def until(app: QCoreApplication, done: Callable[[], bool], seconds: float = 5.0) -> None:
    """Let the application go on until something is so."""
    end = time.monotonic() + seconds
    while not done() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.001)


def work(folder: Path, pipe: int, chance: random.Random) -> None:
    """What a person does, without end."""
    app = QCoreApplication([])

    def tell(text: str) -> None:
        os.write(pipe, f"{text}\n".encode())

    part = JobPart(folder / "logbook.db")
    part.start()
    sample = case_named("dead-spot").make()
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415 - beside its only use

    table = folder / f"in-{chance.random():.6f}.csv"
    write_recording(sample, table)

    def one_job() -> None:
        job = part.begin_job(f"vehicle {chance.randrange(1000)}")
        session = LiveSession(lambda: [Ticking(tell)])
        session.start()
        until(app, lambda: session.is_connected)
        begun = part.attaching.begin_recording(job, "bench")
        tell(f"begun {job.id} {begun.recorded_id}")
        session.record(begun.path, begun.owner)
        end = time.monotonic() + chance.uniform(0.02, 0.5)
        until(app, lambda: time.monotonic() > end)
        session.finish()
        tell("ended")
        session.stop()
        part.attaching.finish_recordings(part.job or job)
        recording = read_recording(table)
        channels = tuple(c.id for c in recording.channels)
        kept = part.attaching.keep(job, WasRead(table, "table", recording.duration_s, channels))
        part.attaching.found(kept, analyse(recording))
        until(app, lambda: not part.keeper.waits and len(_recorded(part.job)) == 2)
        tell(f"attached {job.id} {kept}")
        part.attaching.write_bundle(part.job or job, folder / f"{job.id}.zip")
        until(app, (folder / f"{job.id}.zip").is_file)

    while True:
        one_job()


def _recorded(job: Job | None) -> tuple[Recorded, ...]:
    return of_kind(job.entries, Recorded) if job is not None else ()


def one_kill(folder: Path, seed: int) -> list[str]:
    """Fork, let it work, kill it; what it told."""
    chance = random.Random(seed)  # noqa: S311 - no secret
    ours, theirs = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(ours)
        try:
            work(folder, theirs, chance)
        except BaseException:  # noqa: BLE001 - the child's last words
            traceback.print_exc()
        finally:
            os._exit(3)
    os.close(theirs)
    end = time.monotonic() + random.Random(-seed).uniform(0.15, 3.0)  # noqa: S311
    held = b""
    while (left := end - time.monotonic()) > 0.0:
        ready, _, _ = select.select([ours], [], [], left)
        if ready:
            more = os.read(ours, 65536)
            if not more:
                raise SystemExit(f"seed {seed}: the worker ended by itself")
            held += more
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    while more := os.read(ours, 65536):
        held += more
    os.close(ours)
    return held.decode().splitlines()


def understood(told: list[str]) -> tuple[dict[str, tuple[str, float]], dict[str, str]]:
    """Recordings with their job and the last instant that was told, attached files with their job."""
    begun: dict[str, tuple[str, float]] = {}
    attached: dict[str, str] = {}
    now = ""
    for line in told:
        words = line.split()
        if words[0] == "begun":
            now = words[2]
            begun[now] = (words[1], -1.0)
        elif words[0] == "kept" and now:
            begun[now] = (begun[now][0], float(words[1]))
        elif words[0] == "ended":
            now = ""
        elif words[0] == "attached":
            attached[words[2]] = words[1]
    return begun, attached


def check(app: QCoreApplication, folder: Path, told: list[str], counts: Counter[str]) -> float:
    """Open the logbook as at the next start and look for everything that was told; seconds lost."""
    begun, attached = understood(told)
    part = JobPart(folder / "logbook.db")
    part.start()
    listed: list[object] = []
    part.listed.connect(listed.append)
    until(app, lambda: bool(listed))
    until(app, lambda: False, 0.05)
    until(app, lambda: not part.keeper.waits)
    part.keeper.settle()
    part.keeper.close()
    book = Logbook(folder / "logbook.db")
    jobs = {row.id: book.job(row.id) for row in book.jobs()}
    book.close()
    lost = 0.0
    for recorded_id, (job_id, last) in begun.items():
        if last < 0.0:
            continue  # it was killed before a sample was kept
        found = [r for r in _recorded(jobs.get(job_id)) if r.id == recorded_id]
        if not found:
            counts["NOT IN ITS JOB"] += 1
            continue
        counts["recordings found in their job"] += 1
        recording = read_journal(part.files / found[0].file)
        lost = max(lost, last - recording.channels[0].time_s[-1])
    for recorded_id, job_id in attached.items():
        found = [r for r in _recorded(jobs.get(job_id)) if r.id == recorded_id]
        whole = bool(found) and (part.files / found[0].file).is_file()
        counts["attached files found" if whole else "ATTACHED FILE LOST"] += 1
    for path in folder.glob("*.zip"):
        with tempfile.TemporaryDirectory() as into:
            read_bundle(path, Path(into))
        counts["bundles read whole"] += 1
        path.unlink()
    return lost


def flips(rounds: int, folder: Path, counts: Counter[str]) -> None:
    """Journals with flipped bits."""
    chance = random.Random(7)  # noqa: S311 - no secret
    for number in range(rounds):
        path = folder / f"{number}{SUFFIX}"
        journal = Journal(path)
        for block in range(40):
            journal.samples("tps1_v", block + np.arange(25) / 25.0, np.full(25, float(block)))
        journal.close()
        whole = path.read_bytes()
        size = len(whole) // 40
        data = bytearray(whole)
        hit = set()
        for _ in range(chance.randrange(1, 4)):
            at = chance.randrange(len(data))
            data[at] ^= 1 << chance.randrange(8)
            hit.add(min(at // size, 39))
        path.write_bytes(bytes(data))
        recording = read_journal(path)
        told = any("damaged" in mark.text for mark in recording.marks)
        kept = {int(v) for v in np.unique(recording.channels[0].values)}
        missing = set(range(40)) - kept
        counts["flipped journals, all but the broken block read"] += missing <= hit and told
        counts["FLIPPED JOURNALS WITH MORE LOST, OR NOT TOLD"] += not (missing <= hit and told)
        finished(path).unlink()


def main() -> int:
    """Kill, flip, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=1000)
    parser.add_argument("--first", type=int, default=0, help="the first seed")
    parser.add_argument("--flips", type=int, default=100)
    wanted = parser.parse_args()
    counts: Counter[str] = Counter()
    lost = 0.0
    told = []
    with tempfile.TemporaryDirectory() as scratch:
        # Forked before an application is made here: a child makes its own.
        for seed in range(wanted.first, wanted.first + wanted.kills):
            folder = Path(scratch) / str(seed // 25)
            folder.mkdir(exist_ok=True)
            told.append((folder, one_kill(folder, seed)))
        app = QCoreApplication([])
        by_folder: dict[Path, list[str]] = {}
        for folder, lines in told:
            by_folder.setdefault(folder, []).extend(["ended", *lines])
        for folder, lines in by_folder.items():
            lost = max(lost, check(app, folder, lines, counts))
        flips(wanted.flips, Path(scratch), counts)
    print(f"{wanted.kills} kills, at most {lost:.3f} s lost (bar 1 s)")
    for name, count in sorted(counts.items()):
        print(f"  {name}: {count}")
    return int(lost >= 1.0 or any(name.isupper() and count for name, count in counts.items()))


if __name__ == "__main__":
    sys.exit(main())
