"""The job in hand: what is entered is shown at once, kept at once, and can be undone."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from nervus.codes.notation import Code, CodeStatus
from nervus.domain.job import (
    AnyEntry,
    CodeState,
    Identified,
    Job,
    Recorded,
    SeenCode,
    Source,
    Vehicle,
    new_id,
    new_vehicle,
    now,
    of_kind,
)
from nervus.domain.job_list import JobRow
from nervus.domain.kept_plug import KeptPlug
from nervus.language import say
from nervus.window.jobs.attaching import Attaching
from nervus.window.jobs.book_keeper import BookKeeper
from nervus.window.jobs.weigher import Weigher, judged

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement
    from nervus.link.diagnostics import Frame, ReadCode
    from nervus.logbook import Logbook

Filling = Callable[["Logbook"], object]
"""Puts one job into a logbook."""
# Strokes of one word are one thing to undo.
_SAME_STROKE_S, _MOST_UNDONE = 2.0, 200
_NO_ID = "0" * 16
_TYPED_FIELDS = {"words", "note", "name", "description"}


@dataclass(frozen=True, slots=True)
class _Done:
    """One thing that can be undone: what was there before, `None` for nothing."""

    key: str
    before: AnyEntry | Vehicle | None
    after: AnyEntry | Vehicle | None
    at: float


@dataclass(frozen=True, slots=True)
class Listed:
    """What the home view shows."""

    rows: list[JobRow]
    vehicles: list[Vehicle]
    own_codes: dict[Code, str]
    plugs: tuple[KeptPlug, ...] = ()


class JobPart(QObject):
    """Holds one job, or none.

    Signals:
        shown: the job as it is now, or `None`.
        judged: the judgement of all that is in it, or `None`.
        listed: all jobs, vehicles and own words for codes.
        told: a sentence for the user.
        state: what the foot says of saving.
        history: an entry as it was before, to be told and perhaps brought back.
    """

    shown = pyqtSignal(object)
    judged = pyqtSignal(object)
    listed = pyqtSignal(object)
    told = pyqtSignal(str)
    state = pyqtSignal(str)
    history = pyqtSignal(object)

    def __init__(self, logbook: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job: Job | None = None
        self.weigher = Weigher(logbook.with_name("workshop.toml"), self)
        self.weigher.judged.connect(self.judged)
        self.weigher.told.connect(self.told)
        self._done: list[_Done] = []
        self.keeper = BookKeeper(logbook, self)
        self.files = logbook.with_suffix(".files")
        self.attaching = Attaching(self.files, self.put_to, self)
        self.attaching.told.connect(self.told)
        self._stale = False
        self.keeper.saved.connect(self._saved)
        self.keeper.not_saved.connect(self._not_saved)
        self.keeper.failed.connect(self.told)
        self.keeper.foreign.connect(self._foreign)
        self.keeper.overtaken.connect(lambda _entry: self._overtaken())

    def start(self) -> None:
        """Open the logbook and list what is in it; read the workshop's own prices."""
        self.weigher.start()
        self.keeper.start()
        self.refresh()
        self.keeper.ask(
            lambda book: ({row.id for row in book.jobs()}, book.recorded_files()),
            lambda known: self.attaching.recover(*known, self._put_job),
        )

    def refresh(self) -> None:
        """List all jobs anew."""
        self.keeper.ask(
            lambda book: Listed(
                book.jobs(), book.vehicles(), book.own_codes(), tuple(book.kept_plugs())
            ),
            self.listed.emit,
        )

    def fill(self, jobs: "Callable[[], Iterator[Filling]]") -> None:
        """Keep jobs that are made one after the other, each listed as soon as it is there."""
        made = jobs()

        def one(book: "Logbook") -> bool:
            making = next(made, None)
            if making is not None:
                making(book)
            return making is not None

        def again(more: object) -> None:
            if more:
                self.refresh()
                self.keeper.ask(one, again)

        self.keeper.ask(one, again)

    # -- which job -----------------------------------------------------------------------------------

    def begin_job(self, name: str = "", vehicle: Vehicle | None = None) -> Job:
        """A new job, kept from its first moment."""
        job = Job(id=new_id(), vehicle=vehicle or new_vehicle(name[:200]), opened=now())
        self.keeper.write(job.id, lambda book: book.put_job(job))
        self._done = []
        self._show(job)
        self.refresh()
        return job

    def open_job(self, job_id: str, done: Callable[[Job], object] = lambda _job: None) -> None:
        """Show a job of the logbook."""

        def read(book: "Logbook") -> Job:
            self.keeper.remember(book.versions(job_id))
            return book.job(job_id)

        def show(job: Job) -> None:
            self._done = []
            self._show(job)
            self.attaching.finish_recordings(job)
            done(job)

        self.keeper.ask(read, show)

    def close_job(self) -> None:
        """Put the job away; it is kept."""
        self._done = []
        self._show(None)
        self.refresh()

    def look_at(self, job_id: str, done: Callable[[Job, "Judgement | None"], object]) -> None:
        """A job and its judgement, without opening it."""

        def read(book: "Logbook") -> tuple[Job, "Judgement | None"]:
            job = book.job(job_id)
            weighed = judged(job, self.weigher.own)
            return job, weighed.standing if weighed is not None else None

        self.keeper.ask(read, lambda found: done(*found))

    # -- entries -------------------------------------------------------------------------------------

    def put(self, entry: AnyEntry) -> None:
        """Keep an entry of the job, new or corrected."""
        if self.job is None:
            return
        before = _entry(self.job, entry.id)
        if before == entry:
            return
        self._remember(entry.id, before, entry)
        self._put(entry)

    def take_out(self, entry: AnyEntry) -> None:
        """Take an entry out of the job."""
        if self.job is None or _entry(self.job, entry.id) is None:
            return
        self._remember(entry.id, entry, None)
        self._take_out(entry.id)

    def set_vehicle(self, vehicle: Vehicle) -> None:
        """Say which vehicle the job is about, or what has changed of it."""
        if self.job is None or self.job.vehicle == vehicle:
            return
        self._remember("vehicle", self.job.vehicle, vehicle)
        self._set_vehicle(vehicle)

    def tell_history(self, entry: AnyEntry) -> None:
        """Tell what an entry was before it was changed last, by whichever window."""

        def show(before: list[AnyEntry]) -> None:
            if before:
                self.history.emit(before[-1])
            else:
                self.told.emit(say("This entry was never changed."))

        self.keeper.ask(lambda book: book.earlier(entry.id), show)

    def define(self, code: Code, words: str) -> None:
        """Keep the user's own words for a code."""
        self.keeper.write(f"code {code}", lambda book: book.define(code, words))
        self.refresh()

    def keep_plug(self, plug: KeptPlug) -> None:
        """Keep a plug for its vehicle type, as drawn or as a sound one reads."""
        self.keeper.write(f"plug {plug.id}", lambda book: book.keep_plug(plug))
        self.refresh()

    def undo(self) -> None:
        """Take back what was done last."""
        if self.job is None or not self._done:
            return
        last = self._done.pop()
        match last.before:
            case Vehicle():
                self._set_vehicle(last.before)
            case None:
                self._take_out(last.key)
            case entry:
                self._put(entry)

    def _remember(
        self, key: str, before: AnyEntry | Vehicle | None, after: AnyEntry | Vehicle | None
    ) -> None:
        moment = time.monotonic()
        last = self._done[-1] if self._done else None
        if (
            last is not None
            and last.key == key
            and moment - last.at < _SAME_STROKE_S
            and _only_words_differ(last.after, after)
        ):
            self._done[-1] = _Done(key, last.before, after, moment)
            return
        self._done.append(_Done(key, before, after, moment))
        del self._done[:-_MOST_UNDONE]

    def _put(self, entry: AnyEntry) -> None:
        assert self.job is not None  # noqa: S101 - asked by whoever calls
        rest = tuple(e for e in self.job.entries if e.id != entry.id)
        entries = tuple(sorted((*rest, entry), key=lambda e: (e.at, _place(self.job, e))))
        self.state.emit(say("saving …"))
        self.keeper.put(self.job.id, entry)
        self._show(replace(self.job, entries=entries))

    def _take_out(self, entry_id: str) -> None:
        assert self.job is not None  # noqa: S101 - asked by whoever calls
        self.state.emit(say("saving …"))
        self.keeper.take_out(self.job.id, entry_id)
        rest = tuple(e for e in self.job.entries if e.id != entry_id)
        self._show(replace(self.job, entries=rest))

    def _set_vehicle(self, vehicle: Vehicle) -> None:
        assert self.job is not None  # noqa: S101 - asked by whoever calls
        job_id = self.job.id
        self.state.emit(say("saving …"))
        self.keeper.write(f"vehicle {job_id}", lambda book: book.set_vehicle(job_id, vehicle))
        self._show(replace(self.job, vehicle=vehicle))

    def _show(self, job: Job | None) -> None:
        self.job = job
        self.shown.emit(job)
        self.weigher.weigh(job)

    def put_identities(self, told: dict[int, dict[str, str]]) -> None:
        """What control units told of themselves; what is kept already is not kept twice."""
        if self.job is None:
            return
        kept = {replace(e, id=_NO_ID, at=self.job.opened) for e in of_kind(self.job.entries, Identified)}
        for entry in identities(told):
            if replace(entry, id=_NO_ID, at=self.job.opened) not in kept:
                self._put(entry)

    def put_to(self, job_id: str, entry: AnyEntry) -> None:
        """Keep an entry of a job that came by itself, whether the job is in hand or not."""
        if self.job is None or self.job.id != job_id:
            self.keeper.put(job_id, entry)
        elif isinstance(entry, Recorded) and entry.source is Source.FILE:
            self.put(entry)  # somebody chose the file, and may take that back
        else:
            self._put(entry)

    def change_elsewhere(self, job_id: str, change: Callable[[Job], AnyEntry | None]) -> None:
        """Change an entry of a job that may not be in hand any more; `None` changes nothing."""

        def read(book: "Logbook") -> Job:
            return book.job(job_id)

        def put(job: Job) -> None:
            entry = change(job)
            if entry is not None:
                self.put_to(job_id, entry)

        self.keeper.ask(read, put)

    def _put_job(self, job: Job) -> None:
        self.keeper.write(f"job {job.id}", lambda book: book.put_job(job))
        self.refresh()

    def take_bundle(self, path: Path, done: Callable[[str], object]) -> None:
        """Read a bundle into the logbook; `done` gets the job's identifier."""

        def keep(job: Job) -> None:
            self._put_job(job)
            self.keeper.ask(lambda _book: job.id, done)

        self.attaching.read_bundle(path, keep)

    # -- what goes wrong -------------------------------------------------------------------------------

    def _not_saved(self, sentence: str) -> None:
        self.state.emit(say("not saved"))
        self.told.emit(sentence)

    def _overtaken(self) -> None:
        self.told.emit(
            say("Another window changed the same entry a moment ago. Yours stands; theirs is kept too.")
        )

    def _saved(self) -> None:
        self.state.emit(say("saved"))
        if self._stale:
            self._foreign()

    def _foreign(self) -> None:
        """Somebody else has written: the list and the job are read again, once ours is written."""
        self._stale = self.keeper.waits
        self.refresh()
        if self.job is not None and not self._stale:
            job_id = self.job.id

            def read(book: "Logbook") -> Job:
                self.keeper.remember(book.versions(job_id))
                return book.job(job_id)

            self.keeper.ask(read, self._read_again)

    def _read_again(self, job: Job) -> None:
        if self.job is not None and self.job.id == job.id and not self.keeper.waits and job != self.job:
            self._show(job)


