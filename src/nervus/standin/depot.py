"""A dozen jobs of the island depot in all states, for the demo. All of it is invented."""

import tempfile
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from functools import partial
from pathlib import Path

from msgspec.structs import replace

from nervus.codes.notation import read_code
from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Complaint,
    Decision,
    Job,
    JobState,
    Look,
    Moment,
    Moved,
    Reading,
    Recorded,
    Seen,
    SeenCode,
    Source,
    new_id,
)
from nervus.domain.profile import ThrottleKind
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse
from nervus.judge.of_job import kept
from nervus.knowledge import judging
from nervus.logbook import Logbook
from nervus.standin.demo import CASES, DemoCase, depot_vehicle

_C, _E = ThrottleKind.CABLE, ThrottleKind.ELECTRONIC
_FLEET = {
    1: ("workshop pickup", _C),
    2: ("parcel van", _C),
    3: ("pickup", _C),
    4: ("harbour tractor", _C),
    5: ("wheelchair bus", _E),
    6: ("nine-seat bus", _E),
    7: ("refuse van", _E),
    8: ("school minibus", _C),
}


class _Course:
    """A job as it comes about: each entry a while after the one before."""

    def __init__(self, number: int, days_ago: int) -> None:
        what, kind = _FLEET[number]
        began = datetime.now(UTC).replace(hour=7, minute=40, second=0, microsecond=0)
        self._now = began - timedelta(days=days_ago)
        vehicle = depot_vehicle(number, what, kind)
        self.job = Job(id=new_id(), vehicle=vehicle, opened=self._now)
        self._entries: list[AnyEntry] = []
        self.case: DemoCase | None = None

    def _at(self, source: Source, minutes: int = 12) -> tuple[str, datetime, Source]:
        self._now += timedelta(minutes=minutes)
        return new_id(), self._now, source

    def told(self, words: str, symptoms: tuple[str, ...], conditions: tuple[str, ...] = ()) -> "_Course":
        entry_id, at, source = self._at(Source.TYPED)
        self._entries.append(
            Complaint(
                id=entry_id, at=at, source=source, symptoms=symptoms, conditions=conditions, words=words
            )
        )
        return self

    def codes(self, *texts: str, moment: Moment = Moment.FOUND, status: int | None = None) -> "_Course":
        entry_id, at, source = self._at(Source.VEHICLE)
        seen = tuple(
            SeenCode(
                code=str(read_code(text)),
                module="control unit 0",
                states=(CodeState.STORED,),
                status=status,
            )
            for text in texts
        )
        self._entries.append(CodeSet(id=entry_id, at=at, source=source, moment=moment, codes=seen))
        return self

    def looked(self, note: str = "", **items: Seen) -> "_Course":
        for item, seen in items.items():
            entry_id, at, source = self._at(Source.SEEN, 2)
            self._entries.append(
                Look(
                    id=entry_id,
                    at=at,
                    source=source,
                    item=item,
                    seen=seen,
                    note=note if seen is Seen.BAD else "",
                )
            )
        return self

    def read(self, where: str, value: float, unit: str = "V") -> "_Course":
        entry_id, at, source = self._at(Source.TYPED, 3)
        self._entries.append(
            Reading(id=entry_id, at=at, source=source, where=where, value=value, unit=unit)
        )
        return self

    def recorded(self, case_id: str) -> "_Course":
        self.case = next(case for case in CASES if case.id == case_id)
        entry_id, at, source = self._at(Source.FILE)
        self._entries.append(
            Recorded(
                id=entry_id,
                at=at,
                source=source,
                name=self.case.title,
                file="0" * 16 + "-r",
                digest="0" * 64,
            )
        )
        return self

    def done(self, words: str) -> "_Course":
        entry_id, at, source = self._at(Source.SEEN, 25)
        self._entries.append(Change(id=entry_id, at=at, source=source, done=words))
        return self

    def decided(self, words: str) -> "_Course":
        entry_id, at, source = self._at(Source.TYPED)
        self._entries.append(Decision(id=entry_id, at=at, source=source, words=words))
        return self

    def now(self, state: JobState, due_in_days: int | None = None, after_days: int = 0) -> "_Course":
        self._now += timedelta(days=after_days)
        entry_id, at, source = self._at(Source.TYPED, 5)
        today = date.today()
        due = today + timedelta(days=due_in_days) if due_in_days is not None else None
        self._entries.append(Moved(id=entry_id, at=at, source=source, state=state, due=due))
        return self

    @property
    def entries(self) -> list[AnyEntry]:
        return self._entries


