"""Requests and answers: what a conversation with control units is, whatever carries it.

A driver (`can_transport.py`, `text_adapter.py`) fills in `_converse`; everything above sees outcomes by
unit. Waiting follows ISO 15765-4 and ISO 14229-2, with room for slow adapters: an answer within 50 ms,
after "wait" (0x78) within 5 s and again, up to a cap; "busy" (0x21) is asked again for up to 2 s.
"""

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable

from nervus.domain.errors import Stopped
from nervus.link.outcome import SILENT, Outcome

ANSWER_S, ALL_S = 1.0, 0.5
MORE_TIME_S, PENDING_CAP_S = 5.0, 30.0
BUSY_S, BUSY_PAUSE_S = 2.0, 0.05


class Transport(ABC):
    """Asks the control units of one vehicle; one question at a time, from one thread.

    Attributes:
        trouble: called with a sentence for what makes no sense on the way.
    """

    def __init__(self, trouble: Callable[[str], None] = lambda _told: None) -> None:
        self.trouble = trouble
        self._stopped = threading.Event()

    def stop(self) -> None:
        """End the question that is being asked, from any thread; it raises `Stopped`."""
        self._stopped.set()

    def ask(self, unit: int, request: bytes, wait_s: float = ANSWER_S) -> bytes:
        """The positive answer of one unit.

        Args:
            unit: as `addresses` numbers them.
            request: service and data.
            wait_s: how long to wait for the first sign of an answer.

        Raises:
            NoAnswer: it stayed silent.
            Refused: it answered in the negative.
            Garbled: its answer is broken.
            LinkLost: the way to the vehicle is gone.
            Stopped: somebody called `stop`.
        """
        found = self._converse(request, (unit,), wait_s, again=True)
        return found.get(unit, SILENT).bytes_or_raise(unit, request)

    def ask_each(
        self, units: Iterable[int], request: bytes, wait_s: float = ANSWER_S, *, again: bool = True
    ) -> dict[int, Outcome]:
        """What each of some units says to the same request, each asked alone.

        Args:
            units: as `addresses` numbers them.
            request: service and data.
            wait_s: how long to wait for the first sign of an answer.
            again: whether a unit that is busy is asked again; not for what changes something.

        Raises:
            LinkLost, Stopped: as `ask`.
        """
        wanted = tuple(dict.fromkeys(units))
        found = self._converse(request, wanted, wait_s, again=again) if wanted else {}
        return {unit: found.get(unit, SILENT) for unit in wanted}

    def ask_all(
        self, request: bytes, wait_s: float = ALL_S, *, again: bool = True
    ) -> dict[int, Outcome]:
        """What all units say that say anything, by unit. Nobody knows how many will.

        Raises:
            ValueError: the request does not fit into a single frame.
            LinkLost, Stopped: as `ask`.
        """
        if not 1 <= len(request) <= 7:
            raise ValueError("a request to all must fit into one frame")
        return self._converse(request, None, wait_s, again=again)

    def check_stopped(self) -> None:
        """Raise `Stopped` once if somebody asked to stop."""
        if self._stopped.is_set():
            self._stopped.clear()
            raise Stopped

    @abstractmethod
    def _converse(
        self, request: bytes, units: tuple[int, ...] | None, wait_s: float, *, again: bool
    ) -> dict[int, Outcome]:
        """Ask units alone, or all (`None`), and wait until each has said its last."""

    @abstractmethod
    def silence(self) -> str:
        """Why nobody may have answered, and what to do: one sentence."""

    @abstractmethod
    def close(self) -> None:
        """Let go of the way to the vehicle."""
