"""What the world can do to a logbook, each as one sentence; the tree hangs under `OutsideError`."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.exc import DBAPIError

from nervus.domain.errors import OutsideError
from nervus.language import say


class LogbookUnusable(OutsideError):
    """It can't be opened or read: not a logbook, damaged, of a newer version, or out of reach."""


class NotSaved(OutsideError):
    """It can't be written now: the disk is full, read-only or gone, or another program holds it."""


_NOT_SAVED = {
    sqlite3.SQLITE_FULL: say("the disk is full; make room on it"),
    sqlite3.SQLITE_READONLY: say("the file or its folder may only be read; give write permission"),
    sqlite3.SQLITE_IOERR: say("the disk does not take it; look whether it is still there"),
    sqlite3.SQLITE_BUSY: say("another program holds the logbook; close it"),
    sqlite3.SQLITE_LOCKED: say("another program holds the logbook; close it"),
}
_UNUSABLE = {
    sqlite3.SQLITE_NOTADB: say("it is no logbook; choose another file"),
    sqlite3.SQLITE_CORRUPT: say("it is damaged; open the newest backup beside it"),
    sqlite3.SQLITE_CANTOPEN: say(
        "it can't be opened; look whether its folder is there and may be written"
    ),
}


@contextmanager
def told(path: Path) -> Iterator[None]:
    """Turns what the database says into our sentences; what is a bug of ours passes through."""
    try:
        yield
    except (DBAPIError, sqlite3.Error) as wrong:
        # The low byte is the kind; what stands above it is a finer distinction.
        raised = wrong.orig if isinstance(wrong, DBAPIError) else wrong
        code = getattr(raised, "sqlite_errorcode", -1) & 0xFF
        if code in _NOT_SAVED:
            sentence = say(
                "{name}: {not_saved}. It is tried again; nothing typed is lost.",
                name=path.name,
                not_saved=_NOT_SAVED[code],
            )
            raise NotSaved(sentence) from wrong
        if code in _UNUSABLE:
            raise LogbookUnusable(f"{path}: {_UNUSABLE[code]}.") from wrong
        raise