def code_set(codes: "tuple[ReadCode, ...]", frames: "tuple[Frame, ...]") -> tuple[SeenCode, ...]:
    """Codes that were read from a vehicle, as they are kept."""
    from nervus.link.addresses import name_of  # noqa: PLC0415 - off the way to the first window

    frozen = {(f.unit, f.code.base): f.values for f in frames}
    return tuple(
        SeenCode(
            code=str(read.code),
            module=name_of(read.unit),
            states=tuple(CodeState(kind) for kind in read.kinds),
            status=_byte(read.status),
            frame=dict(frozen.get((read.unit, read.code.base), {})),
        )
        for read in codes
    )


def identities(told: dict[int, dict[str, str]]) -> tuple[Identified, ...]:
    """What control units told of themselves, as it is kept."""
    from nervus.link.addresses import name_of  # noqa: PLC0415 - off the way to the first window

    return tuple(
        Identified(
            id=new_id(),
            at=now(),
            source=Source.VEHICLE,
            module=name_of(unit),
            **{key: text[:200] for key, text in known.items()},
        )
        for unit, known in told.items()
        if known
    )


def _only_words_differ(one: AnyEntry | Vehicle | None, other: AnyEntry | Vehicle | None) -> bool:
    """Whether somebody is in the middle of typing: a choice is one thing to undo, a letter is not."""
    if one is None or other is None or type(one) is not type(other):
        return False
    fields = one.__struct_fields__
    return {f for f in fields if getattr(one, f) != getattr(other, f)} <= _TYPED_FIELDS


def _byte(status: CodeStatus | None) -> int | None:
    return status.byte if status is not None else None


def _entry(job: Job, entry_id: str) -> AnyEntry | None:
    return next((e for e in job.entries if e.id == entry_id), None)


def _place(job: Job | None, entry: AnyEntry) -> int:
    """Entries of one second stay in the order in which they came."""
    ids = [e.id for e in job.entries] if job is not None else []
    return ids.index(entry.id) if entry.id in ids else len(ids)
