"""A whole job in one file: a ZIP with `job.json` by a published schema, recordings as CSV, photos.

What comes from outside is not believed: sizes are counted while unpacking, names must be ours, bytes
must be those that the job says, and nothing lies where it is wanted before all of it was found good.
"""

import hashlib
import inspect
import re
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec
from msgspec.structs import replace

from nervus import __version__
from nervus.domain.channel import Recording
from nervus.domain.errors import OutsideError
from nervus.domain.job import AnyEntry, Job, Look, Record, Recorded, Words, of_kind
from nervus.files.outputs import check_regular
from nervus.files.recording_csv import read_recording
from nervus.files.recording_writer import write_recording
from nervus.language import say

VERSION = 2
"""Since 2 a vehicle may name its profile; one without is written as 1, which older programs read."""
_JOB, _FOLDER = "job.json", "files/"
_FILE = re.compile(r"^files/[0-9a-f]{16}-[A-Za-z0-9._-]{1,120}$")
_MOST_FILES, _JOB_BYTES, _ALL_BYTES = 500, 32 << 20, 2 << 30
# Text of numbers packs some ten to one; what unfolds to this many times its size is a trap.
_MOST_UNFOLDED, _SMALL = 400, 1 << 20
_CHUNK = 1 << 20
# What the packing library raises on damaged bytes.
_DAMAGE = (
    EOFError, NotImplementedError, RuntimeError, ValueError, zipfile.LargeZipFile, zlib.error,
)  # fmt: skip
_METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)


class BundleUnusable(OutsideError):
    """A bundle that can't be read as a job; says what is wrong and that nothing was taken over."""


class Envelope(Record, frozen=True, kw_only=True):
    """What `job.json` holds."""

    format: Literal["nervus-job"]
    version: Annotated[int, msgspec.Meta(ge=1, le=VERSION)]
    written_by: Words
    job: Job


def bundle_schema() -> dict[str, Any]:
    """The JSON Schema of `job.json`."""
    # As it is in the file: defaults that are tuples here are arrays there.
    told = _dedented(msgspec.json.decode(msgspec.json.encode(msgspec.json.schema(Envelope))))
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": say("Nervus job"),
        **told,
    }


def _dedented(told: Any) -> Any:
    """The same with descriptions without their indents, which older Pythons leave in docstrings."""
    if isinstance(told, list):
        return [_dedented(one) for one in told]
    if not isinstance(told, dict):
        return told
    kept = {key: _dedented(value) for key, value in told.items()}
    if isinstance(kept.get("description"), str):
        kept["description"] = inspect.cleandoc(kept["description"])
    return kept


def files_of(job: Job) -> tuple[str, ...]:
    """The names of all files that belong to a job, each once."""
    names = [r.file for r in of_kind(job.entries, Recorded)]
    names += [photo for look in of_kind(job.entries, Look) for photo in look.photos]
    return tuple(dict.fromkeys(names))


def write_bundle(
    job: Job,
    kept: Callable[[str], Path],
    to: Path,
    read: Callable[[Path], Recording] = read_recording,
) -> None:
    """Write a job with all its files, whole or not at all.

    Args:
        job: the job.
        kept: where a file of that name lies.
        to: the bundle's path.
        read: reads a kept recording that is no CSV; the usual one knows what was recorded here alone.

    Raises:
        BundleUnusable: a file is not where it was kept, or the disk does not take it.
        RecordingUnusable: a recording that must become CSV can't be read any more.
    """
    check_regular(to)
    part = to.with_name(to.name + ".part")
    try:
        with (
            tempfile.TemporaryDirectory() as folder,
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as bundle,
        ):
            open_job, written = _as_csv(job, kept, Path(folder), read)
            envelope = Envelope(
                format="nervus-job",
                version=VERSION if job.vehicle.profile else 1,
                written_by=say("nervus {version}", version=__version__),
                job=open_job,
            )
            text = msgspec.json.format(msgspec.json.encode(envelope), indent=2)
            bundle.writestr(_JOB, text)
            for name in files_of(open_job):
                bundle.write(written.get(name) or kept(name), _FOLDER + name)
        part.replace(to)
    except OSError as wrong:
        what = wrong.filename or to.name
        raise BundleUnusable(
            say("{what}: {strerror}; no bundle was written.", what=what, strerror=wrong.strerror)
        ) from wrong
    finally:
        part.unlink(missing_ok=True)


def _as_csv(
    job: Job, kept: Callable[[str], Path], folder: Path, read: Callable[[Path], Recording]
) -> tuple[Job, dict[str, Path]]:
    """The job with every recording as CSV, and where those lie that were none.

    Raises:
        RecordingUnusable: a recording can't be read any more.
    """
    written: dict[str, Path] = {}
    entries: list[AnyEntry] = []
    for entry in job.entries:
        if not isinstance(entry, Recorded) or entry.file.lower().endswith(".csv"):
            entries.append(entry)
            continue
        unnamed = folder / "recording.csv"
        write_recording(read(kept(entry.file)), unnamed)
        with unnamed.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        stem = entry.file[17:].rpartition(".")[0][:100] or "recording"
        name = f"{digest[:16]}-{stem}.csv"
        written[name] = unnamed.rename(folder / name)
        entries.append(replace(entry, file=name, digest=digest))
    return replace(job, entries=tuple(entries)), written


