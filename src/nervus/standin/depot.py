"""The jobs of the island depot in all states, for the demo. All of it is invented."""

import tempfile
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path

from msgspec.structs import replace

from nervus.domain.job import (
    AnyEntry,
    Job,
    JobState,
    Moment,
    Recorded,
    Seen,
    Source,
)
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse
from nervus.judge.of_job import kept
from nervus.knowledge import judging
from nervus.logbook import Logbook
from nervus.standin.depot_course import Course
from nervus.standin.depot_pins import pin_jobs
from nervus.standin.depot_repairs import repairs
from nervus.standin.depot_traps import traps


def courses() -> tuple[Course, ...]:
    """All jobs, the oldest first."""
    good, bad = Seen.GOOD, Seen.BAD
    return (
        Course(1, 71)
        .told("revs on its own after the dip at the ford", ("high_idle",), ("wet",))
        .codes("P0507", "P0171")
        .looked("crankcase hose split at the elbow", hoses=bad, dirt=good)
        .done("crankcase hose renewed")
        .codes(moment=Moment.REPAIRED)
        .now(JobState.MENDED, after_days=15),
        Course(4, 48)
        .told("hunts at idle, worse when warm", ("hunting_idle",), ("hot",))
        .looked(plug_seated=good, screws=good)
        .recorded("rough-track")
        .decided("sensor is worn where it idles; ordered")
        .now(JobState.WAITING, 3),
        Course(3, 40)
        .told("checked after new spark plugs, no complaint", ("check",))
        .codes()
        .recorded("healthy")
        .now(JobState.MENDED),
        Course(8, 33)
        .told("jerked twice last week, never again", ("bucking",), ("seldom",))
        .recorded("undecided")
        .now(JobState.WATCHING, 6),
        Course(2, 26)
        .told("stumbles on the quay road just off idle", ("stumble",), ("place",))
        .codes("P0121")
        .looked(plug_seated=good, pins=good, harness=good)
        .recorded("dead-spot")
        .decided("worn track, pass after pass at the same place")
        .done("throttle sensor renewed, set to 0.51 V closed")
        .now(JobState.WATCHING, 9),
        Course(5, 19)
        .told("no pedal on wet mornings", ("no_pedal", "lamp"), ("wet", "key"))
        .codes("P0123-17", "P0223-17", "P2110", "U0401", status=0x2F)
        .looked("white salt at the ground pin", pins=bad, plug_seated=good)
        .recorded("open-ground")
        .now(JobState.OPEN),
        Course(1, 15)
        .told("again revs on its own, this time dry", ("high_idle", "stalls"), ())
        .codes("P0507")
        .looked(hoses=good, gasket=good)
        .now(JobState.CAME_BACK),
        Course(7, 12)
        .told("reduced power on the hill to the church", ("reduced_power",), ("load", "hot"))
        .codes("P2135", "P2106")
        .recorded("bent-track")
        .now(JobState.WAITING, 1),
        Course(6, 6)
        .told("cuts out over bumps, comes back after a key cycle", ("cuts_out",), ("bumps", "key"))
        .codes("P0222-16", "P2135", "P2106", status=0x2F)
        .looked("plug looked clean", plug_seated=good, pins=good)
        .recorded("loose-wire")
        .read("signal 2 at the unit's plug, key on, harness moved", 0.03)
        .now(JobState.OPEN),
        Course(5, 4)
        .told("wheelchair lift relay was renewed, now the lamp is on", ("lamp",), ("after_work",))
        .codes("P0642", "P0122", "P2122", "P1545")
        .now(JobState.OPEN),
        Course(2, 3)
        .told("yearly check", ("check",))
        .looked(plug_seated=good, pins=good, hoses=good, dirt=bad, note="brown film at the plate's edge")
        .now(JobState.OPEN),
        Course(8, 1).told("driver says: it went dead at the school gate", ("cuts_out",)),
    )


def fill() -> Iterator[Callable[[Logbook], None]]:
    """What puts each of the jobs into a logbook, the newest first, with recordings and findings."""
    every = sorted((*courses(), *traps(), *pin_jobs(), *repairs()), key=lambda course: course.job.opened)
    return (partial(_put, course) for course in reversed(every))


def fill_all(path: Path) -> None:
    """A new logbook with all jobs."""
    book = Logbook(path)
    try:
        for put in fill():
            put(book)
    finally:
        book.close()


def _put(course: Course, book: Logbook) -> None:
    with tempfile.TemporaryDirectory() as folder:
        book.put_job(_whole(book, course, Path(folder)))


def _whole(book: Logbook, course: Course, folder: Path) -> Job:
    entries: list[AnyEntry] = []
    for entry in course.entries:
        case = course.cases.get(entry.id)
        if isinstance(entry, Recorded) and case is not None:
            recording = case.make()
            csv = folder / recording.name
            write_recording(recording, csv)
            name, digest = book.attachments.keep(csv)
            recorded = Recorded(
                id=entry.id,
                at=entry.at,
                source=Source.FILE,
                name=case.title,
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
