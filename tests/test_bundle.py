"""The bundle of a job: a round trip loses nothing, its schema is published, traps are refused."""

import hashlib
import io
import json
import zipfile
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import jsonschema
import msgspec
import numpy as np
import pytest
from asammdf import MDF, Signal
from hypothesis import given, settings
from hypothesis import strategies as st

from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    Complaint,
    Decision,
    Findings,
    Job,
    JobState,
    Look,
    Moved,
    Reading,
    Recorded,
    Seen,
    SeenCode,
    Source,
    Vehicle,
    new_id,
    new_vehicle,
    now,
)
from nervus.files import read_recording
from nervus.files.bundle import BundleUnusable, bundle_schema, read_bundle, write_bundle
from nervus.link.reading import kept_recording

PUBLISHED = Path(__file__).parents[1] / "docs" / "job-bundle.schema.json"
_IDS = st.integers(0, 2**64 - 1).map(lambda n: f"{n:016x}")
_WORDS = st.text(max_size=60)
_AT = st.datetimes(datetime(2000, 1, 1), datetime(2090, 1, 1)).map(lambda d: d.replace(tzinfo=UTC))
_CHANCE = st.floats(0, 1)


def _entry(kind: type[Any], **fields: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    return st.builds(kind, id=_IDS, at=_AT, source=st.sampled_from(Source), **fields)


_SEEN_CODE = st.builds(
    SeenCode,
    code=st.sampled_from(["P0121", "U0401-81"]),
    status=st.none() | st.integers(0, 255),
    frame=st.dictionaries(_WORDS, st.floats(allow_nan=False, allow_infinity=False), max_size=2),
    says=_WORDS,
)
_ENTRIES: st.SearchStrategy[AnyEntry] = st.one_of(
    _entry(Complaint, symptoms=st.lists(_WORDS, max_size=3).map(tuple), words=_WORDS),
    _entry(CodeSet, codes=st.lists(_SEEN_CODE, max_size=3).map(tuple)),
    _entry(Look, item=_WORDS, seen=st.sampled_from(Seen), note=_WORDS),
    _entry(Reading, where=_WORDS, value=st.floats(-1e6, 1e6), unit=st.just("V")),
    _entry(Findings, recording=_IDS, headline=_WORDS, tracks=st.just({1: 0.25, 2: 0.75})),
    _entry(Change, done=_WORDS),
    _entry(Decision, words=_WORDS, suspects=st.dictionaries(_WORDS, _CHANCE, max_size=3)),
    _entry(Moved, state=st.sampled_from(JobState), due=st.none() | st.dates(date(2000, 1, 1))),
)
_JOBS = st.builds(
    Job,
    id=_IDS,
    vehicle=st.builds(Vehicle, id=_IDS, name=_WORDS, description=_WORDS),
    opened=_AT,
    entries=st.lists(_ENTRIES, max_size=6, unique_by=lambda e: e.id).map(tuple),
)


def nowhere(name: str) -> Path:
    raise AssertionError(name)


@settings(max_examples=80, deadline=None)
@given(_JOBS)
def test_a_round_trip_loses_nothing_and_fits_the_published_schema(
    tmp_path_factory: pytest.TempPathFactory, job: Job
) -> None:
    """Source: the schema is read by the reference validator of JSON Schema."""
    folder = tmp_path_factory.mktemp("bundle")
    write_bundle(job, nowhere, folder / "j.zip")
    assert read_bundle(folder / "j.zip", folder) == job
    with zipfile.ZipFile(folder / "j.zip") as bundle:
        told = json.loads(bundle.read("job.json"))
    jsonschema.validate(told, json.loads(PUBLISHED.read_text()), cls=jsonschema.Draft202012Validator)


def test_the_published_schema_is_the_programs_and_refuses_what_it_refuses() -> None:
    published = json.loads(PUBLISHED.read_text())
    assert published == bundle_schema()
    jsonschema.Draft202012Validator.check_schema(published)
    job = json.loads(msgspec.json.encode(Job(id=new_id(), vehicle=new_vehicle("v"), opened=now())))
    told = {"format": "nervus-job", "version": 1, "written_by": "x", "job": job}
    jsonschema.validate(told, published)
    for wrong in ({**told, "version": 3}, {**told, "more": 1}, {**told, "job": {**job, "id": "../x"}}):
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(wrong, published)


def with_files(folder: Path) -> tuple[Job, dict[str, bytes]]:
    contents = {"r.csv": b"time_s,tps1_v\n0,0.5\n1,4.5\n", "p.png": b"\x89PNG picture"}
    names = {n: f"{hashlib.sha256(c).hexdigest()[:16]}-{n}" for n, c in contents.items()}
    for name, content in contents.items():
        (folder / names[name]).write_bytes(content)
    recorded = Recorded(
        id=new_id(), at=now(), source=Source.FILE, name="r.csv", file=names["r.csv"],
        digest=hashlib.sha256(contents["r.csv"]).hexdigest(),
    )  # fmt: skip
    seen = Look(
        id=new_id(), at=now(), source=Source.SEEN, item="pins", seen=Seen.BAD, photos=(names["p.png"],)
    )
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now(), entries=(recorded, seen))
    return job, {names[n]: c for n, c in contents.items()}


