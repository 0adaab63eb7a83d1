"""What a package brings besides the program: man page, completions, desktop file, metainfo."""

import configparser
import runpy
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree as ET

from nervus import __version__
from test_commands_and_the_world import COMMANDS

HERE = Path(__file__).parent.parent
PACKAGING = HERE / "packaging"


def test_man_page_and_completions_are_made_from_the_parser(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, str(PACKAGING / "pages.py"), str(tmp_path)],
        check=False, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    page = (tmp_path / "share/man/man1/nervus.1").read_text("utf-8").replace("\\-", "-")
    bash = (tmp_path / "share/bash-completion/completions/nervus").read_text("utf-8")
    zsh = (tmp_path / "share/zsh/vendor-completions/_nervus").read_text("utf-8")
    for command in COMMANDS:
        assert command in page
        assert command in bash
        assert command in zsh
    # bash itself reads its completions without complaint.
    read = subprocess.run(["/bin/bash", "-n"], input=bash, text=True, check=False, capture_output=True)
    assert (read.returncode, read.stderr) == (0, "")


def test_desktop_file_metainfo_and_types_agree() -> None:
    desktop = configparser.ConfigParser(interpolation=None)
    desktop.optionxform = str  # type: ignore[assignment,method-assign] # keys keep their letters
    desktop.read(PACKAGING / "nervus.desktop", encoding="utf-8")
    entry = desktop["Desktop Entry"]
    opens = set(entry["MimeType"].strip(";").split(";"))
    assert entry["Exec"] == "nervus window %f"
    info = ET.parse(PACKAGING / "nervus.metainfo.xml").getroot()  # noqa: S314 - our own file
    assert {m.text for m in info.iter("mediatype")} == opens
    assert next(info.iter("release")).get("version") == __version__
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    types = ET.parse(PACKAGING / "nervus-mime.xml").getroot()  # noqa: S314 - our own file
    assert {t.get("type") for t in types.iter(f"{space}mime-type")} == opens - {"text/csv"}
    globs = {g.get("pattern") for g in types.iter(f"{space}glob")}
    assert globs == {"*.nervus.zip", "*.nervus", "*.nervus-journal"}


def test_the_icon_is_a_drawing_of_its_own_size() -> None:
    icon = ET.parse(PACKAGING / "nervus.svg").getroot()  # noqa: S314 - our own file
    assert icon.get("viewBox") == "0 0 64 64"
    assert runpy.run_path(str(PACKAGING / "pages.py"))["main"]
