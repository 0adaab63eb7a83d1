"""Any file that holds a recording or codes: CSV, our own, MDF, a log of CAN traffic, a report."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from nervus.domain.channel import Recording
from nervus.domain.errors import RecordingUnusable
from nervus.domain.job import SeenCode
from nervus.files import read_recording
from nervus.files.code_report import read_codes_file
from nervus.link.can_log import is_can_log, read_can_log


@dataclass(frozen=True, slots=True, eq=False)
class Read:
    """What a file held; at least one of both."""

    recording: Recording | None
    codes: tuple[SeenCode, ...] = ()


def read_any(path: Path, mapping: Mapping[str, str] | None = None) -> Read:
    """What a file holds.

    Args:
        path: the file.
        mapping: other column names of a CSV to channel identifiers.

    Raises:
        RecordingUnusable: in one sentence: what is wrong, where, what would be accepted.
    """
    if is_can_log(path):
        traffic = read_can_log(path)
        return Read(traffic.recording, traffic.codes)
    return Read(read_recording(path, mapping))


def codes_in_file(path: Path) -> tuple[SeenCode, ...]:
    """The codes that a report or a log of traffic holds.

    Raises:
        OutsideError: it can't be read, or no code stands in it.
    """
    if is_can_log(path):
        return read_can_log(path).codes
    return read_codes_file(path)


def recording_in(path: Path, mapping: Mapping[str, str] | None = None) -> Recording:
    """The recording that a file holds.

    Raises:
        RecordingUnusable: it can't be read, or holds codes only.
    """
    read = read_any(path, mapping)
    if read.recording is None:
        raise RecordingUnusable.only_codes(path.name, [code.code for code in read.codes])
    return read.recording