def test_recordings_and_photos_travel_with_it(tmp_path: Path) -> None:
    (tmp_path / "kept").mkdir()
    (tmp_path / "out").mkdir()
    job, files = with_files(tmp_path / "kept")
    write_bundle(job, lambda name: tmp_path / "kept" / name, tmp_path / "j.zip")
    assert read_bundle(tmp_path / "j.zip", tmp_path / "out") == job
    for name, content in files.items():
        assert (tmp_path / "out" / name).read_bytes() == content
    next(iter((tmp_path / "kept").iterdir())).unlink()
    with pytest.raises(BundleUnusable, match="no bundle was written"):
        write_bundle(job, lambda name: tmp_path / "kept" / name, tmp_path / "k.zip")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["j.zip", "kept", "out"]


def packed(entries: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    raw = io.BytesIO()
    with zipfile.ZipFile(raw, "w", method) as bundle:
        for name, content in entries.items():
            bundle.writestr(name, content)
    return raw.getvalue()


def job_text(**changed: object) -> bytes:
    job = json.loads(msgspec.json.encode(Job(id="1" * 16, vehicle=new_vehicle("v"), opened=now())))
    told = {"format": "nervus-job", "version": 1, "written_by": "x", "job": job, **changed}
    return json.dumps(told).encode()


def twice() -> bytes:
    entry = {
        "kind": "change",
        "id": "2" * 16,
        "at": "2031-01-01T00:00:00Z",
        "source": "typed",
        "done": "x",
    }
    job = {"id": "1" * 16, "vehicle": {"id": "1" * 16, "name": "v"}, "opened": "2031-01-01T00:00:00Z"}
    return job_text(job={**job, "entries": [entry, entry]})


def missing_file() -> bytes:
    file = "0" * 16 + "-r.csv"
    entry = {"kind": "recording", "id": "2" * 16, "at": "2031-01-01T00:00:00Z", "source": "typed"}
    entry |= {"name": "r", "file": file, "digest": "0" * 64}
    job = {"id": "1" * 16, "vehicle": {"id": "1" * 16, "name": "v"}, "opened": "2031-01-01T00:00:00Z"}
    return job_text(job={**job, "entries": [entry]})


FILE = "files/" + "0" * 16 + "-r.csv"
TRAPS = {
    "no zip": (b"PK no zip at all", "no bundle, or was cut off"),
    "empty": (packed({}), "there is no job.json"),
    "path escape": (packed({"job.json": job_text(), "../../evil": b"x"}), "has no place"),
    "absolute": (packed({"job.json": job_text(), "/etc/x": b"x"}), "has no place"),
    "bomb": (packed({"job.json": job_text(), FILE: b"0" * (64 << 20)}), "size that no recording has"),
    "newer": (
        packed({"job.json": job_text(version=3, more=3)}),
        "by a newer Nervus",
    ),
    "no json": (packed({"job.json": b"{"}), "job.json is no job"),
    "nested": (packed({"job.json": b"[" * 200_000}), "job.json is no job"),
    "wrong type": (packed({"job.json": job_text(job=7)}), r"Expected object, got int - at \$.job"),
    "unknown field": (packed({"job.json": job_text(extra=1)}), "unknown field extra"),
    "not utf-8": (packed({"job.json": b'{"version": 1, "x": "\xff"}'}), "job.json is no job"),
    "same twice": (packed({"job.json": twice()}), "the same identifier"),
    "file missing": (packed({"job.json": missing_file()}), "is missing in it"),
    "other file": (
        packed({"job.json": missing_file(), FILE: b"x"}),
        "not the file that its name",
    ),
    "unusual packing": (packed({"job.json": job_text()}, zipfile.ZIP_LZMA), "packed in an unusual way"),
    "many": (packed({f"files/{n:016x}-a": b"" for n in range(600)}), "more than 500"),
}


@pytest.mark.parametrize("trap", TRAPS)
def test_hostile_bundles_are_refused_in_a_sentence(tmp_path: Path, trap: str) -> None:
    content, says = TRAPS[trap]
    (tmp_path / "j.zip").write_bytes(content)
    (tmp_path / "out").mkdir()
    with pytest.raises(BundleUnusable, match=says) as told:
        read_bundle(tmp_path / "j.zip", tmp_path / "out")
    assert str(told.value).startswith("j.zip: ")
    assert str(told.value).endswith("nothing was taken over.")
    assert {p.name for p in tmp_path.iterdir()} == {"j.zip", "out"}


def test_recordings_of_other_programs_become_tables_in_a_bundle(tmp_path: Path) -> None:
    """What a job keeps may be MDF or a log of traffic: whoever takes the bundle has a CSV."""
    kept = tmp_path / "kept"
    kept.mkdir()
    times = np.arange(50) / 10.0
    with MDF(version="4.10") as file:
        file.append([Signal(times, times, unit="V", name="TPS 1")])
        file.save(kept / "0123456789abcdef-drive.mf4")
    log = "".join(f"({n / 10:.3f}) can0 7E8#034111{n:02X}00000000\n" for n in range(40))
    (kept / "0123456789abcdef-road.log").write_text(log)
    names = ("0123456789abcdef-drive.mf4", "0123456789abcdef-road.log")
    entries = tuple(
        Recorded(
            id=new_id(), at=now(), source=Source.FILE, name=name, file=name,
            digest=hashlib.sha256((kept / name).read_bytes()).hexdigest(),
        )
        for name in names
    )  # fmt: skip
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now(), entries=entries)
    write_bundle(job, lambda name: kept / name, tmp_path / "j.zip", kept_recording)
    into = tmp_path / "into"
    into.mkdir()
    taken = read_bundle(tmp_path / "j.zip", into)
    files = [e.file for e in taken.entries if isinstance(e, Recorded)]
    assert [name[17:] for name in files] == ["drive.csv", "road.csv"]
    samples = [read_recording(into / name).channels[0].samples for name in files]
    assert samples == [50, 40]
