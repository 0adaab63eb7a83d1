"""A recording in progress: sources in threads of their own, one clock, everything kept as it comes."""

import logging
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

from nervus.domain.channel import FloatArray
from nervus.domain.errors import OutsideError, Stopped
from nervus.language import say
from nervus.link.source import Block, Clock, Source

_log = logging.getLogger(__name__)
_RETRY_S, _DISK_AGAIN_S = 1.0, 1.0
_OWN_FAULT = say("stopped by a fault of Nervus' own; please report it with the log")


class Keeper(Protocol):
    """Where samples and marks are kept as they come (the journal)."""

    def samples(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Keep samples."""

    def mark(self, time_s: float, text: str) -> None:
        """Keep a mark."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that went wrong with a source or the disk: told, and where it left a gap marked."""

    time_s: float
    source: str
    text: str


class Capture:
    """Runs sources together until it is stopped.

    A source that is lost leaves a mark, is tried again every second, and leaves another when it is back.
    While the disk takes nothing, what comes is lost and said to be; it is tried every second too.
    Nothing is held in memory.

    Args:
        sources: opened and read here, each in its own thread.
        keeper: gets everything; `None` to watch without keeping.
        watch: called with blocks as they come, from the sources' threads; must not wait.
        tell: called with troubles, from the sources' threads.
    """

    def __init__(
        self,
        sources: Sequence[Source],
        keeper: Keeper | None,
        watch: Callable[[Sequence[Block]], None] = lambda _b: None,
        tell: Callable[[Trouble], None] = lambda _t: None,
    ) -> None:
        self.clock = Clock()
        self._sources = tuple(sources)
        self._keeper = keeper
        self._watch = watch
        self._tell = tell
        self._keeping = threading.RLock()
        self._ended = threading.Event()
        self._full_since: float | None = None
        self._disk_again = 0.0
        self._threads = [
            threading.Thread(
                target=self._run, args=(s,), name=say("source {name}", name=s.name), daemon=True
            )
            for s in self._sources
        ]

    def start(self) -> None:
        """Open all sources, then begin reading them together.

        Raises:
            OutsideError: one of them can't be reached; those already open are closed again.
        """
        opened = []
        try:
            for source in self._sources:
                source.trouble = lambda text, source=source: self._say(source, text)  # type: ignore[misc] # a default binds it
                source.open(self.clock)
                opened.append(source)
        except BaseException:
            for source in opened:
                source.close()
            raise
        self.clock.restart()
        for thread in self._threads:
            thread.start()

    def mark(self, text: str) -> float:
        """Keep a mark now; returns its instant."""
        now = self.clock.now()
        self._keep(lambda keeper: keeper.mark(now, text))
        return now

    def keep_with(self, keeper: Keeper | None) -> None:
        """Keep in something else from now on, or no more."""
        with self._keeping:
            self._keeper, self._full_since = keeper, None

    def stop(self) -> None:
        """End all sources; what was kept is whole."""
        self._ended.set()
        for source in self._sources:
            # One that is in the middle of a long question is told to leave it.
            getattr(source, "stop_asking", _nothing)()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(7.0)

    def _keep(self, what: Callable[[Keeper], None]) -> None:
        with self._keeping:
            now = self.clock.now()
            if self._keeper is None or (self._full_since is not None and now < self._disk_again):
                return
            try:
                if self._full_since is not None:
                    self._keeper.mark(
                        now,
                        say(
                            "the disk took nothing for {full_since:.1f} s before this",
                            full_since=now - self._full_since,
                        ),
                    )
                what(self._keeper)
            except OSError as wrong:
                self._disk_again = now + _DISK_AGAIN_S
                if self._full_since is None:
                    self._full_since = now
                    told = say(
                        "takes nothing ({strerror}): what came before is kept, what comes now is lost; "
                        "make room, and it goes on by itself.",
                        strerror=wrong.strerror,
                    )
                    self._tell(Trouble(now, "disk", told))
                return
            if self._full_since is not None:
                told = say(
                    "takes what comes again; {full_since:.1f} s are missing.",
                    full_since=now - self._full_since,
                )
                self._full_since = None
                self._tell(Trouble(now, "disk", told))

    def _keep_block(self, block: Block) -> None:
        self._keep(lambda keeper: keeper.samples(block.channel, block.time_s, block.values))

    def _run(self, source: Source) -> None:
        try:
            while not self._ended.is_set():
                try:
                    blocks = source.read()
                    for block in blocks:
                        self._keep_block(block)
                    if blocks:
                        self._watch(blocks)
                except Stopped:
                    continue
                except OutsideError as wrong:
                    self._lost(source, str(wrong))
                except Exception:  # noqa: BLE001 - the last guard of the thread: marked, told, tried again
                    _log.exception("source %s failed", source.name)
                    self._lost(source, _OWN_FAULT)
        finally:
            source.close()

    def _lost(self, source: Source, why: str) -> None:
        self._say(source, say("lost: {why}", why=why))
        while not self._ended.wait(_RETRY_S):
            try:
                source.open(self.clock)
            except (OutsideError, Stopped):
                continue
            except Exception:  # noqa: BLE001 - as above
                _log.exception("source %s can't be opened", source.name)
                continue
            self._say(source, "back")
            return

    def _say(self, source: Source, text: str) -> None:
        now = self.clock.now()
        self._keep(lambda keeper: keeper.mark(now, f"{source.name} {text}"))
        self._tell(Trouble(now, source.name, text))


def _nothing() -> None:
    """What a source does that never waits for long."""
