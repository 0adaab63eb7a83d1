"""How a job of the depot comes about, entry after entry. All of it is invented."""

from datetime import UTC, date, datetime, timedelta

from nervus.codes.notation import read_code
from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Compared,
    Complaint,
    Cost,
    Decision,
    Guided,
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
    Stayed,
    TakenOff,
    Watch,
    new_id,
)
from nervus.domain.profile import ThrottleKind
from nervus.domain.repair import Exposure
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


class Course:
    """A job as it comes about: each entry a while after the one before."""

    def __init__(self, number: int, days_ago: int) -> None:
        what, kind = _FLEET[number]
        began = datetime.now(UTC).replace(hour=7, minute=40, second=0, microsecond=0)
        self._now = began - timedelta(days=days_ago)
        vehicle = depot_vehicle(number, what, kind)
        self.job = Job(id=new_id(), vehicle=vehicle, opened=self._now)
        self._entries: list[AnyEntry] = []
        self.cases: dict[str, DemoCase] = {}

    def _at(self, source: Source, minutes: int = 12) -> tuple[str, datetime, Source]:
        self._now += timedelta(minutes=minutes)
        return new_id(), self._now, source

    def told(self, words: str, symptoms: tuple[str, ...], conditions: tuple[str, ...] = ()) -> "Course":
        """What the driver tells."""
        entry_id, at, source = self._at(Source.TYPED)
        self._entries.append(
            Complaint(
                id=entry_id, at=at, source=source, symptoms=symptoms, conditions=conditions, words=words
            )
        )
        return self

    def codes(
        self,
        *texts: str,
        moment: Moment = Moment.FOUND,
        status: int | None = None,
        state: CodeState = CodeState.STORED,
    ) -> "Course":
        """Codes as they were read from one unit."""
        entry_id, at, source = self._at(Source.VEHICLE)
        seen = tuple(
            SeenCode(
                code=str(read_code(text)),
                module="control unit 0",
                states=(state,),
                status=status,
            )
            for text in texts
        )
        self._entries.append(CodeSet(id=entry_id, at=at, source=source, moment=moment, codes=seen))
        return self

    def looked(self, note: str = "", **items: Seen) -> "Course":
        """Items that were looked at; the note goes with what is bad."""
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

    def read(self, where: str, value: float, unit: str = "V") -> "Course":
        """A value at a pin."""
        entry_id, at, source = self._at(Source.TYPED, 3)
        self._entries.append(
            Reading(id=entry_id, at=at, source=source, where=where, value=value, unit=unit)
        )
        return self

    def recorded(self, case_id: str) -> "Course":
        """A recording of the demo, by its name."""
        case = next(case for case in CASES if case.id == case_id)
        entry_id, at, source = self._at(Source.FILE)
        self.cases[entry_id] = case
        self._entries.append(
            Recorded(
                id=entry_id,
                at=at,
                source=source,
                name=case.title,
                file="0" * 16 + "-r",
                digest="0" * 64,
            )
        )
        return self

    def done(self, words: str, cures: str = "", shown_by: str = "") -> "Course":
        """Something that was done to the vehicle."""
        entry_id, at, source = self._at(Source.SEEN, 25)
        self._entries.append(
            Change(id=entry_id, at=at, source=source, done=words, cures=cures, shown_by=shown_by)
        )
        return self

    def off(self, *things: str, on_again: bool = True) -> "Course":
        """Things that came off, and are on again or not."""
        for what in things:
            entry_id, at, source = self._at(Source.SEEN, 1)
            self._entries.append(
                TakenOff(id=entry_id, at=at, source=source, what=what, put_back=on_again)
            )
        return self

    def guided(self, procedure: str, **said: str) -> "Course":
        """A procedure, with what was said at each of its steps."""
        entry_id, at, source = self._at(Source.SEEN, 30)
        self._entries.append(Guided(id=entry_id, at=at, source=source, guide=procedure, done=said))
        return self

    def beside(self, old: tuple[str, str], new: tuple[str, str]) -> "Course":
        """An old part beside a new one: number and reading of each."""
        entry_id, at, source = self._at(Source.SEEN, 4)
        self._entries.append(
            Compared(
                id=entry_id,
                at=at,
                source=source,
                old_number=old[0],
                old_reading=old[1],
                new_number=new[0],
                new_reading=new[1],
            )
        )
        return self

    def watched(
        self,
        exposure: Exposure,
        before: tuple[int, float],
        *stayed: tuple[float, int, str],
        place: tuple[str, tuple[float, float]] | None = None,
    ) -> "Course":
        """A watch that was planned, and what was seen of it, a day after another."""
        entry_id, at, source = self._at(Source.TYPED, 6)
        self._entries.append(
            Watch(
                id=entry_id,
                at=at,
                source=source,
                exposure=exposure,
                events=before[0],
                amount=before[1],
                channel=place[0] if place is not None else "",
                travel_pct=place[1] if place is not None else None,
            )
        )
        for amount, events, words in stayed:
            entry_id, at, source = self._at(Source.TYPED, 24 * 60)
            self._entries.append(
                Stayed(
                    id=entry_id,
                    at=at,
                    source=source,
                    exposure=exposure,
                    amount=amount,
                    events=events,
                    words=words,
                )
            )
        return self

    def cost(self, what: str, minutes: float = 0.0, money: float = 0.0) -> "Course":
        """What was spent."""
        entry_id, at, source = self._at(Source.TYPED, 1)
        self._entries.append(
            Cost(id=entry_id, at=at, source=source, what=what, minutes=minutes, money=money)
        )
        return self

    def decided(self, words: str) -> "Course":
        """What was decided."""
        entry_id, at, source = self._at(Source.TYPED)
        self._entries.append(Decision(id=entry_id, at=at, source=source, words=words))
        return self

    def now(
        self,
        state: JobState,
        due_in_days: int | None = None,
        after_days: int = 0,
        *,
        words: str = "",
        tentative: bool = False,
    ) -> "Course":
        """The state that it goes into, and when to come back to it."""
        self._now += timedelta(days=after_days)
        entry_id, at, source = self._at(Source.TYPED, 5)
        today = date.today()
        due = today + timedelta(days=due_in_days) if due_in_days is not None else None
        changes = [e for e in self._entries if isinstance(e, Change)]
        back = state is JobState.CAME_BACK and bool(changes)
        self._entries.append(
            Moved(
                id=entry_id,
                at=at,
                source=source,
                state=state,
                due=due,
                words=words,
                tentative=tentative,
                about=changes[-1].id if back else None,
            )
        )
        return self

    @property
    def entries(self) -> list[AnyEntry]:
        """All entries so far."""
        return self._entries
