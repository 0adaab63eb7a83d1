"""The questions and answers that take a box of their own."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from nervus import __version__
from nervus.language import available, choose, chosen, say

_BUNDLES = say("Jobs (*.nervus.zip *.zip);;All files (*)")
_PHOTOS = say("Photos (*.jpg *.jpeg *.png *.webp *.tif *.tiff *.bmp);;All files (*)")
_REPORTS = say("PDF (*.pdf);;HTML (*.html)")
_CALENDARS = say("Calendars (*.ics)")
# Each in its own language, so that who strayed into another finds the way back.
_LANGUAGES = {"": say("As the desktop"), "en": "English", "de": "Deutsch"}


def show_about(parent: QWidget) -> None:
    """What this is, and whose the last word is."""
    box = QMessageBox(parent)
    box.setWindowTitle(say("About Nervus"))
    box.setText(say("Nervus {version}", version=__version__))
    box.setInformativeText(
        say(
            "Nervus advises; the technician decides. The maker's procedure and local rules "
            "come first, and work on safety systems belongs to licensed people.\n\nFree "
            "software under GPL-3.0-or-later. The typeface B612 is under the SIL Open Font "
            "License 1.1."
        )
    )
    box.setStandardButtons(QMessageBox.StandardButton.Close)
    box.open()


def ask_for_language(parent: QWidget, told: Callable[[str], object]) -> QInputDialog:
    """In which language the next start speaks; `told` gets a sentence of what follows."""
    codes = ["", *available()]
    names = [_LANGUAGES.get(code, code) for code in codes]
    box = QInputDialog(parent)
    box.setWindowTitle(say("Language"))
    box.setLabelText(say("Nervus speaks it from the next start on."))
    box.setOption(QInputDialog.InputDialogOption.UseListViewForComboBoxItems)
    box.setComboBoxItems(names)
    box.setTextValue(_LANGUAGES.get(chosen(), names[0]))
    box.setOkButtonText(say("Keep"))
    box.setCancelButtonText(say("Leave it"))

    def keep(name: str) -> None:
        try:
            choose(codes[names.index(name)])
        except OSError as wrong:
            told(say("The language can't be kept: {wrong}", wrong=str(wrong)))
        else:
            told(say("The next start speaks it: {name}.", name=name))

    box.textValueSelected.connect(keep)
    box.open()
    return box


def really_leave(parent: QWidget) -> bool:
    """Whether to leave although something could not be saved."""
    box = QMessageBox(parent)
    box.setWindowTitle("Nervus")
    box.setText(say("Not everything is saved."))
    box.setInformativeText(
        say(
            "The logbook does not take what was entered last. Make room on the disk, or "
            "free the file, and it is saved by itself. Leaving now would lose it."
        )
    )
    stay = box.addButton(say("Stay"), QMessageBox.ButtonRole.RejectRole)
    leave = box.addButton(say("Leave and lose it"), QMessageBox.ButtonRole.DestructiveRole)
    box.setDefaultButton(stay)
    box.exec()
    return box.clickedButton() is leave


def asked_for_bundle(parent: QWidget) -> Path | None:
    """Which bundle to take a job from."""
    name, _ = QFileDialog.getOpenFileName(parent, say("Take a job from a bundle"), "", _BUNDLES)
    return Path(name) if name else None


def asked_for_photo(parent: QWidget) -> Path | None:
    """Which photo to keep."""
    name, _ = QFileDialog.getOpenFileName(parent, say("Keep a photo"), "", _PHOTOS)
    return Path(name) if name else None


def asked_for_report(parent: QWidget, vehicle: str) -> Path | None:
    """Where a report is to be written; its name says whether as PDF or HTML."""
    stem = "".join(c if c.isalnum() else "-" for c in vehicle or "job")
    name, kind = QFileDialog.getSaveFileName(parent, say("Write the report"), f"{stem}.pdf", _REPORTS)
    if name and not Path(name).suffix:
        name += ".html" if "html" in kind else ".pdf"
    return Path(name) if name else None


def asked_for_calendar(parent: QWidget) -> Path | None:
    """Where the due jobs are to be written."""
    name, _ = QFileDialog.getSaveFileName(
        parent, say("Due jobs as a calendar"), "due-jobs.ics", _CALENDARS
    )
    return Path(name) if name else None


def asked_where_to(parent: QWidget, vehicle: str) -> Path | None:
    """Where a job's bundle is to be written."""
    stem = "".join(c if c.isalnum() else "-" for c in vehicle or "job")
    name, _ = QFileDialog.getSaveFileName(
        parent, say("Give the job as a bundle"), f"{stem}.nervus.zip", _BUNDLES
    )
    return Path(name) if name else None
