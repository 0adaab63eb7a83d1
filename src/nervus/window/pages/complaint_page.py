"""The station Complaint: which vehicle, what it does, and when; saved as it is entered."""

from itertools import pairwise

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, QStringListModel, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QCompleter,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import LONGEST_WORDS, Complaint, Job, Source, Vehicle, new_id, now
from nervus.domain.profile import ThrottleKind
from nervus.knowledge import complaints, fitting, profile_ids, profile_named
from nervus.language import say
from nervus.window.pages.choice_grid import ChoiceGrid
from nervus.window.station_page import StationPage, quiet, scrolled

_KINDS = (
    (None, say("throttle not known")),
    (ThrottleKind.CABLE, say("cable")),
    (ThrottleKind.ELECTRONIC, say("electronic")),
)


class ComplaintPage(StationPage):
    """What is complained of.

    Signals:
        vehicle_put: the vehicle, with what has changed of it.
    """

    vehicle_put = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            say("Complaint"), say("What is told is evidence: choose what fits, leave the rest."), parent
        )
        self._known: dict[str, Vehicle] = {}
        self.name, self.description = QLineEdit(self), QLineEdit(self)
        self.kinds: dict[ThrottleKind | None, QPushButton] = {}
        self.profile = QComboBox(self)
        self.symptoms = ChoiceGrid(4, say("What it does"), self)
        self.conditions = ChoiceGrid(4, say("When it does it"), self)
        self.words = QPlainTextEdit(self)
        self.caution = quiet("", self)
        self.caution.setObjectName("caution")
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        inner = QWidget(self)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        vehicle = QHBoxLayout()
        for field, name, words, stretch in (
            (self.name, say("Vehicle"), say("vehicle, such as No 6"), 1),
            (self.description, say("What vehicle it is"), say("what it is, such as nine-seat bus"), 2),
        ):
            field.setAccessibleName(name)
            field.setPlaceholderText(words)
            field.setMaxLength(200)
            field.setMinimumHeight(36)
            vehicle.addWidget(field, stretch)
        group = QButtonGroup(self)
        for kind, words in _KINDS:
            button = QPushButton(words, self)
            button.setCheckable(True)
            button.setAccessibleName(say("The throttle is moved by: {words}", words=words))
            button.clicked.connect(lambda _on, kind=kind: self._put_kind(kind))
            group.addButton(button)
            vehicle.addWidget(button)
            self.kinds[kind] = button
        column.addLayout(vehicle)
        for heading, grid in ((say("What it does"), self.symptoms), (say("When"), self.conditions)):
            column.addWidget(quiet(heading, self))
            column.addWidget(grid)
        column.addWidget(self.caution)
        column.addWidget(quiet(say("In the driver's words"), self))
        self.words.setAccessibleName(say("In the driver's words"))
        self.words.setTabChangesFocus(True)
        self.words.setMinimumHeight(64)
        column.addWidget(self.words, 1)
        column.addLayout(self._held_against())
        self.column.addWidget(scrolled(inner, self), 1)

    def _held_against(self) -> QHBoxLayout:
        """What recordings and readings are held against: a profile, or what each shows itself."""
        row = QHBoxLayout()
        words = say("Recordings are held against")
        self.profile.setAccessibleName(words)
        self.profile.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.profile.activated.connect(lambda _row: self._put_profile(self.profile.currentData()))
        row.addWidget(QLabel(words, self))
        row.addWidget(self.profile, 1)
        return row

    def _connect(self) -> None:
        self._completer = QCompleter(QStringListModel(self), self)
        self._completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self._completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self._completer.activated[str].connect(self._take_known)
        self.name.setCompleter(self._completer)
        self.name.textEdited.connect(self._name_typed)
        self.name.installEventFilter(self)
        self.description.textEdited.connect(lambda text: self._put_vehicle(description=text))
        self.symptoms.changed.connect(lambda chosen: self._put_complaint(symptoms=chosen))
        self.conditions.changed.connect(lambda chosen: self._put_complaint(conditions=chosen))
        self.words.textChanged.connect(self._words_changed)

    def offer_vehicles(self, vehicles: list[Vehicle]) -> None:
        """Vehicles of other jobs, to be chosen as one types."""
        self._known = {v.name: v for v in vehicles if v.name}
        model = self._completer.model()
        assert isinstance(model, QStringListModel)  # noqa: S101 - made above
        model.setStringList(list(self._known))

    def show_job(self, job: Job) -> None:
        other = self.job is None or self.job.id != job.id
        super().show_job(job)
        _fill(self.name, job.vehicle.name, even_if_typing=other)
        _fill(self.description, job.vehicle.description, even_if_typing=other)
        self.kinds[job.vehicle.throttle].setChecked(True)
        self._offer_profiles(job.vehicle)
        told, table = job.complaint, complaints()
        symptoms, conditions = (told.symptoms, told.conditions) if told is not None else ((), ())
        fit = fitting(table.symptom, job.vehicle.throttle)
        self.symptoms.offer((r.id, r.title) for r in table.symptom if r in fit or r.id in symptoms)
        fit = fitting(table.condition, job.vehicle.throttle)
        self.conditions.offer((r.id, r.title) for r in table.condition if r in fit or r.id in conditions)
        self._order()
        self.symptoms.choose(symptoms)
        self.conditions.choose(conditions)
        cautions = [r.caution for r in table.symptom if r.id in symptoms and r.caution]
        self.caution.setText(" ".join(cautions))
        self.caution.setVisible(bool(cautions))
        words = told.words if told is not None else ""
        if words != self.words.toPlainText() and (other or not self.words.hasFocus()):
            self.words.blockSignals(True)  # noqa: FBT003 - Qt's own argument
            self.words.setPlainText(words)
            self.words.blockSignals(False)  # noqa: FBT003

    def _offer_profiles(self, vehicle: Vehicle) -> None:
        """All of them, so that keys can step through; one that is not known here is named."""
        known = map(profile_named, profile_ids())
        rows = [("", say("what they show themselves")), *((p.id, p.title) for p in known)]
        if vehicle.profile not in dict(rows):
            rows.append((vehicle.profile, say("{name} (not known here)", name=vehicle.profile)))
        if [self.profile.itemData(n) for n in range(self.profile.count())] != [name for name, _ in rows]:
            self.profile.clear()  # not while somebody chooses
            for name, words in rows:
                self.profile.addItem(words, name)
        self.profile.setCurrentIndex([name for name, _ in rows].index(vehicle.profile))

    def _put_profile(self, name: str) -> None:
        """A profile says how the plate is moved, too."""
        kind = profile_named(name).kind if name in profile_ids() else None
        self._put_vehicle(profile=name, **({"throttle": kind} if kind is not None else {}))

    def _put_kind(self, kind: ThrottleKind | None) -> None:
        """Another kind of throttle has other profiles."""
        if self.job is None:
            return
        name = self.job.vehicle.profile
        fits = name not in profile_ids() or kind in (None, profile_named(name).kind)
        self._put_vehicle(throttle=kind, profile=name if fits else "")

    def _order(self) -> None:
        """Tab goes as the eye does; the buttons of the grids were made last."""
        way: list[QWidget] = [self.name, self.description, *self.kinds.values()]
        way += [*self.symptoms.buttons.values(), *self.conditions.buttons.values()]
        way += [self.words, self.profile]
        for before, after in pairwise(way):
            QWidget.setTabOrder(before, after)

    def begin(self) -> None:
        named = self.job is not None and self.job.vehicle.name
        first = next(iter(self.symptoms.buttons.values()), self.name)
        (first if named else self.name).setFocus(Qt.FocusReason.TabFocusReason)

    def _words_changed(self) -> None:
        text = self.words.toPlainText()
        if len(text) > LONGEST_WORDS:
            self.words.setPlainText(text[:LONGEST_WORDS])  # seen to be cut, not cut behind one's back
            return
        self._put_complaint(words=text)

    def _put_complaint(self, **changed: object) -> None:
        if self.job is None:
            return
        told = self.job.complaint or Complaint(id=new_id(), at=now(), source=Source.TYPED)
        self.put.emit(replace(told, **changed))

    def _put_vehicle(self, **changed: object) -> None:
        if self.job is not None:
            self.vehicle_put.emit(replace(self.job.vehicle, **changed))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A name that was typed in full is that vehicle, also where its offer was put away."""
        left = watched is self.name and isinstance(event, QFocusEvent) and event.lostFocus()
        if left and event.reason() is not Qt.FocusReason.PopupFocusReason:  # type: ignore[union-attr] # a focus event
            self._take_known(self.name.text())
        return super().eventFilter(watched, event)

    def _name_typed(self, name: str) -> None:
        """Another name is another vehicle where other jobs are about this one: theirs keep its name."""
        if self.job is None:
            return
        shared = self.job.vehicle.id in {v.id for v in self._known.values()}
        self._put_vehicle(name=name, id=new_id() if shared else self.job.vehicle.id)

    def _take_known(self, name: str) -> None:
        """A vehicle that has been here before: the job is about that one."""
        known = self._known.get(name)
        if known is not None and self.job is not None and known.id != self.job.vehicle.id:
            self.vehicle_put.emit(known)


def _fill(field: QLineEdit, text: str, *, even_if_typing: bool) -> None:
    if field.text() != text and (even_if_typing or not field.hasFocus()):
        field.setText(text)
