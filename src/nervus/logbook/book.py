"""Reading and writing jobs: every write is whole, kept at once, and what it replaces is kept too."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path

import msgspec
from sqlalchemy import Connection, delete, insert, select, text, update

from nervus.codes.notation import Code, read_code
from nervus.domain.job import (
    UNFINISHED,
    AnyEntry,
    Entry,
    Job,
    JobState,
    KnownGood,
    Marked,
    Recorded,
    Vehicle,
    new_id,
    now,
)
from nervus.domain.job_list import HeldRecording, JobRow, summary
from nervus.domain.kept_plug import KeptPlug
from nervus.domain.profile import ThrottleKind
from nervus.knowledge import told_in_words
from nervus.language import say
from nervus.logbook import tables as t
from nervus.logbook.attachments import Attachments
from nervus.logbook.errors import LogbookUnusable, told
from nervus.logbook.opening import connect

# While somebody types, the text of a moment ago is no earlier version worth keeping.
_SAME_STROKE_S = 3.0
_RECORDING = str(Recorded.__struct_config__.tag)


@dataclass(frozen=True, slots=True)
class Put:
    """What a write came to.

    Attributes:
        version: the entry's, from 1 up.
        overtaken: whether somebody else had written it since; theirs is kept as the earlier version.
    """

    version: int
    overtaken: bool


class Logbook:
    """One logbook. All methods belong to one thread at a time, that of the database.

    Attributes:
        path: its file.
        attachments: recordings and photos beside it.

    Raises:
        LogbookUnusable: it can't be opened or read.
        NotSaved: it can't be written now.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.attachments = Attachments(path.with_suffix(".files"))
        with told(path):
            self._connection = connect(path)
        self._written: dict[str, float] = {}

    def close(self) -> None:
        """Let go of the file."""
        engine = self._connection.engine
        self._connection.close()
        engine.dispose()

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        with told(self.path), self._connection.begin():
            yield self._connection

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        with told(self.path):
            self._connection.execution_options(writes=True)
            try:
                with self._connection.begin():
                    yield self._connection
            finally:
                self._connection.execution_options(writes=False)

    # -- the list --------------------------------------------------------------------------------

    def jobs(self) -> list[JobRow]:
        """All jobs, the last touched first."""
        columns = (t.job, t.vehicle.c.name, t.vehicle.c.description)
        wanted = select(*columns).join(t.vehicle).order_by(t.job.c.touched.desc(), t.job.c.id)
        with self._reading() as connection:
            return [_row(*row) for row in connection.execute(wanted)]

    def foreign_changes(self) -> int:
        """A number that changes when another window or program has written."""
        with told(self.path):
            raw = self._connection.connection.driver_connection
            return int(raw.execute("PRAGMA data_version").fetchone()[0])  # type: ignore[union-attr] # open

    def recorded_files(self) -> set[str]:
        """The names of the files of all recordings, also of those that were taken out."""
        wanted = select(t.entry.c.body).where(t.entry.c.kind == _RECORDING)
        with self._reading() as connection:
            entries = [_read(body) for body in connection.execute(wanted).scalars()]
        return {entry.file for entry in entries if isinstance(entry, Recorded)}

    def recordings(self) -> list[HeldRecording]:
        """The recordings of all jobs, known good ones first, then the newest."""
        kinds = [str(kind.__struct_config__.tag) for kind in (Recorded, Marked, KnownGood)]
        whose = (t.vehicle.c.name, t.vehicle.c.description, t.vehicle.c.profile)
        wanted = select(*whose, t.entry.c.body)
        wanted = wanted.select_from(t.entry).join(t.job).join(t.vehicle)
        wanted = wanted.where(t.entry.c.kind.in_(kinds), t.entry.c.gone == 0)
        wanted = wanted.order_by(t.entry.c.at.desc())
        with self._reading() as connection:
            rows = [(*whose, _read(body)) for *whose, body in connection.execute(wanted)]
        marks = {e.recording: e for *_, e in rows if isinstance(e, Marked)}
        good = {e.recording: e.name for *_, e in rows if isinstance(e, KnownGood)}
        found = [
            HeldRecording(
                " · ".join(part for part in (name, words) if part),
                entry,
                marks.get(entry.id),
                good.get(entry.id),
                profile,
            )
            for name, words, profile, entry in rows
            if isinstance(entry, Recorded) and entry.digest != UNFINISHED
        ]
        return sorted(found, key=lambda held: held.known_good is None)

    # -- vehicles and jobs -------------------------------------------------------------------------

    def vehicles(self) -> list[Vehicle]:
        """All vehicles by name."""
        with self._reading() as connection:
            found = connection.execute(select(t.vehicle).order_by(t.vehicle.c.name))
            return [_vehicle(*row) for row in found]

    def set_vehicle(self, job_id: str, vehicle: Vehicle) -> None:
        """Say which vehicle a job is about, or what has changed of it; one without a job goes."""
        with self._writing() as connection:
            _put_vehicle(connection, vehicle)
            is_it = t.job.c.id == job_id
            connection.execute(update(t.job).where(is_it).values(vehicle_id=vehicle.id))
            used = select(t.job.c.vehicle_id)
            connection.execute(delete(t.vehicle).where(t.vehicle.c.id.not_in(used)))
            _summarise(connection, job_id)

    def start_job(self, vehicle: Vehicle) -> Job:
        """A new job for a vehicle, which is kept too."""
        job = Job(id=new_id(), vehicle=vehicle, opened=now())
        self.put_job(job)
        return job

    def put_job(self, job: Job) -> None:
        """Keep a whole job, as from a bundle; entries that are there already are overwritten."""
        with self._writing() as connection:
            _put_vehicle(connection, job.vehicle)
            there = connection.execute(select(t.job.c.id).where(t.job.c.id == job.id)).scalar()
            if there is not None:
                is_it = t.job.c.id == job.id
                connection.execute(update(t.job).where(is_it).values(vehicle_id=job.vehicle.id))
            else:
                row = {"id": job.id, "vehicle_id": job.vehicle.id, "opened": _written(job.opened)}
                shown = summary(job, told_in_words(job.complaint))
                connection.execute(insert(t.job).values(**row, touched=_written(now()), **shown))
            for entry in job.entries:
                self._put(connection, job.id, entry, base=None)
            _summarise(connection, job.id, max((e.at for e in job.entries), default=job.opened))

    def job(self, job_id: str) -> Job:
        """A whole job.

        Raises:
            KeyError: there is none of that identifier.
        """
        with self._reading() as connection:
            return _job(connection, job_id)

    # -- entries -------------------------------------------------------------------------------------

    def put(self, job_id: str, entry: AnyEntry, base: int | None = None) -> Put:
        """Keep an entry, new or corrected.

        Args:
            job_id: the job it belongs to.
            entry: the whole of it.
            base: the version that was corrected, `None` where nobody looked.
        """
        with self._writing() as connection:
            put = self._put(connection, job_id, entry, base=base)
            _summarise(connection, job_id)
        # Only what the disk took is a stroke of the same word: one that it kept back is tried again
        # later.
        self._written[entry.id] = time.monotonic()
        return put

    def take_out(self, job_id: str, entry_id: str) -> None:
        """Take an entry out; what it was is kept, and `put` brings it back."""
        with self._writing() as connection:
            held = _held(connection, entry_id)
            if held is None or held[1]:
                return
            version, gone, body = held
            _keep_earlier(connection, entry_id, version, gone, body)
            changed = {"version": version + 1, "gone": 1}
            connection.execute(update(t.entry).where(t.entry.c.id == entry_id).values(changed))
            _summarise(connection, job_id)

    def versions(self, job_id: str) -> dict[str, int]:
        """The newest version of each entry of a job."""
        wanted = select(t.entry.c.id, t.entry.c.version).where(t.entry.c.job_id == job_id)
        with self._reading() as connection:
            return {row[0]: row[1] for row in connection.execute(wanted)}

    def earlier(self, entry_id: str) -> list[AnyEntry]:
        """What an entry was before, the oldest first."""
        wanted = select(t.earlier.c.body).where(t.earlier.c.entry_id == entry_id)
        with self._reading() as connection:
            rows = connection.execute(wanted.order_by(t.earlier.c.version)).scalars()
            return [_read(body) for body in rows]

    def _put(self, connection: Connection, job_id: str, entry: AnyEntry, base: int | None) -> Put:
        body = msgspec.json.encode(entry).decode()
        _read(body)  # what could not be read again is not written
        values = {"kind": _kind(entry), "at": _written(entry.at), "gone": 0, "body": body}
        held = _held(connection, entry.id)
        _check_owner(connection, entry.id, job_id)
        last = self._written.get(entry.id, -_SAME_STROKE_S)
        moment = time.monotonic()
        if held is None:
            connection.execute(insert(t.entry).values(id=entry.id, job_id=job_id, version=1, **values))
            return Put(1, overtaken=False)
        version, gone, before = held
        if before == body and not gone:
            return Put(version, overtaken=False)
        overtaken = base is not None and base != version
        if gone or overtaken or moment - last >= _SAME_STROKE_S:
            _keep_earlier(connection, entry.id, version, gone, before)
        values["version"] = version + 1
        connection.execute(update(t.entry).where(t.entry.c.id == entry.id).values(values))
        return Put(version + 1, overtaken)

    # -- the user's own definitions ----------------------------------------------------------------

    def own_codes(self) -> dict[Code, str]:
        """What the user says that codes mean."""
        with self._reading() as connection:
            return {read_code(c): says for c, says, _ in connection.execute(select(t.own_code))}

    def define(self, code: Code, says: str) -> None:
        """Keep what a code means; an empty text takes the definition out."""
        name = str(code.base)
        with self._writing() as connection:
            connection.execute(delete(t.own_code).where(t.own_code.c.code == name))
            if says.strip():
                row = {"code": name, "says": says.strip(), "at": _written(now())}
                connection.execute(insert(t.own_code).values(row))

    # -- plugs of a vehicle type -----------------------------------------------------------------------

    def kept_plugs(self) -> list[KeptPlug]:
        """All plugs that are kept, the newest first."""
        wanted = select(t.kept_plug.c.body).order_by(t.kept_plug.c.at.desc(), t.kept_plug.c.id)
        with self._reading() as connection:
            return [
                msgspec.json.decode(body, type=KeptPlug) for body in connection.execute(wanted).scalars()
            ]

    def keep_plug(self, plug: KeptPlug) -> None:
        """Keep a plug for its vehicle type; one of the same identifier is replaced."""
        body = msgspec.json.encode(plug).decode()
        row = {"vehicle_type": plug.vehicle_type, "at": _written(plug.at), "body": body}
        with self._writing() as connection:
            connection.execute(delete(t.kept_plug).where(t.kept_plug.c.id == plug.id))
            connection.execute(insert(t.kept_plug).values(id=plug.id, **row))


