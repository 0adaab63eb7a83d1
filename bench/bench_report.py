"""Reports and before-over-after: how long they take, against named references in the same run.

    python bench/bench_report.py [--hours 1.0]

The report is one of 6 pictures and at least 20 pages, made from a job as the window makes it; the
reference is the typesetter itself on as many pages of plain text. Before over after is two recordings at
1 kHz; the reference is opening the second one alone. Medians of 3.
"""

import argparse
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from io import BytesIO
from pathlib import Path
from statistics import median

import numpy as np
import typst
from PIL import Image
from pypdf import PdfReader

from nervus.domain.channel import Recording
from nervus.domain.entry import Source
from nervus.domain.job import Change, Job, Look, Recorded, Seen, new_id, new_vehicle
from nervus.domain.profile import ThrottleKind
from nervus.files.recording_writer import write_recording
from nervus.link.reading import kept_recording
from nervus.report.document import Audience
from nervus.report.pdf import to_pdf
from nervus.report.written import make_report
from nervus.standin.capture import OPPOSITE, Sampler, simulate
from nervus.standin.demo import CASES
from nervus.standin.motion import pedal_sweeps
from nervus.window.jobs.comparing import Beside
from nervus.window.jobs.opening import KeptFile, open_kept

_TIMES, _PICTURES, _PAGES, _LOOKS = 3, 6, 20, 340
# The second process is started when the station Prove comes up; so long one takes to choose there.
_READY_S = 4.0
_BEGAN = datetime(2026, 3, 2, 8, 0, tzinfo=UTC)


def timed(what: Callable[[], object]) -> float:
    """The median of some runs, in seconds."""
    took = []
    for _ in range(_TIMES):
        began = time.perf_counter()
        what()
        took.append(time.perf_counter() - began)
    return median(took)


def long_job(folder: Path) -> Job:
    """A job whose report for the file has 6 pictures and at least 20 pages."""
    photo = BytesIO()
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (1500, 2000, 3), dtype=np.uint8)).save(
        photo, "JPEG"
    )
    name = f"{'0' * 16}-photo.jpg"
    (folder / name).write_bytes(photo.getvalue())
    entries: list[Change | Look | Recorded] = []
    for number, case in enumerate(CASES[:2]):
        file = f"{number:016x}-r.csv"
        write_recording(case.make(), folder / file)
        entries.append(
            Recorded(
                id=new_id(), at=_BEGAN + timedelta(hours=number), source=Source.FILE, name=case.title,
                file=file, digest="1" * 64, duration_s=50.0, channels=("tps1_v",),
            )
        )  # fmt: skip
    entries.append(
        Change(id=new_id(), at=_BEGAN + timedelta(minutes=30), source=Source.SEEN, done="sensor renewed")
    )
    entries += [
        Look(
            id=new_id(), at=_BEGAN + timedelta(minutes=n), source=Source.SEEN, item="pins",
            seen=Seen.BAD, note="green at the second pin, wiped, looked at again",
            photos=(name,) if n < 2 else (),
        )
        for n in range(_LOOKS)
    ]  # fmt: skip
    entries.sort(key=lambda e: e.at)
    vehicle = new_vehicle("No 6", "nine-seat bus", ThrottleKind.CABLE)
    return Job(id=new_id(), vehicle=vehicle, opened=_BEGAN, entries=tuple(entries))


def bench_report(folder: Path) -> None:
    """The report, from the job to the bytes of its PDF."""
    job = long_job(folder)

    def make() -> bytes:
        return to_pdf(make_report(job, lambda name: folder / name, kept_recording, Audience.FILE))

    pages = PdfReader(BytesIO(make()))
    count, pictures = len(pages.pages), _pictures(pages)
    plain = folder / "plain.typ"
    plain.write_text("\n#pagebreak()\n".join("plain words " * 400 for _ in range(count)))
    reference = timed(lambda: typst.compile(str(plain)))
    took = timed(make)
    print(
        f"report of {count} pages (at least {_PAGES}) and {pictures} pictures (at least {_PICTURES}): "
        f"{took:.2f} s (bar 3), {took / reference:.1f} x {count} plain pages by the typesetter alone"
    )


def _pictures(reader: PdfReader) -> int:
    """Figures in the document's structure: drawings are vectors, and no images in the file."""
    root = reader.trailer["/Root"]
    found, left = 0, [root.get_object().get("/StructTreeRoot")]  # type: ignore[union-attr] # a dictionary
    while left:
        node = getattr(left.pop(), "get_object", lambda: None)()
        if isinstance(node, list):
            left += node
        elif isinstance(node, dict):
            found += node.get("/S") == "/Figure"
            left.append(node.get("/K"))
    return found


def bench_compare(folder: Path, hours: float) -> None:
    """Two long recordings against each other, against opening the second alone."""
    paths = []
    for number, (sensor, sweeps) in enumerate(((OPPOSITE, pedal_sweeps), (OPPOSITE, pedal_sweeps))):
        strokes = sweeps(int(hours * 3600 / 3.4), np.random.default_rng(number))
        made: Recording = simulate(sensor, strokes, Sampler(rate_hz=1000.0), seed=number).recording
        paths.append(folder / f"long-{number}.csv")
        write_recording(made, paths[-1])
    alone = timed(lambda: open_kept(KeptFile(paths[1], "after"), lambda _doing, _share: None))
    beside = Beside()
    beside.make_ready(*paths)
    time.sleep(_READY_S)
    both = timed(lambda: beside.open_both(KeptFile(paths[0], "before"), KeptFile(paths[1], "after")))
    beside.close()
    print(
        f"before over after, {hours:g} h at 1 kHz each: {both:.1f} s, "
        f"{both / alone:.2f} x opening the second alone ({alone:.1f} s) (bar 1.5)"
    )


def main() -> None:
    """Print both lines."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--hours", type=float, default=1.0)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        bench_report(Path(name))
        bench_compare(Path(name), arguments.hours)


if __name__ == "__main__":
    main()
