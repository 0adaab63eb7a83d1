"""Where things are kept: as the settings say, else where the desktop says."""

from pathlib import Path

from PyQt6.QtCore import QSettings, QStandardPaths


def logbook_path(settings: QSettings) -> Path:
    """The logbook's file, among the application's data."""
    data = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.GenericDataLocation)
    return Path(str(settings.value("logbook", str(Path(data) / "nervus" / "logbook.db"))))


def recordings_folder(settings: QSettings) -> Path:
    """Where recordings are written, among the user's documents."""
    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    return Path(str(settings.value("recordings", str(Path(documents) / "Nervus"))))
