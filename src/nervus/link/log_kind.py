"""Which files are logs of CAN traffic: told without loading, for half a second, what reads them."""

import re
from pathlib import Path

from nervus.domain.errors import RecordingUnusable
from nervus.tables.mapping import propose

SUFFIXES = (".log", ".asc", ".blf", ".trc")
BINARY = frozenset({".blf", ".mf4"})
_SIGNS = {
    ".log": re.compile(r"^\(\d+\.\d+\)\s+\S+\s+[0-9A-Fa-f]{3,8}#", re.MULTILINE),
    ".asc": re.compile(
        r"^(base\s+(hex|dec)|\s*\d+\.\d+\s+\d+\s+[0-9A-Fa-f]+x?\s+(Rx|Tx)\b)", re.MULTILINE
    ),
    ".trc": re.compile(r"^(;\$FILEVERSION=|\s*\d+\)\s+\d+(\.\d+)?\s)", re.MULTILINE),
}


def kind_of_log(path: Path) -> str:
    """The kind of log that a file is by its first lines, as its suffix; "" where it is none."""
    try:
        with path.open("rb") as file:
            head = file.read(4096)
    except OSError:
        return ""
    if head.startswith(b"LOGG"):
        return ".blf"
    text = head.decode("latin-1")
    return next((suffix for suffix, signs in _SIGNS.items() if signs.search(text)), "")


def is_can_log(path: Path) -> bool:
    """Whether a file is such a log: by its content, or by a name that no table has."""
    suffix = path.suffix.lower()
    return bool(kind_of_log(path)) or (suffix in SUFFIXES and not _may_be_table(path, suffix))


def _may_be_table(path: Path, suffix: str) -> bool:
    """A table may be called `.log` as well."""
    if suffix in BINARY:
        return False
    try:
        propose(path)
    except RecordingUnusable:
        return False
    return True
