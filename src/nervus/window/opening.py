"""Opening a recording: read it and judge it, in whatever thread this is called."""

from dataclasses import dataclass
from pathlib import Path

from nervus.domain.analysis import Analysis, Progress
from nervus.domain.channel import Recording
from nervus.domain.job import Vehicle

# Reading takes about this share of the whole, for the progress bar.
_READ_SHARE = 0.3


@dataclass(frozen=True, slots=True, eq=False)
class Opened:
    """A recording with its judgement, ready to be shown."""

    recording: Recording
    analysis: Analysis
    title: str
    vehicle: Vehicle | None
    complaint: str
    state: str


def open_file(path: Path, progress: Progress) -> Opened:
    """Read and judge a file.

    Raises:
        OutsideError: it can't be read as a recording.
    """
    from nervus.link.reading import recording_in  # noqa: PLC0415 - loads pandas, in the background

    progress(f"Reading {path.name}", 0.05)
    recording = recording_in(path)
    return Opened(recording, _judge(recording, progress), path.name, None, "", "")


def open_demo(case_id: str, progress: Progress) -> Opened:
    """Make and judge a case of the demo."""
    from nervus.standin.demo import case_named  # noqa: PLC0415 - for the demo only

    progress("Making the demo recording", 0.05)
    case = case_named(case_id)
    recording = case.make()
    return Opened(
        recording,
        _judge(recording, progress),
        case.title,
        case.vehicle,
        case.complaint,
        "demo · invented data",
    )


def _judge(recording: Recording, progress: Progress) -> Analysis:
    from nervus.judge.analyse import analyse  # noqa: PLC0415 - loads the core, in the background

    def onward(doing: str, share: float) -> None:
        progress(doing, _READ_SHARE + (1.0 - _READ_SHARE) * share)

    return analyse(recording, progress=onward)
