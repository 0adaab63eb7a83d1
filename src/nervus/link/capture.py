"""A recording in progress: sources in threads of their own, one clock, everything kept as it comes."""

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

from nervus.domain.channel import FloatArray
from nervus.domain.errors import OutsideError
from nervus.link.source import Block, Clock, Source

_RETRY_S = 1.0


class Keeper(Protocol):
    """Where samples and marks are kept as they come (the journal)."""

    def samples(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Keep samples."""

    def mark(self, time_s: float, text: str) -> None:
        """Keep a mark."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that went wrong with a source: told, and where it left a gap marked."""

    time_s: float
    source: str
    text: str


class Capture:
    """Runs sources together until it is stopped.

    A source that is lost leaves a mark, is tried again every second, and leaves another when it is
    back. Nothing is held in memory.

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
        self._keeping = threading.Lock()
        self._ended = threading.Event()
        self._failed: OSError | None = None
        self._threads = [
            threading.Thread(target=self._run, args=(s,), name=f"source {s.name}", daemon=True)
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
                source.open(self.clock)
                opened.append(source)
        except OutsideError:
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
            self._keeper = keeper

    def stop(self) -> None:
        """End all sources.

        Raises:
            OSError: the disk refused something meanwhile; what was kept before is whole.
        """
        self._ended.set()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(7.0)
        if self._failed is not None:
            raise self._failed

    def _keep(self, what: Callable[[Keeper], None]) -> None:
        with self._keeping:
            if self._keeper is None or self._failed is not None:
                return
            try:
                what(self._keeper)
            except OSError as wrong:
                self._failed = wrong
                told = f"The disk takes nothing more ({wrong.strerror}); what came before is kept."
                self._tell(Trouble(self.clock.now(), "disk", told))

    def _keep_block(self, block: Block) -> None:
        self._keep(lambda keeper: keeper.samples(block.channel, block.time_s, block.values))

    def _run(self, source: Source) -> None:
        try:
            while not self._ended.is_set():
                try:
                    blocks = source.read()
                except OutsideError as wrong:
                    self._lost(source, str(wrong))
                    continue
                for block in blocks:
                    self._keep_block(block)
                if blocks:
                    self._watch(blocks)
        finally:
            source.close()

    def _lost(self, source: Source, why: str) -> None:
        self._say(source, f"lost: {why}")
        while not self._ended.wait(_RETRY_S):
            try:
                source.open(self.clock)
            except OutsideError:
                continue
            self._say(source, "back")
            return

    def _say(self, source: Source, text: str) -> None:
        now = self.clock.now()
        self._keep(lambda keeper: keeper.mark(now, f"{source.name} {text}"))
        self._tell(Trouble(now, source.name, text))
