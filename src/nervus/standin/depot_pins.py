"""Jobs of the depot that are solved at the pins. All of them are invented."""

from msgspec.structs import replace

from nervus.domain.job import Reading, Setting, Source
from nervus.domain.plug import Face, PinRole, PlugEnd
from nervus.judge.plug_state import where_words
from nervus.knowledge.pin_shapes import pins_of_rows
from nervus.standin.depot_course import Course

_R = PinRole
_THREE = {"1": _R.SIGNAL_1, "2": _R.GROUND, "3": _R.SUPPLY}
_SIX = {
    "1": _R.GROUND, "2": _R.MOTOR_PLUS, "3": _R.SIGNAL_2, "4": _R.SUPPLY, "5": _R.MOTOR_MINUS,
    "6": _R.SIGNAL_1,
}  # fmt: skip
_ON, _OPEN = "key on, plug on, throttle closed", "key on, plug on, throttle wide open"
# A six-pin plug as somebody read it by eye, without signs; one of the readings is a slip of the pen.
_TABLE = (
    "1-2 10.68, 1-3 0.02, 1-4 5.0, 1-5 -, 1-6 -, 2-3 10.68, 2-4 10.07, 2-5 10.68, 2-6 10.68, 3-4 5.0, "
    "3-5 -, 3-6 -, 4-5 5.0, 4-6 5.0, 5-6 -"
)


class PinsCourse(Course):
    """A job with plugs, readings between pins, and a setting."""

    def __init__(self, number: int, days_ago: int) -> None:
        super().__init__(number, days_ago)
        self._faces: dict[PlugEnd, Face] = {}

    def drawn(self, plug: PlugEnd, rows: str, roles: dict[str, PinRole] | None = None) -> "PinsCourse":
        """A plug by its rows, such as `1 2 3 / 4 5 6`."""
        entry_id, at, source = self._at(Source.SEEN, 2)
        pins = pins_of_rows(row.split() for row in rows.split("/"))
        made = tuple(replace(pin, role=(roles or {}).get(pin.label, _R.UNKNOWN)) for pin in pins)
        face = Face(id=entry_id, at=at, source=source, plug=plug, pins=made)
        self._faces[plug] = face
        self._entries.append(face)
        return self

    def probed(self, plug: PlugEnd, conditions: str = _ON, **volts: float) -> "PinsCourse":
        """Pins to battery negative, such as `p3=4.12`."""
        for name, value in volts.items():
            self._read(plug, "", name.removeprefix("p"), value, conditions)
        return self

    def table(self, plug: PlugEnd, written: str, conditions: str = _ON) -> "PinsCourse":
        """Pairs as somebody wrote them down, without signs."""
        for row in written.split(","):
            pair, value = row.split()
            black, red = pair.split("-")
            volts = 0.0 if value == "-" else float(value)
            self._read(plug, black, red, volts, conditions, signed=False, nothing=value == "-")
        return self

    def _read(
        self,
        plug: PlugEnd,
        black: str,
        red: str,
        value: float,
        conditions: str,
        *,
        signed: bool = True,
        nothing: bool = False,
    ) -> None:
        entry_id, at, source = self._at(Source.TYPED, 1)
        self._entries.append(
            Reading(
                id=entry_id,
                at=at,
                source=source,
                where=where_words(self._faces.get(plug), plug, black, red),
                value=value,
                unit="V",
                conditions=conditions,
                plug=plug,
                red=red,
                black=black,
                signed=signed,
                nothing=nothing,
            )
        )

    def setting(
        self, target: tuple[float, float], closed: float, wide: float, reached: float
    ) -> "PinsCourse":
        """A sensor that was to be set, and whose slot ended first."""
        entry_id, at, source = self._at(Source.TYPED, 10)
        self._entries.append(
            Setting(
                id=entry_id,
                at=at,
                source=source,
                target_v=target,
                supply_v=5.0,
                proof="plate on its stop, cable with play, new sensor",
                old_closed_v=closed,
                old_open_v=wide,
                reached_v=reached,
                slot_radius_mm=22.0,
            )
        )
        return self


def pin_jobs() -> tuple[Course, ...]:
    """One job for each, the oldest first."""
    sensor, unit = PlugEnd.SENSOR, PlugEnd.UNIT
    spread = PinsCourse(7, 11)
    spread.told("limps since the unit was off for the gearbox", ("reduced_power",), ("after_work",))
    spread.codes("P0222-16", "P2135-62", status=0x2F)
    spread.drawn(sensor, "1 2 3 / 4 5 6", _SIX).drawn(unit, "1 2 3 4 5 6", _SIX)
    spread.probed(sensor, p1=0.02, p3=4.12, p4=4.99, p6=0.83)
    spread.probed(unit, p1=0.01, p3=0.03, p4=5.0, p6=0.83)
    slip = PinsCourse(6, 8)
    slip.told("lamp on, nothing noticed", ("lamp",), ())
    slip.drawn(sensor, "1 2 3 / 4 5 6").table(sensor, _TABLE)
    slot = PinsCourse(3, 7)
    slot.told("new sensor from stock idles too low", ("stalls",), ("after_work",))
    slot.drawn(sensor, "1 2 3", _THREE)
    slot.probed(sensor, p1=0.80, p2=0.01, p3=5.0).probed(sensor, _OPEN, p1=4.20)
    slot.setting((0.96, 0.98), 0.80, 4.20, 0.88)
    return spread, slip, slot
