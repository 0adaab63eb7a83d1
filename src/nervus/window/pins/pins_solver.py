"""Solves a plug and weighs its faults beside the interface thread; the latest question counts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.analysis import CircuitExplanation
from nervus.domain.job import Job, Reading
from nervus.domain.plug import PlugEnd
from nervus.judge.next_pair import PinFaults
from nervus.judge.plug_state import PlugState
from nervus.pins.situation import Situation
from nervus.window.tasks import Task


@dataclass(frozen=True, slots=True)
class Answer:
    """What came of a question: for which job, plug and condition; faults and picture come after it."""

    job: Job
    plug: PlugEnd
    situation: Situation
    state: PlugState
    faults: PinFaults | None
    picture: CircuitExplanation | None


_Question = tuple[Job, PlugEnd, Situation, Sequence[Reading]]


class PinsSolver(QObject):
    """Asked as often as something changes; a question that is overtaken is dropped.

    Signals:
        solved: an `Answer` to the latest question.
        failed: a sentence.
    """

    solved = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._task: Task | None = None
        self._waits: _Question | None = None

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._task is not None

    def ask(self, job: Job, plug: PlugEnd, situation: Situation, known_good: Sequence[Reading]) -> None:
        """Solve this, once what is being solved is done; of questions that wait the last one counts."""
        self._waits = (job, plug, situation, known_good)
        if self._task is None:
            self._next()

    def _next(self) -> None:
        question, self._waits = self._waits, None
        if question is not None:
            self._run(lambda: _answered(*question))

    def _run(self, work: Callable[[], Answer]) -> None:
        task = Task(lambda _progress: work(), self)
        # Slots of ours, and no lambdas: what arrives after the page has gone goes nowhere.
        task.succeeded.connect(self._take)
        task.failed.connect(self._fail)
        self._task = task
        task.start()

    def _done(self) -> None:
        task, self._task = self._task, None
        if task is not None:
            task.deleteLater()

    def _take(self, answer: Answer) -> None:
        """What the readings say comes first, which fault they fit after it."""
        self._done()
        if self._waits is not None:
            self._next()
            return
        if answer.faults is None:
            self._run(lambda: _with_faults(answer))
        self.solved.emit(answer)

    def _fail(self, why: str) -> None:
        self._done()
        self.failed.emit(why)
        self._next()


def _answered(job: Job, plug: PlugEnd, situation: Situation, known_good: Sequence[Reading]) -> Answer:
    from nervus.judge.plug_state import plug_state  # noqa: PLC0415 - loads the core, beside
    from nervus.judge.profiles import profile_for  # noqa: PLC0415 - as above

    state = plug_state(
        job, plug, situation, profile_for(job.vehicle.throttle, job.vehicle.profile), known_good
    )
    return Answer(job, plug, situation, state, None, None)


def _with_faults(answer: Answer) -> Answer:
    from nervus.judge.fault_picture import picture_of  # noqa: PLC0415 - loads the core, beside
    from nervus.judge.next_pair import pin_faults  # noqa: PLC0415 - as above

    faults = pin_faults(answer.job)
    return replace(answer, faults=faults, picture=picture_of(faults, answer.job))
