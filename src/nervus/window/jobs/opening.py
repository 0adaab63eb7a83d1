"""Opening a recording: read it and judge it, in whatever thread this is called."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from nervus.domain.channel import CHANNEL_KINDS, OTHER, Mark, Recording
from nervus.domain.errors import RecordingUnusable
from nervus.domain.job import SeenCode, Vehicle
from nervus.domain.progress import Progress
from nervus.language import say

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis
    from nervus.drawn.pictures import Pictures
    from nervus.tables.mapping import CsvMapping, Proposal

# Reading takes about this share of the whole, for the progress bar.
_READ_SHARE = 0.3
# So many columns are named in a sentence.
_MOST_NAMED = 5


@dataclass(frozen=True, slots=True, eq=False)
class Opened:
    """A recording with its judgement, ready to be shown.

    Attributes:
        recording: what was captured.
        analysis: what was found in it.
        title: what stands above it.
        vehicle: whose it is, in the demo.
        complaint: of the demo's case.
        state: what the head says of it.
        path: the file that a job may keep, `None` where there is none.
        codes: what control units told meanwhile, in a log of traffic.
        pictures: what it is drawn from, if that was made already.
        original: the file of another program's that it was made from.
        remarks: what is to be said of how it was read, as sentences.
        mapped: whether it was read by a mapping that was agreed to.
        profile: what it was held against, by name; "" for nothing.
    """

    recording: Recording
    analysis: "Analysis"
    title: str
    vehicle: Vehicle | None = None
    complaint: str = ""
    state: str = ""
    path: Path | None = None
    codes: tuple[SeenCode, ...] = ()
    pictures: "Pictures | None" = None
    original: Path | None = None
    remarks: tuple[str, ...] = ()
    mapped: bool = False
    profile: str = ""

    def anew(self, judged: "Opened") -> "Opened":
        """The same as it is judged now, under the name that it has."""
        return replace(
            self,
            recording=judged.recording,
            analysis=judged.analysis,
            pictures=judged.pictures,
            profile=judged.profile,
        )

    def as_read(self) -> "WasRead | None":
        """What a job may keep of it, `None` where there is no file."""
        if self.path is None:
            return None
        return _read_of(self.recording, self.path, self.title, self.original)


@dataclass(frozen=True, slots=True)
class WasRead:
    """A file that was read as a recording, before it is judged.

    Attributes:
        path: what a job keeps of it.
        title: what it is called.
        duration_s: from the first sample to the last.
        channels: their identifiers.
        original: the file of another program's that it was made from.
    """

    path: Path
    title: str
    duration_s: float
    channels: tuple[str, ...]
    original: Path | None = None


Announce = Callable[[WasRead], None]
"""Called as soon as a file was read: from then on it can be kept, whatever comes of judging it."""


@dataclass(frozen=True, slots=True)
class MappingWanted:
    """A table of another program's: which column is what is to be agreed to first.

    Attributes:
        path: the file.
        proposal: what its columns may be.
        doubts: what is not sure or can't be, as sentences.
        known: whether a mapping that was agreed to before no longer does.
    """

    path: Path
    proposal: "Proposal"
    doubts: tuple[str, ...] = ()
    known: bool = False


def open_file(
    path: Path,
    progress: Progress,
    announce: Announce = lambda _read: None,
    marks: tuple[Mark, ...] | None = None,
    profile: str = "",
) -> Opened:
    """Read and judge a file; with marks that were put right, instead of its own.

    A profile is that of the vehicle's throttle, by name.

    Raises:
        OutsideError: it can't be read as a recording.
    """
    from nervus.link.reading import read_any  # noqa: PLC0415 - loads pandas, in the background

    progress(say("Reading {name}", name=path.name), 0.05)
    read = read_any(path)
    if read.recording is None:
        raise RecordingUnusable.only_codes(path.name, [code.code for code in read.codes])
    announce(_read_of(read.recording, path, path.name))
    recording = read.recording if marks is None else replace(read.recording, marks=marks)
    analysis, pictures = _judge(recording, progress, profile)
    return Opened(
        recording,
        analysis,
        path.name,
        path=path,
        codes=read.codes,
        pictures=pictures,
        remarks=read.remarks,
        profile=profile,
    )


def _read_of(recording: Recording, path: Path, title: str, original: Path | None = None) -> WasRead:
    channels = tuple(c.id for c in recording.channels)
    return WasRead(path, title, recording.duration_s, channels, original)


@dataclass(frozen=True, slots=True)
class KeptFile:
    """A recording of a job, on the disk.

    Attributes:
        path: its file.
        name: what it is called there.
        marks: its marks where they were put right; `None` for those in the file.
        profile: of its vehicle's throttle, by name; "" where nobody chose one.
    """

    path: Path
    name: str
    marks: tuple[Mark, ...] | None = None
    profile: str = ""


def open_kept(kept: KeptFile, progress: Progress) -> Opened:
    """Read and judge a recording of a job, under the name that it has there.

    Raises:
        OutsideError: it can't be read any more.
    """
    return replace(
        open_file(kept.path, progress, marks=kept.marks, profile=kept.profile), title=kept.name
    )


def open_or_propose(
    path: Path, progress: Progress, announce: Announce, profile: str = ""
) -> "Opened | MappingWanted":
    """The same; but a table of another program's comes back as a proposal of what it may be.

    Raises:
        OutsideError: it can't be read as a recording, nor as a table.
    """
    from nervus.tables.wishes import RecordingQuestioned  # noqa: PLC0415 - in the background

    try:
        foreign = _foreign(path, progress)
        return foreign if foreign is not None else open_file(path, progress, announce, None, profile)
    except RecordingQuestioned as asked:
        if asked.proposal is None or asked.proposal.mapping.is_long:
            raise
        return MappingWanted(path, asked.proposal, tuple(q.text for q in asked.questions))
    except RecordingUnusable as wrong:
        # Our own shape but for a column: what that is can be agreed to as for any table.
        wanted = _of_columns(path) if wrong.place.line == 1 and wrong.place.column is not None else None
        if wanted is None:
            raise
        return replace(wanted, doubts=(*_without_a_place(wanted), *wanted.doubts))


def _foreign(path: Path, progress: Progress) -> MappingWanted | None:
    """A table whose columns are not named as ours, to be agreed to; `None` for everything else."""
    from nervus.link.reading import is_foreign_table  # noqa: PLC0415 - loads pandas, in the background

    if not is_foreign_table(path):
        return None
    progress(say("Reading {name}", name=path.name), 0.05)
    return _of_columns(path)


def _of_columns(path: Path) -> MappingWanted | None:
    """What the columns of a table may be; `None` where there is nothing to agree to.

    Raises:
        RecordingUnusable: it is no table.
    """
    from nervus.tables.mapping import propose  # noqa: PLC0415 - loads pandas, in the background
    from nervus.tables.wishes import asked, better  # noqa: PLC0415

    proposal = propose(path)
    mapping = proposal.mapping
    if mapping.is_long or all(c.channel == c.name for c in mapping.columns):
        return None  # our own names
    try:
        _read, questions = asked(path, proposal, mapping, frozenset())
    except RecordingUnusable as wrong:
        # A cell that does not fit what is proposed: another choice may.
        return MappingWanted(path, proposal, (_where(wrong),))
    proposed = replace(proposal, mapping=better(mapping, questions))
    return MappingWanted(path, proposed, tuple(q.text for q in questions))


def _without_a_place(wanted: MappingWanted) -> tuple[str, ...]:
    """The columns that are proposed to be nothing of ours, as a sentence; where all are that is told."""
    from nervus.tables.mapping import IGNORE  # noqa: PLC0415 - loads pandas, in the background

    columns = wanted.proposal.mapping.columns
    names = [f"“{c.name}”" for c in columns if c.channel in (IGNORE, OTHER)]
    if not names or not any(c.channel in CHANNEL_KINDS for c in columns):
        return ()
    told = ", ".join(names[:_MOST_NAMED])
    more = len(names) - _MOST_NAMED
    if more > 0:
        return (say("no channel is called {names}, nor are {more} more", names=told, more=more),)
    return (say("no channel is called {names}", names=told),)


def _where(wrong: RecordingUnusable) -> str:
    """What is wrong and where, without what a command would accept."""
    where = say(", line {line}", line=wrong.place.line) if wrong.place.line is not None else ""
    column = (
        say(", column {column}", column=wrong.place.column) if wrong.place.column is not None else ""
    )
    return f"{wrong.wrong}{column}{where}"


def open_mapped(
    path: Path,
    mapping: "CsvMapping",
    scratch: Path,
    progress: Progress,
    announce: Announce,
    profile: str = "",
) -> Opened:
    """Read a table as a mapping says, write it as ours into a scratch folder, and judge it.

    Raises:
        RecordingQuestioned: its values can't be, read so.
        OutsideError: a cell does not fit the mapping.
    """
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415
    from nervus.tables.mapping import Proposal  # noqa: PLC0415 - loads pandas
    from nervus.tables.wishes import RecordingQuestioned, asked  # noqa: PLC0415

    progress(say("Reading {name}", name=path.name), 0.05)
    agreed = Proposal(mapping, ())
    read, questions = asked(path, agreed, mapping, frozenset(range(len(mapping.columns))))
    if read is None or questions:
        raise RecordingQuestioned(path, questions, agreed)
    recording = read.recording
    ours = scratch / f"{path.stem}.csv"
    write_recording(recording, ours)
    announce(_read_of(recording, ours, path.name, path))
    analysis, pictures = _judge(recording, progress, profile)
    return Opened(
        recording,
        analysis,
        path.name,
        path=ours,
        pictures=pictures,
        original=path,
        remarks=read.remarks,
        mapped=True,
        profile=profile,
    )


def open_demo(case_id: str, scratch: Path, progress: Progress, announce: Announce) -> Opened:
    """Make a case of the demo, write it into a scratch folder, and judge it."""
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415 - loads pandas
    from nervus.standin.demo import case_named  # noqa: PLC0415 - for the demo only

    progress(say("Making the demo recording"), 0.05)
    case = case_named(case_id)
    recording = case.make()
    path = scratch / recording.name
    write_recording(recording, path)
    announce(_read_of(recording, path, case.title))
    analysis, pictures = _judge(recording, progress)
    return Opened(
        recording,
        analysis,
        case.title,
        case.vehicle,
        case.complaint,
        say("demo · invented data"),
        path,
        pictures=pictures,
    )


def _judge(recording: Recording, progress: Progress, profile: str = "") -> "tuple[Analysis, Pictures]":
    """The analysis, and what the pictures are drawn from: both are long for a long recording."""
    from nervus.judge.analyse import analyse  # noqa: PLC0415 - loads the core, in the background
    from nervus.judge.profiles import chosen_profile  # noqa: PLC0415

    def onward(doing: str, share: float) -> None:
        progress(doing, _READ_SHARE + (1.0 - _READ_SHARE) * share)

    analysis = analyse(recording, chosen_profile(profile), progress=onward)
    from nervus.drawn.pictures import Pictures  # noqa: PLC0415 - with what the core needs

    return analysis, Pictures(recording, analysis.examination).prepare()
