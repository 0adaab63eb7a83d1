"""All that the world can do to a command, said in one sentence: nowhere else are its errors caught."""

import errno
import os
import socket
import sys
from collections.abc import Callable
from typing import Final, TextIO

from nervus.domain.errors import OutsideError
from nervus.language import say

USED, UNUSABLE, INTERRUPTED = 0, 2, 130
# What may happen to any command, and is no bug of ours.
OF_THE_WORLD: Final = (OutsideError, OSError, MemoryError)
_MEANT: Final = {
    errno.ENOENT: say("there is no such file or folder"),
    errno.EACCES: say("it may not be read or written by you"),
    errno.EPERM: say("it may not be read or written by you"),
    errno.EISDIR: say("it is a folder"),
    errno.ENOTDIR: say("a part of its path is a file, no folder"),
    errno.ENOSPC: say("the disk is full"),
    errno.EDQUOT: say("your share of the disk is full"),
    errno.EROFS: say("the disk can't be written to"),
    errno.ENAMETOOLONG: say("the name is too long"),
    errno.ELOOP: say("its links lead in a circle"),
    errno.EIO: say("the disk or the device failed"),
    errno.ECONNREFUSED: say("nobody listens there"),
    errno.ETIMEDOUT: say("nobody answers there"),
    errno.EHOSTUNREACH: say("no way leads there"),
    errno.ENETUNREACH: say("no network leads there"),
    errno.EADDRINUSE: say("the port is taken"),
    errno.EMFILE: say("too many files are open"),
    errno.ENFILE: say("too many files are open"),
}


def guarded(command: Callable[[], int]) -> int:
    """Run a command; returns the exit code, whatever the world does meanwhile."""
    _show_any_letter(sys.stdout, sys.stderr)
    try:
        code = command()
        if sys.stdout is not None:  # where it was closed before we began there is none
            sys.stdout.flush()
    except KeyboardInterrupt:
        _told("stopped.")
        return INTERRUPTED
    except BrokenPipeError:
        # The reader of our output (`| head`) has seen enough; nothing more can be told to it.
        _turn_away(sys.stdout)
        return USED
    except OF_THE_WORLD as wrong:
        return _told(words_of(wrong))
    return code


def words_of(wrong: BaseException) -> str:
    """What is wrong, in one sentence, for each of `OF_THE_WORLD`."""
    if isinstance(wrong, OSError):
        return sentence(wrong)
    if isinstance(wrong, MemoryError):
        return say("there is not enough memory for this; a shorter recording may do.")
    return str(wrong)


def sentence(wrong: OSError) -> str:
    """What an error of the system means: where it is, and what it is."""
    if isinstance(wrong, socket.gaierror):
        return say("the name of that machine is not known here; its number will do, or look for a slip.")
    where = f"{wrong.filename}: " if wrong.filename else ""
    meant = _MEANT.get(wrong.errno or 0) or (wrong.strerror or str(wrong) or say("it failed")).lower()
    return f"{where}{meant}."


def _told(words: str) -> int:
    try:
        print(say("nervus: {words}", words=words), file=sys.stderr, flush=True)
    except OSError:
        _turn_away(sys.stderr)  # nobody is left who could be told
    return UNUSABLE


def _turn_away(stream: TextIO | None) -> None:
    """Let what is still to be written go nowhere: nothing complains when the program ends."""
    if stream is None:
        return
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, stream.fileno())
    os.close(nowhere)


def _show_any_letter(*streams: TextIO | None) -> None:
    """A terminal that can't show a letter gets it spelt out, instead of a failure."""
    for stream in streams:
        reconfigure = getattr(stream, "reconfigure", None)
        if (
            stream is not None
            and reconfigure is not None
            and (stream.encoding or "").lower().replace("-", "") != "utf8"
        ):
            reconfigure(errors="backslashreplace")
