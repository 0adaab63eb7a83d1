"""What was agreed to of other programs' tables: remembered for the next of its kind, or forgotten."""

from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QSettings

if TYPE_CHECKING:
    from nervus.tables.mapping import CsvMapping


class AgreedMappings:
    """Mappings by what their tables look like, kept with the window's settings."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings

    def get(self, signature: str) -> "CsvMapping | None":
        """What was agreed to for such tables, `None` where nothing was, or by another version."""
        from nervus.tables.mapping import CsvMapping, problem  # noqa: PLC0415 - seldom wanted: start-up

        try:
            mapping = msgspec.json.decode(
                str(self._settings.value(_key(signature), "")), type=CsvMapping
            )
        except msgspec.DecodeError:
            return None  # none was agreed to, or by another version: it is asked again
        return mapping if not problem(mapping) else None

    def keep(self, signature: str, mapping: "CsvMapping") -> None:
        """Remember."""
        self._settings.setValue(_key(signature), msgspec.json.encode(mapping).decode())

    def forget(self, signature: str) -> None:
        """Ask again next time."""
        self._settings.remove(_key(signature))


def _key(signature: str) -> str:
    import hashlib  # noqa: PLC0415 - off the way to the first window

    return "mapping/" + hashlib.sha256(signature.encode()).hexdigest()[:16]