def _put_vehicle(connection: Connection, vehicle: Vehicle) -> None:
    throttle = vehicle.throttle.value if vehicle.throttle is not None else None
    values = {
        "name": vehicle.name,
        "description": vehicle.description,
        "throttle": throttle,
        "profile": vehicle.profile,
    }
    changed = connection.execute(update(t.vehicle).where(t.vehicle.c.id == vehicle.id).values(values))
    if changed.rowcount == 0:
        connection.execute(insert(t.vehicle).values(id=vehicle.id, **values))


def _summarise(connection: Connection, job_id: str, touched: datetime | None = None) -> None:
    job = _job(connection, job_id)
    shown = summary(job, told_in_words(job.complaint))
    when = _written(touched or now())
    changed = update(t.job).where(t.job.c.id == job_id).values(touched=when, **shown)
    connection.execute(changed)


def _job(connection: Connection, job_id: str) -> Job:
    wanted = select(t.job.c.opened, t.vehicle).join(t.vehicle).where(t.job.c.id == job_id)
    head = connection.execute(wanted).first()
    if head is None:
        raise KeyError(job_id)
    opened, *vehicle = head
    rows = select(t.entry.c.body).where(t.entry.c.job_id == job_id, t.entry.c.gone == 0)
    ordered = connection.execute(rows.order_by(t.entry.c.at, text("rowid"))).scalars()
    entries = tuple(_read(body) for body in ordered)
    return Job(id=job_id, vehicle=_vehicle(*vehicle), opened=_instant(opened), entries=entries)


