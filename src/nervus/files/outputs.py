"""Where something may be written: never over what nobody agreed to lose, and never over a device."""

import os
import stat
from pathlib import Path

from nervus.domain.errors import OutsideError
from nervus.language import say


class NotWritable(OutsideError):
    """A place that nothing may be written to; the sentence says why and what would do."""


def free_place(path: Path, *, replace: bool = False) -> Path:
    """A path at which a file may appear.

    Args:
        path: where it was asked for.
        replace: whether a file that is there may be lost.

    Raises:
        NotWritable: something is there that may not be lost, or its folder is not there.
    """
    check_regular(path)
    if not path.parent.is_dir():
        raise NotWritable(
            say("{parent}: there is no such folder; make it, or choose another.", parent=path.parent)
        )
    if path.exists() and not replace:
        raise NotWritable(
            say("{path} is there already; choose another name, or say --replace.", path=path)
        )
    if not os.access(path.parent, os.W_OK):
        raise NotWritable(
            say("{parent} may not be written to; choose another folder.", parent=path.parent)
        )
    return path


def check_regular(path: Path) -> None:
    """A device, a pipe or a folder is never replaced by a file, by nobody.

    Raises:
        NotWritable: there is one.
    """
    try:
        mode = path.stat().st_mode  # what a link leads to counts
    except FileNotFoundError:
        return
    except OSError as wrong:
        raise NotWritable(
            say(
                "{path} can't be looked at ({strerror}); choose another.",
                path=path,
                strerror=wrong.strerror,
            )
        ) from wrong
    if stat.S_ISDIR(mode):
        raise NotWritable(say("{path} is a folder; accepted is the name of a file.", path=path))
    if not stat.S_ISREG(mode):
        raise NotWritable(say("{path} is a device or a pipe, no file; choose another name.", path=path))
