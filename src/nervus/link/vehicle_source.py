"""A vehicle as a source: its control unit's values, as fast as it tells them."""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from functools import partial
from queue import SimpleQueue
from typing import TypeVar

import can

from nervus.domain.errors import OutsideError
from nervus.knowledge import Parameter
from nervus.link.buses import open_bus
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import Garbled, LinkLost, NoAnswer, Refused
from nervus.link.poll_plan import PollPlan, plan_polls
from nervus.link.source import Block, Clock, one_sample
from nervus.link.transport import Transport

# Silence of so many requests in a row is a unit that is gone.
_SILENT_TIMES = 4
_TRIAL_PERIODS, _TRIES = 1, 3

Answer = TypeVar("Answer")


def _patiently(question: Callable[[], Answer]) -> Answer:
    """The answer to a question that may be asked again: one that is lost on the way is no lost vehicle.

    Raises:
        LinkLost: the unit stays silent.
    """
    for _ in range(_TRIES):
        try:
            return question()
        except NoAnswer as silent:
            last = silent
    raise LinkLost("The control unit has stopped answering.") from last


class VehicleSource:
    """Polls one unit by a plan that favours the throttle.

    Attributes:
        diagnostics: for codes and the rest; only while `read` is not being called.
        plan: what is asked for in which round, once opened.
        rates_hz: samples a second that each channel gets, measured over the last period of the plan.
    """

    def __init__(
        self, where: str, unit: int = 0, trouble: Callable[[str], None] = lambda _t: None
    ) -> None:
        self.name = f"vehicle ({where})"
        self._where = where
        self._unit = unit
        self._trouble = trouble
        self._bus: can.BusABC | None = None
        self._clock = Clock()
        self._round = 0
        self._silent = 0
        self._period_began = 0.0
        self._jobs: SimpleQueue[tuple[Future[object], Callable[[Diagnostics], object]]] = SimpleQueue()
        self.diagnostics: Diagnostics | None = None
        self.plan: PollPlan | None = None
        self.rates_hz: dict[str, float] = {}

    def open(self, clock: Clock) -> None:
        """Reach the vehicle, ask what it offers, plan.

        Raises:
            LinkLost: there is no such bus, or no unit answers on it.
        """
        self.close()
        self._bus = open_bus(self._where)
        self._clock, self._round, self._silent, self._period_began = clock, 0, 0, 0.0
        self.diagnostics = Diagnostics(Transport(self._bus, self._trouble))
        ask = self.diagnostics
        offered = self._offered(ask)
        _patiently(lambda: ask.values(self._unit, offered[:2]))  # does it answer several at once?
        plan = plan_polls(offered, several=ask.tells_several(self._unit))
        self.plan = plan
        began = time.monotonic()
        for number in range(plan.period * _TRIAL_PERIODS):
            _patiently(partial(ask.values, self._unit, plan.round(number)))
        self.rates_hz = plan.rates_hz((time.monotonic() - began) / _TRIAL_PERIODS)

    def _offered(self, diagnostics: Diagnostics) -> tuple[Parameter, ...]:
        # The first question may meet an adapter or a unit that is still waking up.
        if not any(self._unit in diagnostics.units() for _ in range(_TRIES)):
            raise LinkLost("No control unit answers; is the key on?")
        offered = _patiently(lambda: diagnostics.supported(self._unit))
        if not offered:
            raise LinkLost("The control unit offers no value that bears on the throttle.")
        return offered

    def read(self) -> Sequence[Block]:
        """The values of one round, each with the instant half way between question and answer.

        Raises:
            LinkLost: the bus is gone, or the unit stays silent.
        """
        if self.diagnostics is None or self.plan is None:
            raise LinkLost("The vehicle is not connected.")
        self._do_jobs(self.diagnostics)
        asked = self._clock.now()
        try:
            told = self.diagnostics.values(self._unit, self.plan.round(self._round))
        except NoAnswer as wrong:
            self._silent += 1
            if self._silent >= _SILENT_TIMES:
                raise LinkLost("The control unit has stopped answering.") from wrong
            return ()
        except (Refused, Garbled) as wrong:
            self._trouble(str(wrong))
            return ()
        finally:
            self._round += 1
            self._measure()
        self._silent = 0
        middle = (asked + self._clock.now()) / 2
        return [one_sample(channel, middle, value) for channel, value in told.items()]

    def _measure(self) -> None:
        """What each channel really gets, anew after every period of the plan."""
        if self.plan is None or self._round % self.plan.period:
            return
        now = self._clock.now()
        if now > self._period_began > 0.0:
            self.rates_hz = self.plan.rates_hz(now - self._period_began)
        self._period_began = now

    def between(self, job: Callable[[Diagnostics], object]) -> "Future[object]":
        """Have something else asked between two polls, by the thread that polls."""
        future: Future[object] = Future()
        self._jobs.put((future, job))
        return future

    def _do_jobs(self, diagnostics: Diagnostics) -> None:
        while not self._jobs.empty():
            future, job = self._jobs.get()
            try:
                future.set_result(job(diagnostics))
            except LinkLost as wrong:
                future.set_exception(wrong)
                raise
            except OutsideError as wrong:
                future.set_exception(wrong)

    def close(self) -> None:
        """Hang up; what still waits to be asked is told so."""
        while not self._jobs.empty():
            self._jobs.get()[0].set_exception(LinkLost("The vehicle is not connected any more."))
        if self._bus is not None:
            self._bus.shutdown()
        self._bus, self.diagnostics, self.plan = None, None, None