def _held(connection: Connection, entry_id: str) -> tuple[int, int, str] | None:
    columns = (t.entry.c.version, t.entry.c.gone, t.entry.c.body)
    found = connection.execute(select(*columns).where(t.entry.c.id == entry_id)).first()
    return (found[0], found[1], found[2]) if found is not None else None


def _check_owner(connection: Connection, entry_id: str, job_id: str) -> None:
    """An entry stays with its job, whatever a bundle says.

    Raises:
        LogbookUnusable: it belongs to another.
    """
    owner = connection.execute(select(t.entry.c.job_id).where(t.entry.c.id == entry_id)).scalar()
    if owner is not None and owner != job_id:
        raise LogbookUnusable(
            say(
                "An entry of the job is another job's here ({entry_id}); nothing was taken over.",
                entry_id=entry_id,
            )
        )


def _keep_earlier(connection: Connection, entry_id: str, version: int, gone: int, body: str) -> None:
    row = {"entry_id": entry_id, "version": version, "gone": gone, "body": body, "until": time.time()}
    connection.execute(insert(t.earlier).values(row))


def _read(body: str) -> AnyEntry:
    entry: AnyEntry = msgspec.json.decode(body, type=AnyEntry)
    return entry


def _kind(entry: Entry) -> str:
    return str(type(entry).__struct_config__.tag)


def _written(instant: datetime) -> str:
    """Sorts as text in the order of time: always in UTC, always with microseconds."""
    return instant.astimezone(UTC).isoformat(timespec="microseconds")


def _instant(written: str) -> datetime:
    return datetime.fromisoformat(written)


def _vehicle(
    vehicle_id: str, name: str, description: str, throttle: str | None, profile: str
) -> Vehicle:
    kind = ThrottleKind(throttle) if throttle is not None else None
    return Vehicle(id=vehicle_id, name=name, description=description, throttle=kind, profile=profile)


def _row(  # noqa: PLR0913, PLR0917 - one argument for each column
    job_id: str,
    vehicle_id: str,
    opened: str,
    touched: str,
    state: str,
    due: str | None,
    complaint: str,
    codes: str,
    headline: str,
    name: str,
    description: str,
) -> JobRow:
    vehicle = " · ".join(part for part in (name, description) if part)
    return JobRow(
        id=job_id,
        vehicle_id=vehicle_id,
        vehicle=vehicle,
        complaint=complaint,
        codes=codes,
        headline=headline,
        state=JobState(state),
        due=date.fromisoformat(due) if due is not None else None,
        opened=_instant(opened),
        touched=_instant(touched),
        found_by=f"{vehicle} {complaint} {codes} {headline} {state}".casefold(),
    )
