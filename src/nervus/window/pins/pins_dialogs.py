"""What is asked beside the page of pins: the plug, the meter; and what is kept for a vehicle type."""

from msgspec.structs import replace
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.job import Job, new_id, now
from nervus.domain.kept_plug import KeptPlug
from nervus.domain.plug import Face, PinRole, PlugEnd
from nervus.judge.plug_state import PlugState, meter_of, readings_at
from nervus.judge.plug_told import OFFERED
from nervus.language import say


class PinsDialogs(QObject):
    """Opens them over a page.

    Signals:
        put: an entry for the job.
        plug_kept: a plug that is to be kept for the vehicle type.
        told: a sentence for the user.
        done: a dialog was answered.
    """

    put = pyqtSignal(object)
    plug_kept = pyqtSignal(object)
    told = pyqtSignal(str)
    done = pyqtSignal()

    def __init__(self, page: QWidget) -> None:
        super().__init__(page)
        self._page = page

    def draw(self, job: Job, plug: PlugEnd, face: Face | None, kept: tuple[KeptPlug, ...]) -> None:
        """Ask for a plug as it is drawn."""
        from nervus.window.pins.face_dialog import FaceDialog  # noqa: PLC0415 - when first wanted

        faces = tuple(
            (say("kept: {vehicle_type}", vehicle_type=k.vehicle_type), k.face)
            for k in kept
            if not k.readings
        )
        dialog = FaceDialog(plug, face, faces, self._page)
        dialog.accepted.connect(
            lambda: self._drawn(job, dialog.face, keep=dialog.keep_for_type.isChecked())
        )
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _drawn(self, job: Job, face: Face | None, *, keep: bool) -> None:
        if face is None:
            return
        self.put.emit(face)
        if keep:
            self.plug_kept.emit(KeptPlug(id=new_id(), at=now(), vehicle_type=type_of(job), face=face))
        self.done.emit()

    def keep_good(self, job: Job, plug: PlugEnd, face: Face | None) -> None:
        """The readings of a plug are those of a healthy vehicle of this type."""
        if face is None:
            self.told.emit(say("Draw the plug first: a known-good table is kept with its pins."))
            return
        read = tuple(r for r in readings_at(job, plug) if r.unit == "V")
        if not read:
            self.told.emit(say("Nothing is measured at this plug yet that could be kept as known good."))
            return
        kind = type_of(job)
        self.plug_kept.emit(KeptPlug(id=new_id(), at=now(), vehicle_type=kind, face=face, readings=read))
        self.told.emit(
            say("{len} readings are kept as known good for “{kind}”.", len=len(read), kind=kind)
        )

    def ask_meter(self, job: Job) -> None:
        """Ask for the meter as its sheet states it."""
        from nervus.window.pins.meter_dialog import MeterDialog  # noqa: PLC0415 - when first wanted

        dialog = MeterDialog(meter_of(job), self._page)
        dialog.accepted.connect(lambda: self.put.emit(dialog.meter))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()


def with_roles(face: Face, state: PlugState) -> Face:
    """The face with the roles that are sure enough; signals and motor lines in the order of the pins."""
    second = {PinRole.SIGNAL_1: PinRole.SIGNAL_2, PinRole.MOTOR_PLUS: PinRole.MOTOR_MINUS}
    taken = {pin.role for pin in face.pins}
    pins = []
    for pin in face.pins:
        guess = state.roles.get(pin.label)
        if pin.role is PinRole.UNKNOWN and guess is not None and guess.chance >= OFFERED:
            role = second.get(guess.role, guess.role) if guess.role in taken else guess.role
            taken.add(role)
            pins.append(replace(pin, role=role))
        else:
            pins.append(pin)
    return replace(face, pins=tuple(pins), at=now())


def type_of(job: Job) -> str:
    """The vehicle type that a job's plugs are kept for."""
    return job.vehicle.description or job.vehicle.name
