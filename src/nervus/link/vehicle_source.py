"""A vehicle as a source: its control unit's values, as fast as it tells them."""

import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from functools import partial
from queue import SimpleQueue
from typing import TypeVar

from nervus.domain.errors import OutsideError, Stopped
from nervus.knowledge import Parameter
from nervus.language import say
from nervus.link.addresses import name_of
from nervus.link.buses import open_transport
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import Garbled, LinkLost, NoAnswer, Refused
from nervus.link.poll_plan import PollPlan, plan_polls
from nervus.link.source import Block, Clock, one_sample

# Silence of so many requests in a row is a unit that is gone.
_SILENT_TIMES = 4
# A value that stays away so often in a row is told; it is asked for again after so many rounds.
_AWAY_TIMES, _AWAY_ROUNDS = 3, 64
# Trying out how fast the plan goes must not hold up the start.
_TRIAL_S, _TRIES = 1.0, 3
_NOTHING_S = 0.02
# Different sentences about the wire that are told of one connection: a babbling bus has no end of them.
_WIRE_TOLD = 10

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
    raise LinkLost(say("The control unit has stopped answering.")) from last


class VehicleSource:
    """Polls one unit by a plan that favours the throttle.

    Args:
        where: a bus or adapter, as `buses.WAYS`.
        unit: which one is asked; `None` for the first that offers anything of the throttle.

    Attributes:
        trouble: called with a sentence when something stays away, is refused, or is back.
        doing: called with what is being done while a connection is made.
        diagnostics: for codes and the rest; only while `read` is not being called.
        plan: what is asked for in which round, once opened.
        rates_hz: samples a second that each channel gets, measured over the last period of the plan.
    """

    def __init__(self, where: str, unit: int | None = None) -> None:
        self.name = say("vehicle ({where})", where=where)
        self.unit = unit if unit is not None else -1
        self.trouble: Callable[[str], None] = lambda _told: None
        self.doing: Callable[[str], None] = lambda _what: None
        self._where = where
        self._wanted = unit
        self._clock = Clock()
        self._round = 0
        self._silent = 0
        self._refused = ""
        self._away: Counter[str] = Counter()
        self._told: set[str] = set()
        self._period_began = 0.0
        self._jobs: SimpleQueue[tuple[Future[object], Callable[[Diagnostics], object]]] = SimpleQueue()
        self.diagnostics: Diagnostics | None = None
        self.plan: PollPlan | None = None
        self.rates_hz: dict[str, float] = {}

    def open(self, clock: Clock) -> None:
        """Reach the vehicle, ask what it offers, plan.

        Raises:
            LinkLost: there is no such bus, or no unit answers on it.
            Stopped: `stop` was called meanwhile.
        """
        self.close()
        self._clock, self._round, self._silent, self._period_began = clock, 0, 0, 0.0
        self._away.clear()
        self.doing(say("opening the adapter"))
        self._told.clear()
        ask = self.diagnostics = Diagnostics(open_transport(self._where, self._tell_wire))
        self.doing(say("asking which control units answer"))
        offered = self._offered(ask)
        self.doing(
            say(
                "trying how fast {name_of} tells {len} values",
                name_of=name_of(self.unit),
                len=len(offered),
            )
        )
        _patiently(lambda: ask.values(self.unit, offered[:2]))  # does it answer several at once?
        plan = plan_polls(offered, several=ask.tells_several(self.unit))
        self.plan = plan
        began, asked = time.monotonic(), 0
        while asked < plan.period and time.monotonic() - began < _TRIAL_S:
            _patiently(partial(ask.values, self.unit, plan.round(asked)))
            asked += 1
        took = sum(plan.requests()[:asked])
        whole = (time.monotonic() - began) * sum(plan.requests()) / max(took, 1)
        self.rates_hz = plan.rates_hz(whole)

    def _offered(self, diagnostics: Diagnostics) -> tuple[Parameter, ...]:
        # The first question may meet an adapter or a unit that is still waking up.
        units: tuple[int, ...] = ()
        for _ in range(_TRIES):
            units = diagnostics.units()
            if units if self._wanted is None else self._wanted in units:
                break
        if self._wanted is not None:
            # One that was asked for by name may be one of those that answer only when they are asked
            # alone.
            units = (self._wanted,)
        elif not units:
            raise LinkLost(diagnostics.transport.silence())
        why = ""
        for unit in units:
            self.unit = unit
            try:
                offered = _patiently(partial(diagnostics.supported, unit))
            except (LinkLost, Refused, Garbled) as wrong:
                why = why or f": {wrong}"
                continue
            if offered:
                return offered
        if self._wanted is not None and self._wanted not in units:
            raise LinkLost(diagnostics.transport.silence())
        names = ", ".join(map(name_of, units))
        raise LinkLost(
            say(
                "No value that bears on the throttle is told by {names}{value}",
                names=names,
                value=why or ".",
            )
        )

    def read(self) -> Sequence[Block]:
        """The values of one round, each with the instant half way between question and answer.

        Raises:
            LinkLost: the bus is gone, or the unit stays silent.
        """
        if self.diagnostics is None or self.plan is None:
            raise LinkLost(say("The vehicle is not connected."))
        self._do_jobs(self.diagnostics)
        wanted = self._wanted_now(self.plan.round(self._round))
        if not wanted:
            self._clock.wait(_NOTHING_S)
        asked = self._clock.now()
        try:
            told = self.diagnostics.values(self.unit, wanted) if wanted else {}
        except NoAnswer as wrong:
            self._silent += 1
            if self._silent >= _SILENT_TIMES:
                raise LinkLost(say("The control unit has stopped answering.")) from wrong
            return ()
        except (Refused, Garbled) as wrong:
            self._tell_refused(str(wrong))
            return ()
        except Stopped:
            return ()  # somebody stopped a question that was over already
        finally:
            self._round += 1
            self._measure()
        self._silent = 0
        self._notice(wanted, told)
        middle = (asked + self._clock.now()) / 2
        return [one_sample(channel, middle, value) for channel, value in told.items()]

    # -- what is refused or stays away -----------------------------------------------------------------

    def _wanted_now(self, wanted: tuple[Parameter, ...]) -> tuple[Parameter, ...]:
        """What is asked for in this round: what has stayed away only now and then."""
        if self._round % _AWAY_ROUNDS < (self.plan.period if self.plan is not None else 1):
            return wanted
        return tuple(p for p in wanted if self._away[p.channel] < _AWAY_TIMES)

    def _tell_wire(self, text: str) -> None:
        """What makes no sense on the wire: each sentence once, and not without end."""
        if text not in self._told and len(self._told) < _WIRE_TOLD:
            self._told.add(text)
            self.trouble(text)

    def _tell_refused(self, why: str) -> None:
        if why != self._refused:
            self._refused = why
            self.trouble(why)

    def _notice(self, wanted: tuple[Parameter, ...], told: dict[str, float]) -> None:
        if self._refused and told:
            self._refused = ""
            self.trouble(say("answers again"))
        for channel in (p.channel for p in wanted):
            if channel in told:
                if self._away.pop(channel, 0) >= _AWAY_TIMES:
                    self.trouble(say("tells {channel} again", channel=channel))
                continue
            self._away[channel] += 1
            if self._away[channel] == _AWAY_TIMES:
                self.trouble(say("does not tell {channel} any more", channel=channel))

    def _measure(self) -> None:
        """What each channel really gets, anew after every period of the plan."""
        if self.plan is None or self._round % self.plan.period:
            return
        now = self._clock.now()
        if now > self._period_began > 0.0:
            self.rates_hz = self.plan.rates_hz(now - self._period_began)
        self._period_began = now

    # -- what is asked between polls -------------------------------------------------------------------

    def between(self, job: Callable[[Diagnostics], object]) -> "Future[object]":
        """Have something else asked between two polls, by the thread that polls."""
        future: Future[object] = Future()
        self._jobs.put((future, job))
        return future

    def stop_asking(self) -> None:
        """End the question that is being asked now, from any thread."""
        if self.diagnostics is not None:
            self.diagnostics.transport.stop()

    def _do_jobs(self, diagnostics: Diagnostics) -> None:
        while not self._jobs.empty():
            future, job = self._jobs.get()
            try:
                future.set_result(job(diagnostics))
            except LinkLost as wrong:
                future.set_exception(wrong)
                raise
            except (OutsideError, Stopped) as wrong:
                future.set_exception(wrong)
            except Exception as wrong:
                # Whoever waits must hear of it; the capture's last guard logs and tells it.
                future.set_exception(wrong)
                raise

    def close(self) -> None:
        """Hang up; what still waits to be asked is told so."""
        while not self._jobs.empty():
            self._jobs.get()[0].set_exception(LinkLost(say("The vehicle is not connected any more.")))
        if self.diagnostics is not None:
            self.diagnostics.transport.close()
        self.diagnostics, self.plan = None, None
