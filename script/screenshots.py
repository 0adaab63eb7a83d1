"""Takes a picture of each main view at 1280x800 from demo data; called by script/screenshots."""

import json
import math
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from nervus.window.jobs.mapping_dialog import MappingDialog
    from nervus.window.main_window import MainWindow

SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
SWEEPING_S, SHAKEN_S = 22.0, (9.0, 15.0)
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
GERMAN = "--german"


def main(folder: Path, *, german: bool) -> None:
    """Write every picture into the folder, or the one that speaks German: a process has one language."""
    if not german:
        os.environ["NERVUS_LANGUAGE"] = "en"
        again = [sys.executable, __file__, str(folder), GERMAN]
        subprocess.run(again, env=os.environ | {"NERVUS_LANGUAGE": "de"}, check=True)  # noqa: S603 - ourselves
    with tempfile.TemporaryDirectory() as scratch:
        screen = Path(scratch) / "screen.json"
        screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
        os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
        os.environ["XDG_CONFIG_HOME"] = scratch
        take_all(folder, german=german)


def take_all(folder: Path, *, german: bool) -> None:
    """Open each case in its view and theme, and save what the window shows."""
    from PyQt6.QtCore import QEventLoop, QTimer  # noqa: PLC0415 - after the screen is set

    from nervus.window.app import NervusApplication, settings  # noqa: PLC0415
    from nervus.window.main_window import MainWindow  # noqa: PLC0415
    from nervus.window.pictures.recording_panel import OVER_TRAVEL, PAIR  # noqa: PLC0415

    application = NervusApplication([])
    kept = settings()
    kept.setValue("recordings", os.environ["XDG_CONFIG_HOME"])
    logbook = Path(os.environ["XDG_CONFIG_HOME"]) / "logbook.db"
    window = MainWindow(kept, logbook=logbook)
    window.resize(1280, 800)
    window.show()

    def settle(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    def picture(name: str, case: str | None, theme: str, act: Callable[[], object] | None) -> None:
        window.set_theme(theme)
        window.go("record")
        if case is None:
            window.close_recording()
        else:
            window.open_demo(case)
            while window.is_busy:
                settle(20)
        if act is not None:
            act()
        settle(400)
        window.grab().save(str(folder / f"{name}.png"))

    folder.mkdir(parents=True, exist_ok=True)
    over_travel = lambda: window.panel.show_view(OVER_TRAVEL)  # noqa: E731 - two of a kind
    if german:
        picture("dead-spot-german-dim", "dead-spot", "dim", over_travel)
    else:
        picture("over-travel-loose-wire", "loose-wire", "bright", over_travel)
        picture("track-against-track", "bent-track", "bright", lambda: window.panel.show_view(PAIR))
        take_live(window, folder, settle)
        take_jobs(window, folder, settle)
        take_pins(window, folder, settle)
        take_repairs(window, folder, settle)
    window.close()
    application.processEvents()


def asked_mapping(window: "MainWindow", settle: Callable[[int], None]) -> "MappingDialog":
    """The dialog that asks what the columns of a table are, once it is there."""
    from nervus.window.jobs.mapping_dialog import MappingDialog  # noqa: PLC0415 - after the screen is set

    while not window.findChildren(MappingDialog):
        settle(50)
    return window.findChildren(MappingDialog)[0]


def take_jobs(window: "MainWindow", folder: Path, settle: Callable[[int], None]) -> None:
    """Fill the logbook with the demo's jobs and save each station of one."""
    from nervus.domain.job import Change, Source, new_id, now  # noqa: PLC0415 - after the screen is set
    from nervus.window.pages.decide_page import DecidePage  # noqa: PLC0415

    window.set_theme("bright")
    window.go("jobs")
    window.fill_with_demo()
    while window.home.model.rowCount() < 26:
        settle(50)
    window.home.list.setCurrentIndex(window.home.model.index(4, 0))
    settle(600)
    window.grab().save(str(folder / "jobs.png"))
    row = next(r for r in window.home.model.rows if "wet mornings" in r.complaint)
    for station, theme in (
        ("codes", "bright"),
        ("complaint", "bright"),
        ("look", "dim"),
        ("decide", "bright"),
        ("mend", "bright"),
    ):
        window.set_theme(theme)
        if window.job is None:
            window.open_job(row.id, station)
        else:
            window.go(station)
        if station == "mend":
            done = "ground pin cleaned, plug seated"
            window.job_part.put(Change(id=new_id(), at=now(), source=Source.SEEN, done=done))
        settle(600)
        window.grab().save(str(folder / f"job-{station}.png"))
    window.go("jobs")
    row = next(r for r in window.home.model.rows if "pulls away" in r.complaint)
    window.set_theme("dim")
    window.open_job(row.id, "decide")
    settle(600)
    page = window.stations.page("decide")
    assert isinstance(page, DecidePage)  # noqa: S101 - what the station is made of
    page.show_view(1)
    page.tests.outcomes[0].click()
    settle(400)
    window.grab().save(str(folder / "job-decide-next-dim.png"))
    page.show_view(0)
    window.set_theme("bright")
    window.go("jobs")
    table = Path(os.environ["XDG_CONFIG_HOME"]) / "other-program.csv"
    rows = ""
    for n in range(300):
        volts = 2.5 - 1.9 * math.cos(n / 40)
        one = "---" if n < 2 else f"{1000 * volts:.1f}"
        cells = (f"{n * 20}", one, f"{5000 - 1000 * volts:.1f}", f"{850 + n % 9}", "21")
        rows += ";".join(cells).replace(".", ",") + "\n"
    table.write_text("Zeit;TPS 1;TPS 2 [mV];Drehzahl [1/min];Innenraum [°C]\n" + rows)
    window.open_file(table)
    dialog = asked_mapping(window, settle)
    settle(200)
    dialog.grab().save(str(folder / "mapping.png"))
    dialog.reject()


def take_pins(window: "MainWindow", folder: Path, settle: Callable[[int], None]) -> None:
    """A plug with a contradiction in its table, and a setting whose slot ends short."""
    from nervus.window.pins.pins_page import PinsPage  # noqa: PLC0415 - after the screen is set
    from nervus.window.pins.setting_dialog import SettingDialog  # noqa: PLC0415

    for words, name in (("nothing noticed", "job-pins"), ("from stock", "setting")):
        row = next(r for r in window.home.model.rows if words in r.complaint)
        window.open_job(row.id, "pins")
        settle(3000)
        page = window.stations.page("pins")
        assert isinstance(page, PinsPage)  # noqa: S101 - what the station is made of
        if name == "job-pins":
            window.grab().save(str(folder / f"{name}.png"))
        else:
            page.setting.click()
            settle(300)
            dialog = page.findChild(SettingDialog)
            assert dialog is not None  # noqa: S101 - it was opened the line before
            dialog.grab().save(str(folder / f"{name}.png"))
            dialog.close()
        window.go("jobs")


def take_repairs(window: "MainWindow", folder: Path, settle: Callable[[int], None]) -> None:
    """A watch that is met, the findings of before asked for again, and the page for the customer."""
    from PyQt6.QtCore import QSize  # noqa: PLC0415 - after the screen is set
    from PyQt6.QtPdf import QPdfDocument  # noqa: PLC0415

    from nervus.link.reading import kept_recording  # noqa: PLC0415
    from nervus.report.document import Audience  # noqa: PLC0415
    from nervus.report.written import make_report, write_report  # noqa: PLC0415
    from nervus.window.pages.prove_page import COMPARE, ProvePage  # noqa: PLC0415

    row = next(r for r in window.home.model.rows if "from the pier" in r.complaint)
    window.open_job(row.id, "prove")
    settle(2500)
    page = window.stations.page("prove")
    assert isinstance(page, ProvePage)  # noqa: S101 - what the station is made of
    window.grab().save(str(folder / "job-prove.png"))
    window.set_theme("dim")
    page.show_view(COMPARE)
    settle(3000)
    window.grab().save(str(folder / "job-compare-dim.png"))
    window.set_theme("bright")
    job, files = window.job, window.job_part.files
    assert job is not None  # noqa: S101 - it was opened above
    to = Path(os.environ["XDG_CONFIG_HOME"]) / "report.pdf"
    report = make_report(job, lambda name: files / name, kept_recording, Audience.CUSTOMER)
    write_report(report, to)
    document = QPdfDocument(None)
    document.load(str(to))
    document.render(0, QSize(827, 1170)).save(str(folder / "report.png"))
    window.go("jobs")


def take_live(window: "MainWindow", folder: Path, settle: Callable[[int], None]) -> None:
    """Connect the simulated vehicle, sweep, shake, and save what shows; then what could be connected."""
    window.connect_simulated("open-signal2~shake")
    while "times a second" not in window.live_panel.state.text():
        settle(50)
    window.live.toggle_record()
    began, shaken = time.monotonic(), False
    while (now := time.monotonic() - began) < SWEEPING_S:
        window.live_panel.hands.pedal.setValue(round(50 - 50 * math.cos(2 * math.pi * now / 5)))
        if shaken != (SHAKEN_S[0] < now < SHAKEN_S[1]):
            shaken = not shaken
            window.live.shake(on=shaken)
            if shaken:
                window.live.mark("shake")
        settle(60)
    window.grab().save(str(folder / "live.png"))
    take_shaking(window, folder, settle)
    window.live.recorded.disconnect()
    window.live.leave()
    window.live_part.show_connect_page("VEHICLE")
    settle(600)
    window.grab().save(str(folder / "connect.png"))
    window.go("jobs")


def take_shaking(window: "MainWindow", folder: Path, settle: Callable[[int], None]) -> None:
    """A guided wiggle test at its second place, where the wire lets go."""
    bar = window.live_panel.shake_bar
    window.live_part.shake.begin()
    settle(300)
    bar.go.click()
    settle(5000)
    bar.next.click()
    settle(200)
    bar.go.click()
    window.live.shake(on=True)
    settle(7000)
    window.grab().save(str(folder / "shake.png"))
    window.live.shake(on=False)
    bar.end.click()
    settle(500)


if __name__ == "__main__":
    main(Path(sys.argv[1]), german=GERMAN in sys.argv)
