"""The station Look: each item good, bad or not seen, with note, photo, and the caution at the step."""

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImageReader, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import Job, Look, Seen, Source, new_id, now, of_kind
from nervus.knowledge import LookItem, fitting, look_items
from nervus.language import say
from nervus.window.elided import ElidedLabel
from nervus.window.pages.change_line import ChangeLine
from nervus.window.station_page import StationPage, quiet, scrolled

_KEYS = {Qt.Key.Key_G: Seen.GOOD, Qt.Key.Key_B: Seen.BAD, Qt.Key.Key_N: Seen.NOT_SEEN}
_THUMB = QSize(84, 56)
_HINT = say(
    "Cheap, quick, and often the answer. G good, B bad, N not seen; arrows go from item to item."
)


class LookRow(QWidget):
    """One item with its three buttons.

    Signals:
        seen: the outcome that was chosen.
        entered: the focus came into this row.
    """

    seen = pyqtSignal(object)
    entered = pyqtSignal()
    stepped = pyqtSignal(int)

    def __init__(self, item: LookItem, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("look-row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.item = item
        self.buttons: dict[Seen, QPushButton] = {}
        title = ElidedLabel(item.title, self)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 2, 4, 2)
        row.setSpacing(6)
        row.addWidget(title, 1)
        self.minutes = QLabel(say("{minutes} min", minutes=item.minutes), self)
        self.minutes.setObjectName("quiet")
        row.addWidget(self.minutes)
        group = QButtonGroup(self)
        for seen in Seen:
            button = QPushButton(say(seen.value), self)
            button.setObjectName(f"seen-{seen.name.lower()}")
            button.setCheckable(True)
            button.setAccessibleName(f"{item.title}: {say(seen.value)}")
            button.clicked.connect(lambda _on, seen=seen: self.seen.emit(seen))
            button.installEventFilter(self)
            group.addButton(button)
            row.addWidget(button)
            self.buttons[seen] = button

    def show_seen(self, seen: Seen) -> None:
        """Press the button of an outcome."""
        self.buttons[seen].setChecked(True)

    def mark(self, *, here: bool) -> None:
        """Whether the details below are about this row."""
        if self.property("here") != here:
            self.setProperty("here", here)
            style = self.style()
            assert style is not None  # noqa: S101 - a widget has a style
            style.unpolish(self)
            style.polish(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None:
            return False
        if event.type() == QEvent.Type.FocusIn:
            self.entered.emit()
        if isinstance(event, QKeyEvent):
            key = Qt.Key(event.key())
            step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key)
            if (key in _KEYS or step is not None) and not event.modifiers():
                if event.type() == QEvent.Type.ShortcutOverride:
                    event.accept()
                    return True
                if event.type() == QEvent.Type.KeyPress:
                    self._key(key, step)
                    return True
        return super().eventFilter(watched, event)

    def _key(self, key: Qt.Key, step: int | None) -> None:
        if step is not None:
            self.stepped.emit(step)
        else:
            self.buttons[_KEYS[key]].setFocus(Qt.FocusReason.TabFocusReason)
            self.buttons[_KEYS[key]].click()


class LookPage(StationPage):
    """All items that fit the throttle.

    Signals:
        photo_wanted: an item and the picture file to keep with it.
    """

    photo_wanted = pyqtSignal(object, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("Look"), _HINT, parent)
        self.rows: dict[str, LookRow] = {}
        self._at = ""
        self.photo_path: Callable[[str], Path] = Path
        self._inner = QWidget(self)
        self._list = QVBoxLayout(self._inner)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.setSpacing(2)
        self.caution = quiet("", self)
        self.caution.setObjectName("caution")
        self.note = QLineEdit(self)
        self.note.setMinimumHeight(36)
        self.note.setAccessibleName(say("Note to this item"))
        self.note.setPlaceholderText(say("a note to this item"))
        self.photo = QPushButton(say("Add a photo …"), self)
        self.photos = QHBoxLayout()
        self.change = ChangeLine(self)
        below = QHBoxLayout()
        below.addWidget(self.note, 1)
        below.addWidget(self.photo)
        below.addLayout(self.photos)
        self.column.addWidget(scrolled(self._inner, self), 1)
        self.column.addWidget(self.caution)
        self.column.addLayout(below)
        self.column.addWidget(self.change)
        self.note.textEdited.connect(lambda text: self._put(note=text))
        self.photo.clicked.connect(self._ask_for_photo)
        self.change.put.connect(self.put)

    def begin(self) -> None:
        if self._at in self.rows:
            seen = self._look(self.rows[self._at].item).seen
            self.rows[self._at].buttons[seen].setFocus(Qt.FocusReason.TabFocusReason)

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        items = fitting(look_items().item, job.vehicle.throttle)
        if [item.id for item in items] != list(self.rows):
            self._offer(items)
        for row in self.rows.values():
            row.show_seen(self._look(row.item).seen)
        self.change.show_job(job)
        self._show_details()

    def _offer(self, items: tuple[LookItem, ...]) -> None:
        for row in self.rows.values():
            self._list.removeWidget(row)
            row.hide()
            row.deleteLater()
        while self._list.takeAt(0) is not None:
            pass
        self.rows = {}
        for item in items:
            row = LookRow(item, self._inner)
            row.seen.connect(lambda seen, item=item: self._seen(item, seen))
            row.entered.connect(lambda item=item: self._enter(item))
            row.stepped.connect(lambda step, item=item: self._step(item, step))
            self.rows[item.id] = row
            self._list.addWidget(row)
        self._list.addStretch(1)
        if self._at not in self.rows:
            self._at = items[0].id

    def _look(self, item: LookItem) -> Look:
        """What was seen of an item; a new one where it was not looked at."""
        assert self.job is not None  # noqa: S101 - asked only while a job is shown
        return look_at(self.job, item.id)

    def _seen(self, item: LookItem, seen: Seen) -> None:
        self._enter(item)
        self.put.emit(replace(self._look(item), seen=seen, at=now()))

    def _put(self, **changed: object) -> None:
        if self._at in self.rows and self.job is not None:
            self.put.emit(replace(self._look(self.rows[self._at].item), **changed))

    def _enter(self, item: LookItem) -> None:
        if item.id != self._at:
            self._at = item.id
            self._show_details()

    def _step(self, item: LookItem, step: int) -> None:
        names = list(self.rows)
        target = min(max(names.index(item.id) + step, 0), len(names) - 1)
        row = self.rows[names[target]]
        row.buttons[self._look(row.item).seen].setFocus(Qt.FocusReason.TabFocusReason)

    def _show_details(self) -> None:
        if self.job is None or self._at not in self.rows:
            return
        item = self.rows[self._at].item
        look = self._look(item)
        for name, row in self.rows.items():
            row.mark(here=name == self._at)
        self.caution.setText(item.caution)
        if self.note.text() != look.note:
            self.note.setText(look.note)
        self.stretch.emit(item.stretch)
        self._show_photos(look.photos)

    def _show_photos(self, names: tuple[str, ...]) -> None:
        while (item := self.photos.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for name in names:
            label = QLabel(self)
            label.setFixedSize(_THUMB)
            label.setToolTip(name[17:])
            label.setAccessibleName(say("Photo {name}", name=name[17:]))
            picture = _thumbnail(self.photo_path(name))
            if picture is None:
                label.setText(say("no picture"))
                label.setObjectName("quiet")
            else:
                label.setPixmap(picture)
            self.photos.addWidget(label)

    def _ask_for_photo(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, say("Add a photo"), "", say("Pictures (*.jpg *.jpeg *.png *.webp);;All files (*)")
        )
        if name:
            self.photo_wanted.emit(self._at, Path(name))


def look_at(job: Job, item_id: str) -> Look:
    """What was seen of an item in a job; a new one where it was not looked at."""
    found = [look for look in of_kind(job.entries, Look) if look.item == item_id]
    if found:
        return found[-1]
    return Look(id=new_id(), at=now(), source=Source.SEEN, item=item_id, seen=Seen.NOT_SEEN)


def with_photo(job: Job, item_id: str, name: str) -> Look:
    """What was seen of an item, with one more picture that is kept under this name."""
    look = look_at(job, item_id)
    photos = look.photos if name in look.photos else (*look.photos, name)
    return replace(look, photos=photos)


def _thumbnail(path: Path) -> QPixmap | None:
    """A small picture, read no larger than it is shown; `None` where it is none."""
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)
    size = reader.size()
    if size.isValid():
        reader.setScaledSize(size.scaled(_THUMB, Qt.AspectRatioMode.KeepAspectRatio))
    image = reader.read()
    return None if image.isNull() else QPixmap.fromImage(image)
