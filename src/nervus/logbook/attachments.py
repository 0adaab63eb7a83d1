"""Recordings and photos beside the logbook: copied in whole, named by what is in them."""

import hashlib
import os
import re
import shutil
import threading
from pathlib import Path

from nervus.language import say
from nervus.logbook.errors import NotSaved

_UNSAFE = re.compile(r"[^A-Za-z0-9._-]+")
_LONGEST = 100


class Attachments:
    """A folder of files that entries name."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def keep(self, source: Path) -> tuple[str, str]:
        """Copy a file in; returns its name here and the SHA-256 of its bytes.

        Raises:
            NotSaved: it can't be read or written.
        """
        try:
            with source.open("rb") as file:
                digest = hashlib.file_digest(file, "sha256").hexdigest()
            safe = _UNSAFE.sub("-", source.name).strip(".-")[-_LONGEST:] or "file"
            name = f"{digest[:16]}-{safe}"
            target = self.folder / name
            if not target.is_file():
                self.folder.mkdir(parents=True, exist_ok=True)
                _copy(source, target)
        except OSError as wrong:
            raise NotSaved(
                say("{name}: it can't be kept ({strerror}).", name=source.name, strerror=wrong.strerror)
            ) from wrong
        return name, digest

    def adopt(self, folder: Path) -> None:
        """Take over all files of a folder that were named here or in another logbook.

        Raises:
            NotSaved: one can't be written.
        """
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for source in folder.iterdir():
                if not self.path(source.name).is_file():
                    _copy(source, self.path(source.name))
        except OSError as wrong:
            raise NotSaved(
                say(
                    "{name}: its files can't be kept ({strerror}).",
                    name=folder.name,
                    strerror=wrong.strerror,
                )
            ) from wrong

    def path(self, name: str) -> Path:
        """Where a kept file lies."""
        return self.folder / name


def _copy(source: Path, target: Path) -> None:
    """Copy a file, on the disk before this returns, whole or not at all."""
    part = target.with_name(f"{target.name}.{os.getpid()}-{threading.get_ident()}.part")
    try:
        shutil.copyfile(source, part)
        with part.open("rb") as file:
            os.fsync(file.fileno())
        part.replace(target)
        folder = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    finally:
        part.unlink(missing_ok=True)
