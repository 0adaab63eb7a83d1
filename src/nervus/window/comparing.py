"""Opening two recordings to lay one over the other; a long one of before in a process beside."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from nervus.domain.analysis import Progress, no_progress
from nervus.proof.again import AskedAgain, ask_again
from nervus.proof.differences import Difference, differences
from nervus.window.opening import Opened, open_kept

# From this size on a second process earns its start, in bytes.
_LONG = 20_000_000


@dataclass(frozen=True, slots=True, eq=False)
class BeforeAfter:
    """Two recordings of one test, and what became of what was found.

    Attributes:
        before, after: as they were opened.
        asked: each finding of before, and what is new.
        numbers: what differs in numbers.
    """

    before: Opened
    after: Opened
    asked: tuple[AskedAgain, ...]
    numbers: tuple[Difference, ...]


def open_both(
    before: tuple[Path, str], after: tuple[Path, str], progress: Progress = no_progress
) -> BeforeAfter:
    """Two kept recordings, each a path and a name, with what changed between them.

    Raises:
        OutsideError: one can't be read any more.
    """
    if _size(before[0]) + _size(after[0]) < _LONG:
        first = open_kept(*before, no_progress)
        second = open_kept(*after, progress)
    else:
        with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as beside:
            future = beside.submit(open_kept, *before, no_progress)
            second = open_kept(*after, progress)
            first = future.result()
    analyses = (first.analysis, second.analysis)
    return BeforeAfter(
        first,
        second,
        ask_again(*analyses),
        differences((first.recording, second.recording), analyses),
    )


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0  # opening it says what is wrong with it