def courses() -> tuple[_Course, ...]:
    """All jobs, the oldest first."""
    good, bad = Seen.GOOD, Seen.BAD
    return (
        _Course(1, 71)
        .told("revs on its own after the dip at the ford", ("high_idle",), ("wet",))
        .codes("P0507", "P0171")
        .looked("crankcase hose split at the elbow", hoses=bad, dirt=good)
        .done("crankcase hose renewed")
        .codes(moment=Moment.REPAIRED)
        .now(JobState.MENDED, after_days=15),
        _Course(4, 48)
        .told("hunts at idle, worse when warm", ("hunting_idle",), ("hot",))
        .looked(plug_seated=good, screws=good)
        .recorded("rough-track")
        .decided("sensor is worn where it idles; ordered")
        .now(JobState.WAITING, 3),
        _Course(3, 40)
        .told("checked after new spark plugs, no complaint", ("check",))
        .codes()
        .recorded("healthy")
        .now(JobState.MENDED),
        _Course(8, 33)
        .told("jerked twice last week, never again", ("bucking",), ("seldom",))
        .recorded("undecided")
        .now(JobState.WATCHING, 6),
        _Course(2, 26)
        .told("stumbles on the quay road just off idle", ("stumble",), ("place",))
        .codes("P0121")
        .looked(plug_seated=good, pins=good, harness=good)
        .recorded("dead-spot")
        .decided("worn track, pass after pass at the same place")
        .done("throttle sensor renewed, set to 0.51 V closed")
        .now(JobState.WATCHING, 9),
        _Course(5, 19)
        .told("no pedal on wet mornings", ("no_pedal", "lamp"), ("wet", "key"))
        .codes("P0123-17", "P0223-17", "P2110", "U0401", status=0x2F)
        .looked("white salt at the ground pin", pins=bad, plug_seated=good)
        .recorded("open-ground")
        .now(JobState.OPEN),
        _Course(1, 15)
        .told("again revs on its own, this time dry", ("high_idle", "stalls"), ())
        .codes("P0507")
        .looked(hoses=good, gasket=good)
        .now(JobState.CAME_BACK),
        _Course(7, 12)
        .told("reduced power on the hill to the church", ("reduced_power",), ("load", "hot"))
        .codes("P2135", "P2106")
        .recorded("bent-track")
        .now(JobState.WAITING, 1),
        _Course(6, 6)
        .told("cuts out over bumps, comes back after a key cycle", ("cuts_out",), ("bumps", "key"))
        .codes("P0222-16", "P2135", "P2106", status=0x2F)
        .looked("plug looked clean", plug_seated=good, pins=good)
        .recorded("loose-wire")
        .read("signal 2 at the unit's plug, key on, harness moved", 0.03)
        .now(JobState.OPEN),
        _Course(5, 4)
        .told("wheelchair lift relay was renewed, now the lamp is on", ("lamp",), ("after_work",))
        .codes("P0642", "P0122", "P2122", "P1545")
        .now(JobState.OPEN),
        _Course(2, 3)
        .told("yearly check", ("check",))
        .looked(plug_seated=good, pins=good, hoses=good, dirt=bad, note="brown film at the plate's edge")
        .now(JobState.OPEN),
        _Course(8, 1).told("driver says: it went dead at the school gate", ("cuts_out",)),
    )


def fill() -> Iterator[Callable[[Logbook], None]]:
    """What puts each of the jobs into a logbook, the newest first, with recordings and findings."""
    return (partial(_put, course) for course in reversed(courses()))


def fill_all(path: Path) -> None:
    """A new logbook with all jobs."""
    book = Logbook(path)
    try:
        for put in fill():
            put(book)
    finally:
        book.close()


def _put(course: _Course, book: Logbook) -> None:
    with tempfile.TemporaryDirectory() as folder:
        book.put_job(_whole(book, course, Path(folder)))


def _whole(book: Logbook, course: _Course, folder: Path) -> Job:
    entries: list[AnyEntry] = []
    for entry in course.entries:
        if isinstance(entry, Recorded) and course.case is not None:
            recording = course.case.make()
            csv = folder / recording.name
            write_recording(recording, csv)
            name, digest = book.attachments.keep(csv)
            recorded = Recorded(
                id=entry.id,
                at=entry.at,
                source=Source.FILE,
                name=course.case.title,
                file=name,
                digest=digest,
                duration_s=recording.duration_s,
                channels=tuple(c.id for c in recording.channels),
            )
            found = kept(analyse(recording), recorded, judging())
            entries += [recorded, _dated(found, entry.at)]
        else:
            entries.append(entry)
    job = course.job
    return Job(id=job.id, vehicle=job.vehicle, opened=job.opened, entries=tuple(entries))


def _dated(found: AnyEntry, at: datetime) -> AnyEntry:
    return replace(found, at=at + timedelta(seconds=20))
