"""What all tests share: a screen without a monitor, settings of their own, the shipped typeface."""

import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

# Before Qt starts: the offscreen screen is 800x800 unless told otherwise, and no test may touch the
# settings of the person who runs it.
_SCRATCH = tempfile.TemporaryDirectory()
_SCREEN = Path(_SCRATCH.name) / "screen.json"
_SCREEN.write_text(
    json.dumps(
        {
            "screens": [
                {
                    "name": "S",
                    "x": 0,
                    "y": 0,
                    "width": 1280,
                    "height": 800,
                    "logicalDpi": 96,
                    "logicalBaseDpi": 96,
                    "dpr": 1,
                }
            ]
        }
    )
)
if os.environ.get("QT_QPA_PLATFORM", "offscreen") == "offscreen":
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={_SCREEN}"
os.environ["NERVUS_LANGUAGE"] = "en"
os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_DATA_HOME"] = _SCRATCH.name

SAMPLES = Path(__file__).parent / "data" / "samples"


@pytest.fixture(scope="session")
def qapp_cls() -> type:
    """Our own application, with the typeface that ships."""
    from nervus.window.app import NervusApplication

    return NervusApplication


@pytest.fixture
def window(qtbot: object, tmp_path: Path) -> Iterator[object]:
    """A window at 1280x800 with settings and a logbook of its own, at the station Record."""
    from PyQt6.QtCore import QSettings

    from nervus.window.main_window import MainWindow

    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    shown = MainWindow(settings, tmp_path / "logbook.db")
    shown.resize(1280, 800)
    qtbot.addWidget(shown)  # type: ignore[attr-defined] # pytest-qt's fixture
    shown.show()
    shown.go("record")
    yield shown
    shown.close()