def read_bundle(path: Path, into: Path) -> Job:
    """Read a job and unpack its files into an empty folder.

    Raises:
        BundleUnusable: in one sentence, what is wrong; what the folder holds then is to be thrown away.
    """
    try:
        with zipfile.ZipFile(path) as bundle:
            members = _members(path.name, bundle)
            envelope = _envelope(path.name, _text(path.name, bundle, members))
            job = envelope.job
            _check_entries(path.name, job.entries)
            budget = _ALL_BYTES
            for name in files_of(job):
                info = members.get(_FOLDER + name)
                if info is None:
                    raise _refused(
                        path.name, say("the file {name} of the job is missing in it", name=name)
                    )
                budget = _unpack(path.name, bundle, info, into / name, budget)
            _check_digests(path.name, job, into)
    except zipfile.BadZipFile as wrong:
        raise _refused(path.name, say("it is no bundle, or was cut off")) from wrong
    except _DAMAGE as wrong:
        raise _refused(
            path.name, say("its packing is damaged or of a kind that is not used here")
        ) from wrong
    except OSError as wrong:
        raise _refused(
            path.name, say("it can't be read ({strerror})", strerror=wrong.strerror)
        ) from wrong
    return job


def read_job_file(path: Path) -> Job:
    """Read a bundle's `job.json` that stands by itself; its files are not asked for.

    Raises:
        BundleUnusable: in one sentence, what is wrong.
    """
    try:
        with path.open("rb") as file:
            text = file.read(_JOB_BYTES + 1)
    except OSError as wrong:
        raise _refused(
            path.name, say("it can't be read ({strerror})", strerror=wrong.strerror)
        ) from wrong
    if len(text) > _JOB_BYTES:
        raise _refused(path.name, say("it is larger than 32 MB"))
    job = _envelope(path.name, text).job
    _check_entries(path.name, job.entries)
    return job


def _refused(name: str, what: str) -> BundleUnusable:
    return BundleUnusable(say("{name}: {what}; nothing was taken over.", name=name, what=what))


def _members(name: str, bundle: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    """What is in it, if all of it may be there."""
    infos = bundle.infolist()
    if len(infos) > _MOST_FILES:
        raise _refused(
            name,
            say("it holds {len} files, more than {most_files}", len=len(infos), most_files=_MOST_FILES),
        )
    members: dict[str, zipfile.ZipInfo] = {}
    for info in infos:
        if info.filename != _JOB and not _FILE.match(info.filename):
            shown = info.filename.encode("ascii", "replace").decode()[:60]
            raise _refused(name, say("“{shown}” has no place in a bundle", shown=shown))
        if info.filename in members:
            raise _refused(name, say("{filename} is in it twice", filename=info.filename))
        if info.flag_bits & 0x1 or info.compress_type not in _METHODS:
            raise _refused(
                name, say("{filename} is locked or packed in an unusual way", filename=info.filename)
            )
        if info.file_size > max(_SMALL, _MOST_UNFOLDED * info.compress_size):
            raise _refused(
                name,
                say("{filename} would unfold to a size that no recording has", filename=info.filename),
            )
        members[info.filename] = info
    if _JOB not in members:
        raise _refused(name, say("there is no {job} in it", job=_JOB))
    if sum(info.file_size for info in infos) > _ALL_BYTES or members[_JOB].file_size > _JOB_BYTES:
        raise _refused(name, say("it would unfold to more than 2 GB, or its job to more than 32 MB"))
    return members


def _text(name: str, bundle: zipfile.ZipFile, members: dict[str, zipfile.ZipInfo]) -> bytes:
    with bundle.open(members[_JOB]) as file:
        text = file.read(_JOB_BYTES + 1)
    if len(text) > _JOB_BYTES:
        raise _refused(name, say("{job} is larger than 32 MB", job=_JOB))
    return text


def _envelope(name: str, text: bytes) -> Envelope:
    try:
        version = msgspec.json.decode(text, type=_Version).version
        if version > VERSION:
            raise _refused(
                name,
                say(
                    "it is of version {version}, written by a newer Nervus; this reads {version_}",
                    version=version,
                    version_=VERSION,
                ),
            )
        return msgspec.json.decode(text, type=Envelope)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as wrong:
        said = str(wrong).replace("`", "")[:200] or say("it is nested too deeply")
        raise _refused(name, say("{job} is no job ({said})", job=_JOB, said=said)) from wrong


class _Version(msgspec.Struct):
    """Only the version, whatever else a newer one may hold."""

    version: int


def _check_entries(name: str, entries: tuple[AnyEntry, ...]) -> None:
    ids = [entry.id for entry in entries]
    if len(set(ids)) != len(ids):
        raise _refused(name, say("two entries of the job have the same identifier"))


def _unpack(name: str, bundle: zipfile.ZipFile, info: zipfile.ZipInfo, to: Path, budget: int) -> int:
    """Unpack one file; returns how many bytes may still come. What a header says is not believed."""
    allowed = min(budget, max(_SMALL, _MOST_UNFOLDED * info.compress_size))
    digest = hashlib.sha256()
    with bundle.open(info) as source, to.open("xb") as target:
        while chunk := source.read(_CHUNK):
            allowed -= len(chunk)
            budget -= len(chunk)
            if allowed < 0:
                raise _refused(
                    name,
                    say("{filename} unfolds to a size that no recording has", filename=info.filename),
                )
            digest.update(chunk)
            target.write(chunk)
    if not to.name.startswith(digest.hexdigest()[:16]):
        raise _refused(
            name, say("{filename} is not the file that its name says", filename=info.filename)
        )
    return budget


def _check_digests(name: str, job: Job, folder: Path) -> None:
    for recorded in of_kind(job.entries, Recorded):
        with (folder / recorded.file).open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() != recorded.digest:
                raise _refused(
                    name, say("the recording {file} is not the one that was kept", file=recorded.file)
                )
