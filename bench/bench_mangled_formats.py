"""Ten thousand mangled bundles, tables, code reports, CAN logs and MDF files: one sentence each.

    python bench/mangle_formats.py [--each 10000]

Each is a sound file with bytes changed, cut, doubled or moved from a seed. What is read is fine; what is
refused must be refused by an `OutsideError` of one line, within five seconds, with nothing left behind.
"""

import argparse
import hashlib
import random
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import can
import msgspec
import numpy as np
from asammdf import MDF, Signal

from nervus.domain.errors import OutsideError
from nervus.domain.job import (
    CodeSet,
    Complaint,
    Job,
    JobState,
    Look,
    Moved,
    Reading,
    Recorded,
    Seen,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
)
from nervus.files.bundle import Envelope, read_bundle, write_bundle
from nervus.files.code_report import read_codes_file
from nervus.files.mdf import read_mdf
from nervus.link.can_log import read_can_log
from nervus.link.log_kind import SUFFIXES
from nervus.tables.mapping import problem, propose
from nervus.tables.reader import read_mapped

LONGEST_S = 5.0
_INSERTED = (b"\0\0\0\0", b"\xff\xff\xff\xff", b"9" * 30, b'"', b"\n\n", b"[{")
_REPORT = (
    b"Control unit: engine\nStored codes:\n P0122-16 low status 0x2F\n p 2135 pending\nU0401 permanent\n"
)


def bundle(folder: Path) -> bytes:
    """A job with a recording and codes."""
    content = b"time_s,tps1_v\n" + b"".join(b"%d,0.%d\n" % (n, n % 10) for n in range(40))
    digest = hashlib.sha256(content).hexdigest()
    name = f"{digest[:16]}-r.csv"
    (folder / name).write_bytes(content)
    entries = (
        Recorded(id=new_id(), at=now(), source=Source.FILE, name="r", file=name, digest=digest),
        CodeSet(id=new_id(), at=now(), source=Source.TYPED, codes=(SeenCode(code="P0121"),)),
    )
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now(), entries=entries)
    write_bundle(job, lambda wanted: folder / wanted, folder / "job.zip")
    return (folder / "job.zip").read_bytes()


def traffic(folder: Path, suffix: str) -> bytes:
    """A log of some answers."""
    path = folder / f"sound{suffix}"
    with can.Logger(path) as log:
        for n in range(30):
            data = (
                bytes([3, 0x41, 0x11, n, 0, 0, 0, 0]) if n % 3 else bytes([4, 0x43, 1, 1, 0x21, 0, 0, 0])
            )
            log(can.Message(timestamp=n / 10, arbitration_id=0x7E8, data=data, is_extended_id=False))
    return path.read_bytes()


def mdf(folder: Path) -> bytes:
    """A file with one track."""
    made, path = MDF(version="4.10"), folder / "sound.mf4"
    times = np.arange(0, 1, 0.01)
    made.append([Signal(times, times, name="Throttle position sensor 1", unit="V")])
    made.save(path, overwrite=True)
    made.close()
    return path.read_bytes()


def read_table(path: Path) -> object:
    """Another program's table, as it is proposed."""
    mapping = propose(path).mapping
    return problem(mapping) or read_mapped(path, mapping)


def read_job(path: Path) -> object:
    """A bundle into a folder that is thrown away."""
    with tempfile.TemporaryDirectory() as folder:
        return read_bundle(path, Path(folder))


def packed_job(path: Path) -> object:
    """The bytes as the job of an otherwise sound bundle: the packing's own sums hide nothing."""
    whole = path.with_suffix(".packed")
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("job.json", path.read_bytes())
    try:
        return read_job(whole)
    finally:
        whole.unlink()


def job_text() -> bytes:
    """A job without files, with an entry of each kind that people type."""
    at, source = now(), Source.TYPED
    entries = (
        Complaint(id=new_id(), at=at, source=source, symptoms=("lamp",), words="on the quay"),
        CodeSet(id=new_id(), at=at, source=source, codes=(SeenCode(code="P0121-85", status=47),)),
        Look(id=new_id(), at=at, source=source, item="pins", seen=Seen.BAD, note="white salt"),
        Reading(id=new_id(), at=at, source=source, where="pin 2", value=4.98, unit="V"),
        Moved(id=new_id(), at=at, source=source, state=JobState.WATCHING, due=at.date()),
    )
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=at, entries=entries)
    return msgspec.json.encode(Envelope(format="nervus-job", version=1, written_by="bench", job=job))


def mangled(sound: bytes, chance: random.Random) -> bytes:
    """The same with one to four things done to it."""
    raw = bytearray(sound)
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(raw) + 1)
        match chance.randrange(5):
            case 0:
                raw[at : at + 1] = bytes([chance.randrange(256)])
            case 1:
                del raw[at : at + chance.randint(1, 40)]
            case 2:
                raw[at:at] = raw[: chance.randint(1, 60)]
            case 3:
                raw[at:at] = bytes(
                    chance.choice([b"\0\0\0\0", b"\xff\xff\xff\xff", b"9" * 30, b'"', b"\n\n", b"[{"])
                )
            case _:
                del raw[at:]
    return bytes(raw)


def run(name: str, sound: bytes, suffix: str, read: Callable[[Path], object], each: int) -> bool:
    """Mangle and read; returns whether all went as it must."""
    chance, outcomes, wrong = random.Random(name), Counter[str](), 0  # noqa: S311 - a bench, not a secret
    longest = 0.0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"mangled{suffix}"
        for _ in range(each):
            path.write_bytes(mangled(sound, chance))
            began = time.perf_counter()
            try:
                read(path)
                outcomes["read"] += 1
            except OutsideError as refused:
                outcomes["told in a sentence"] += 1
                wrong += "\n" in str(refused) or not str(refused).endswith(".")
            except Exception as bug:  # noqa: BLE001 - what must not happen is what is looked for
                outcomes[f"{type(bug).__name__}: {str(bug)[:80]}"] += 1
                wrong += 1
            longest = max(longest, time.perf_counter() - began)
        left = [p.name for p in Path(folder).iterdir() if p != path]
    told = ", ".join(f"{count} {what}" for what, count in outcomes.most_common(6))
    print(f"{name}: {told}; longest {longest:.2f} s; left behind: {left or 'nothing'}", flush=True)
    return wrong == 0 and longest < LONGEST_S and not left


def main() -> None:
    """Mangle all formats."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--each", type=int, default=10_000)
    each = parser.parse_args().each
    table = b"Zeit [ms];TPS 1 [mV];TPS 2 [mV]\n" + b"".join(
        b"%d;5%02d,5;44%02d\n" % (n, n, n) for n in range(60)
    )
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        fine = [
            run("bundles", bundle(folder), ".zip", read_job, each),
            run("jobs in bundles", job_text(), ".json", packed_job, each),
            run("tables", table, ".csv", read_table, each),
            run("reports", _REPORT, ".txt", read_codes_file, each),
            *(run(f"logs {s}", traffic(folder, s), s, read_can_log, each // 4) for s in SUFFIXES),
            run("mdf", mdf(folder), ".mf4", read_mdf, each // 10),
        ]
    sys.exit(0 if all(fine) else 1)


if __name__ == "__main__":
    main()
