"""The judgement of the job in hand, kept up to date, and the workshop's own prices for it."""

from math import log
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.errors import OutsideError
from nervus.domain.job import Decision, Job, Reading, Source, new_id, now, of_kind
from nervus.language import figures, say
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement
    from nervus.domain.judgement import JobJudgement
    from nervus.knowledge.own_prices import OwnPrices

# A job of so many entries is weighed within a frame or two; a longer one, and one with readings, which
# go through the circuit of every fault, is weighed beside.
_MOST_AT_ONCE = 25
_KEPT_FAULTS = 8


class Weigher(QObject):
    """Weighs one job, or none.

    Signals:
        judged: the judgement of all that is in it, or `None`.
        told: a sentence for the user.
    """

    judged = pyqtSignal(object)
    told = pyqtSignal(str)

    def __init__(self, prices: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.weighed: JobJudgement | None = None
        self._own: OwnPrices | None = None
        self._job: Job | None = None
        self._is_late = False
        self._prices = prices

    @property
    def own(self) -> "OwnPrices":
        """The workshop's own times, prices and tools; as shipped where it has none."""
        from nervus.knowledge.own_prices import AS_SHIPPED  # noqa: PLC0415 - off the way to the first window

        return self._own if self._own is not None else AS_SHIPPED

    def start(self) -> None:
        """Read the workshop's own prices, where there are any."""
        from nervus.knowledge.own_prices import read_own_prices  # noqa: PLC0415 - after the first window

        if self._prices.is_file():
            try:
                self._count_with(read_own_prices(self._prices))
            except OutsideError as wrong:
                self.told.emit(str(wrong))

    def weigh(self, job: Job | None) -> None:
        """Judge a job anew: a short one without readings at once, any other off the interface thread.

        How the same job stood before stays until then; of another job nothing stays.
        """
        same = job is not None and self._job is not None and job.id == self._job.id
        self._job = job
        if job is None or (len(job.entries) <= _MOST_AT_ONCE and not of_kind(job.entries, Reading)):
            self._take(judged(job, self.own) if job is not None else None)
            return
        if not same:
            self._take(None)
        own, self._is_late = self.own, True
        task = Task(lambda _progress: judged(job, own), self)
        task.succeeded.connect(lambda weighed: self._take_late(job, own, weighed))
        task.failed.connect(self.told)
        task.start()

    def _take_late(self, job: Job, own: "OwnPrices", weighed: "JobJudgement | None") -> None:
        """Take a judgement, unless the job or the prices have changed since."""
        if job is self._job and own is self.own:
            self._take(weighed)

    def _take(self, weighed: "JobJudgement | None") -> None:
        self.weighed, self._is_late = weighed, False
        self.judged.emit(weighed)

    @property
    def judgement(self) -> "Judgement | None":
        """How the job stands; `None` where nothing in it was weighed."""
        return self.weighed.standing if self.weighed is not None else None

    def keep_prices(self, own: "OwnPrices") -> None:
        """Count with a workshop's own times, prices and tools from now on."""
        from nervus.knowledge.own_prices import write_own_prices  # noqa: PLC0415 - after the first window

        try:
            self._prices.parent.mkdir(parents=True, exist_ok=True)
            write_own_prices(own, self._prices)
        except OSError as wrong:
            self.told.emit(
                say(
                    "{name}: {strerror}; they count until Nervus is closed.",
                    name=self._prices.name,
                    strerror=wrong.strerror,
                )
            )
        self._count_with(own)
        self.weigh(self._job)

    def _count_with(self, own: "OwnPrices") -> None:
        from nervus.knowledge.own_prices import remarks_on  # noqa: PLC0415 - after the first window

        self._own = own
        remarks = remarks_on(own)
        if remarks:
            self.told.emit(say("Times and prices: {join}.", join="; ".join(remarks)))

    def decision(self, words: str) -> Decision:
        """What was decided, with the judgement as it stands."""
        decided = Decision(id=new_id(), at=now(), source=Source.TYPED, words=words)
        # What is kept with a decision is never the judgement of fewer entries than there were.
        late = self._job if self._is_late else None
        weighed = judged(late, self.own) if late is not None else self.weighed
        if weighed is None:
            return decided
        standing, first = weighed.standing, weighed.standing.suspects[0].id
        reasons = sorted(weighed.ledger, key=lambda line: -abs(log(line.times_as_likely[first])))
        return replace(
            decided,
            suspects={s.id.value: s.probability for s in standing.suspects},
            headline=standing.headline,
            faults={f.id: round(f.probability, 4) for f in weighed.faults[:_KEPT_FAULTS]},
            because=tuple(
                figures(
                    "{times_as_likely:.3g} x: {text}",
                    times_as_likely=line.times_as_likely[first],
                    text=line.text,
                )
                for line in reasons
            ),
            next_test=standing.next_test.title if standing.next_test is not None else "",
        )


def judged(job: Job, own: "OwnPrices") -> "JobJudgement | None":
    """The judgement of all that is in a job; `None` where nothing in it could be weighed."""
    from nervus.judge.of_job import judge_job  # noqa: PLC0415 - off the way to the first window

    weighed = judge_job(job, own)
    return weighed if weighed.ledger else None
