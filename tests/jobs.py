"""Jobs written down in a line, for tests of the judgement."""

from datetime import UTC, datetime, timedelta
from itertools import count

from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Complaint,
    Job,
    Look,
    Moment,
    Reading,
    Recorded,
    Seen,
    SeenCode,
    Source,
    Vehicle,
    new_id,
)
from nervus.domain.judgement import JobJudgement
from nervus.domain.profile import ThrottleKind

BEGAN = datetime(2026, 3, 2, 8, 0, tzinfo=UTC)
CABLE, ELECTRONIC = ThrottleKind.CABLE, ThrottleKind.ELECTRONIC


class Written:
    """A job as it comes about, an entry every ten minutes."""

    def __init__(self, throttle: ThrottleKind = ELECTRONIC) -> None:
        self._throttle = throttle
        self._entries: list[AnyEntry] = []

    def _next(self) -> tuple[str, datetime, Source]:
        return new_id(), BEGAN + timedelta(minutes=10 * len(self._entries)), Source.TYPED

    def _put(self, entry: AnyEntry) -> "Written":
        self._entries.append(entry)
        return self

    def told(self, *symptoms: str, when: tuple[str, ...] = ()) -> "Written":
        made, at, source = self._next()
        return self._put(Complaint(id=made, at=at, source=source, symptoms=symptoms, conditions=when))

    def codes(
        self,
        *codes: str,
        moment: Moment = Moment.FOUND,
        states: tuple[CodeState, ...] = (CodeState.STORED,),
        status: int | None = None,
    ) -> "Written":
        made, at, source = self._next()
        seen = tuple(SeenCode(code=c, states=states, status=status) for c in codes)
        return self._put(CodeSet(id=made, at=at, source=source, moment=moment, codes=seen))

    def looked(self, item: str, seen: Seen) -> "Written":
        made, at, source = self._next()
        return self._put(Look(id=made, at=at, source=source, item=item, seen=seen))

    def read(self, where: str, value: float, unit: str, conditions: str = "") -> "Written":
        made, at, source = self._next()
        reading = Reading(
            id=made, at=at, source=source, where=where, value=value, unit=unit, conditions=conditions
        )
        return self._put(reading)

    def done(self, words: str) -> "Written":
        made, at, source = self._next()
        return self._put(Change(id=made, at=at, source=source, done=words))

    @property
    def job(self) -> Job:
        vehicle = Vehicle(id=new_id(), name="No 6", throttle=self._throttle)
        return Job(id=new_id(), vehicle=vehicle, opened=BEGAN, entries=tuple(self._entries))


_COUNT = count()


def _later() -> datetime:
    return BEGAN + timedelta(minutes=10 * next(_COUNT))


def change(done: str) -> Change:
    """A change, later than what was made before it."""
    return Change(id=new_id(), at=_later(), source=Source.TYPED, done=done)


def recorded(name: str, file: str = "0" * 16 + "-a.csv") -> Recorded:
    """A kept recording, later than what was made before it."""
    return Recorded(
        id=new_id(),
        at=_later(),
        source=Source.FILE,
        name=name,
        file=file,
        digest="1" * 64,
        duration_s=60.0,
    )


def job_of(*entries: AnyEntry) -> Job:
    """A job of a cable throttle with these entries."""
    vehicle = Vehicle(id=new_id(), name="No 2", throttle=CABLE)
    return Job(id=new_id(), vehicle=vehicle, opened=BEGAN, entries=entries)


def chance_of(judged: JobJudgement, suspect: str) -> float:
    """The probability of a suspect."""
    return next(s.probability for s in judged.standing.suspects if s.id == suspect)


def fault(judged: JobJudgement, name: str) -> float:
    """The probability of a fault."""
    return next(f.probability for f in judged.faults if f.id == name)
