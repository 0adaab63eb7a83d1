"""The link on a vehicle's bad days: what another hand's control units do, and what must come of it.

The units are `plain_vehicle.py`, in plain bytes from the standards; time is its own.
"""

import importlib.util
import sys
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import can
import pytest

from nervus.codes.notation import Code
from nervus.domain.errors import Stopped
from nervus.knowledge import parameters
from nervus.link.addresses import UnitUnreadable, name_of, read_unit
from nervus.link.can_transport import CanTransport
from nervus.link.diagnostics import CodesRead, Diagnostics
from nervus.link.errors import NotNow, Refused
from nervus.link.writing import Writing
from plain_vehicle import Jumping, PlainVehicle, Unit

ENGINE = {0x03: (0x0121, 0x0222), 0x07: (0x0121,), 0x0A: (0x0222,)}
NONE: dict[int, tuple[int, ...]] = {0x03: (), 0x07: (), 0x0A: ()}
LONG = {0x03: tuple(range(0x0100, 0x0114)), 0x07: (), 0x0A: ()}


@pytest.fixture
def clock() -> Iterator[Jumping]:
    clock = Jumping()
    clock.end = clock.now + 120.0
    with clock.instead_of_time():
        yield clock


def read(clock: Jumping, *units: Unit, foreign_per_s: float = 0.0) -> CodesRead:
    bus = PlainVehicle(list(units), clock)
    bus.foreign_per_s = foreign_per_s
    return Diagnostics(CanTransport(bus)).codes()


def told(found: CodesRead) -> set[tuple[int, str]]:
    return {(c.unit, str(c.code)) for c in found.codes}


# -- "no codes" --------------------------------------------------------------------------------


def test_no_codes_is_said_where_every_unit_told_so(clock: Jumping) -> None:
    found = read(clock, Unit(0, codes=NONE), Unit(2, codes=NONE))
    assert found.surely_none
    assert found.text == "No codes: 2 control units told so."


@pytest.mark.parametrize(
    ("unit", "says"),
    [
        (Unit(0, codes=ENGINE, refuses={3: 0x22, 7: 0x22, 0x0A: 0x22}), "conditions"),
        (Unit(0, codes=LONG, loses_last={0x03: 99}), "the rest of a long answer did not come"),
        (Unit(0, codes=ENGINE, busy_s=60.0), "it is busy"),
        (Unit(0, codes=ENGINE, silent=frozenset({3, 7, 0x0A})), "no answer"),
        (Unit(0, codes=ENGINE, waits={3: (99, 4.0), 7: (99, 4.0), 0x0A: (99, 4.0)}), "more time"),
    ],
)
def test_what_was_not_told_is_named_and_is_no_none(clock: Jumping, unit: Unit, says: str) -> None:
    clock.end += 300.0
    found = read(clock, unit)
    assert found.units == (0,)
    assert not found.surely_none
    assert any(says in text and "stored codes" in text for text in found.missing)
    assert "does not mean none" in found.text or found.codes


def test_nobody_heard_is_no_none_either(clock: Jumping) -> None:
    found = read(clock)
    assert found.units == ()
    assert not found.surely_none
    assert "nothing is known" in found.text


# -- codes that must not get lost --------------------------------------------------------------


@pytest.mark.parametrize(
    "unit",
    [
        Unit(0, codes=ENGINE, busy_s=1.0),
        Unit(0, codes=ENGINE, alone_only=True),
        Unit(0, codes=ENGINE, after_s=0.7),
        Unit(0, codes=ENGINE, off=(0.2, 1.5)),
        Unit(0, codes=ENGINE, waits={3: (1, 0.5), 7: (3, 4.0)}),
        Unit(0, codes=ENGINE, loses_last={0x03: 1}),
        Unit(0, codes=ENGINE, doubled=True),
    ],
)
def test_a_unit_on_a_bad_day_tells_all_it_has(clock: Jumping, unit: Unit) -> None:
    found = read(clock, unit)
    assert told(found) == {(0, "P0121"), (0, "P0222")}
    kinds = {str(c.code): c.kinds for c in found.codes}
    assert kinds == {"P0121": ("stored", "pending"), "P0222": ("stored", "permanent")}


def test_twenty_codes_of_a_long_answer_whose_last_frame_is_lost_once(clock: Jumping) -> None:
    found = read(clock, Unit(0, codes=LONG, loses_last={0x03: 1}))
    assert len(found.codes) == 20
    assert found.missing == ()


def test_codes_only_the_newer_service_knows_and_two_failure_types_of_one(clock: Jumping) -> None:
    """Source: ISO 14229-1, 19 02: three bytes of code, one of status; each failure type is a code."""
    full = ((0x0122, 0x16, 0x09), (0x0122, 0x17, 0x08), (0x2135, 0x62, 0x04), (0x0300, 0x00, 0x50))
    only = Unit(0, codes={}, full=full)
    both = Unit(1, codes={0x03: (0x0122,), 0x07: (), 0x0A: ()}, full=full)
    found = read(clock, only, both)
    types = {"P0122-16", "P0122-17", "P2135-62"}
    assert told(found) == {(unit, code) for unit in (0, 1) for code in types}
    kinds = {(c.unit, str(c.code)): c.kinds for c in found.codes}
    assert kinds[0, "P2135-62"] == ("pending",)
    assert kinds[1, "P0122-17"] == ("stored",)
    assert found.missing == ()


@pytest.mark.parametrize("off", [1, -1])
def test_a_count_that_does_not_match_keeps_what_came_and_says_so(clock: Jumping, off: int) -> None:
    found = read(clock, Unit(0, codes=ENGINE, count_off=off))
    assert told(found) == {(0, "P0121"), (0, "P0222")}
    assert any("counts" in text for text in found.missing)


def test_narrow_and_wide_addresses_in_one_vehicle_and_a_flood_of_other_traffic(clock: Jumping) -> None:
    """Source: ISO 15765-4: 7DF and 18DB33F1 ask all; 18DAF110 is unit 10 answering."""
    wide = Unit(0x10, wide=True, codes=LONG)
    found = read(clock, Unit(0, codes=ENGINE), wide, foreign_per_s=400.0)
    assert {c.unit for c in found.codes} == {0, 0x110}
    assert len(found.codes) == 22
    assert name_of(0x110) == "control unit 10 (29 bit)"
    assert found.missing == ()


def test_units_as_people_write_them() -> None:
    """Source: ISO 15765-4, table of identifiers."""
    written = {"0": 0, "7E0": 0, "7e8": 0, "0x7E2": 2, "18DA10F1": 0x110, "18DAF128": 0x128}
    assert {text: read_unit(text) for text in written} == written
    for text in ("", "9", "7F0", "18DB33F1", "engine"):
        with pytest.raises(UnitUnreadable, match="accepted is"):
            read_unit(text)


# -- writing -----------------------------------------------------------------------------------


def unwritten(*units: Unit) -> bool:
    return not any(unit.written for unit in units)


@pytest.mark.parametrize(
    "habits",
    [
        Unit(0, codes=ENGINE, rpm=1726.0),
        Unit(0, codes=ENGINE, rpm=1726.0, after_s=0.7),
        Unit(0, codes=ENGINE, rpm=1726.0, refuses={0x0C: 0x21}),
        Unit(0, codes=ENGINE, rpm=1726.0, refuses={0x0C: 0x22}),
        Unit(0, codes=ENGINE, rpm=1726.0, silent=frozenset({0x0C})),
        Unit(0, codes=ENGINE, rpm=1726.0, alone_only=True),
        Unit(0, codes=ENGINE, rpm=1726.0, waits={0x0C: (1, 4.0)}),
        Unit(0, codes=ENGINE, rpm=0.25),
        Unit(0, codes=ENGINE, rpm=0.0, silent=frozenset({0x0C})),
        Unit(0, codes=ENGINE, rpm=0.0, refuses={0x0C: 0x21}),
        Unit(0, codes=ENGINE, rpm=None),
    ],
)
def test_nothing_is_written_while_the_engine_runs_or_can_not_be_asked(
    clock: Jumping, habits: Unit
) -> None:
    other = Unit(2, codes=NONE)
    writing = Writing(CanTransport(PlainVehicle([habits, other], clock)))
    asked: list[bool] = []

    def yes() -> bool:
        asked.append(True)
        return True

    with pytest.raises(NotNow, match=r"[Nn]othing was sent"):
        writing.clear_codes(yes)
    with pytest.raises(NotNow):
        writing.learn_closed(0, lambda: True)
    assert unwritten(habits, other)
    assert not asked


def test_one_unit_that_tells_zero_does_not_outvote_one_that_can_not_be_asked(clock: Jumping) -> None:
    silent = Unit(0, codes=ENGINE, rpm=1726.0, silent=frozenset({0x0C}))
    standing = Unit(1, codes=NONE, rpm=0.0)
    writing = Writing(CanTransport(PlainVehicle([silent, standing], clock)))
    with pytest.raises(NotNow, match="control unit 0 was asked for engine speed, no answer"):
        writing.clear_codes(lambda: True)
    assert unwritten(silent, standing)


def test_nobody_there_is_no_standing_engine(clock: Jumping) -> None:
    with pytest.raises(NotNow, match="no control unit told engine speed"):
        Writing(CanTransport(PlainVehicle([], clock))).clear_codes(lambda: True)


def test_an_engine_that_is_started_while_the_yes_is_given_is_seen(clock: Jumping) -> None:
    unit = Unit(0, codes=ENGINE, rpm=0.0)

    def yes() -> bool:
        unit.rpm = 800.0
        return True

    with pytest.raises(NotNow, match="The engine runs"):
        Writing(CanTransport(PlainVehicle([unit], clock))).clear_codes(yes)
    assert unwritten(unit)


def test_a_clearing_that_is_told_late_is_waited_for(clock: Jumping) -> None:
    """Source: ISO 14229-1: 78 asks for more time, any number of times; 44 is the answer of SAE J1979."""
    late = Unit(0, codes=ENGINE, rpm=0.0, waits={0x04: (3, 4.0)})
    slow = Unit(1, codes=ENGINE)
    written = Writing(CanTransport(PlainVehicle([late, slow], clock))).clear_codes(lambda: True)
    assert written.done == (0, 1)
    assert len(late.written) == 1
    for habits in ({"silent": frozenset({0x04})}, {"waits": {0x04: (99, 4.0)}}):
        unit = Unit(0, codes=ENGINE, rpm=0.0, **habits)
        written = Writing(CanTransport(PlainVehicle([unit], clock))).clear_codes(lambda: True)
        assert written.done == ()
        assert "may have been done all the same" in written.text
    refusing = Unit(0, codes=ENGINE, rpm=0.0, refuses={0x04: 0x22})
    written = Writing(CanTransport(PlainVehicle([refusing], clock))).clear_codes(lambda: True)
    assert "refused: its conditions for that are not met (22)" in written.text


def test_busy_units_are_told_again_and_only_while_the_engine_stands(clock: Jumping) -> None:
    unit = Unit(0, codes=ENGINE, rpm=0.0, refuses={0x04: 0x21})
    bus = PlainVehicle([unit], clock)
    transport = CanTransport(bus)
    calm = Writing(transport).clear_codes(lambda: True)
    assert "it is busy" in calm.text
    unit.refuses = {0x31: 0x21}
    with pytest.raises(Refused, match="it is busy"):
        Writing(transport).learn_closed(0, lambda: True)


class StartsWhileBusy(PlainVehicle):
    """An engine that is started right after the first request to clear, while the unit is busy."""

    asked_to_clear = 0

    def send(self, msg: can.Message, timeout: float | None = None) -> None:
        super().send(msg, timeout)
        if bytes(msg.data[:2]) == b"\x01\x04":
            self.asked_to_clear += 1
            self.units[0].rpm = 800.0


def test_a_busy_unit_is_not_told_again_once_the_engine_runs(clock: Jumping) -> None:
    unit = Unit(0, codes=ENGINE, rpm=0.0, refuses={0x04: 0x21})
    bus = StartsWhileBusy([unit], clock)
    with pytest.raises(NotNow, match="The engine runs"):
        Writing(CanTransport(bus)).clear_codes(lambda: True)
    assert bus.asked_to_clear == 2  # to all, with 11 and with 29 bit, and not once more


def test_a_unit_that_was_silent_twice_is_asked_a_third_time(clock: Jumping) -> None:
    found = read(clock, Unit(0, codes=ENGINE, off=(0.4, 5.2)))
    assert told(found) == {(0, "P0121"), (0, "P0222")}


def test_a_question_is_stopped_from_another_thread(clock: Jumping) -> None:
    unit = Unit(0, codes=ENGINE, waits={0x03: (99, 4.0)})
    bus = PlainVehicle([unit], clock)
    transport = CanTransport(bus)
    really, until = bus.recv, clock.now + 6.0

    def recv(timeout: float | None = None) -> object:
        if clock.now > until:
            transport.stop()
        return really(timeout)

    bus.recv = recv  # type: ignore[method-assign, assignment] # the stop comes while it waits
    with pytest.raises(Stopped):
        transport.ask(0, b"\x03")
    assert clock.now < until + 1.0


# -- values ------------------------------------------------------------------------------------


def test_a_unit_that_answers_the_first_of_several_is_asked_for_the_others(clock: Jumping) -> None:
    values = {0x11: b"\x80", 0x47: b"\x40", 0x0B: b"\x64"}
    unit = Unit(0, values=values, one_value=True)
    diagnostics = Diagnostics(CanTransport(PlainVehicle([unit], clock)))
    wanted = tuple(p for p in parameters() if p.pid in values)
    found = diagnostics.values(0, wanted)
    assert found == pytest.approx({"tps1_pct": 50.196, "tps2_pct": 25.098, "map_kpa": 100.0}, abs=0.001)
    assert not diagnostics.tells_several(0)


def test_boosted_engines_say_how_far_pressure_and_air_flow_reach(clock: Jumping) -> None:
    """Source: SAE J1979, PID 4F byte D: full scale of PID 0B; PID 50 byte A: of PID 10.

    Worked by hand: 40 steps of 10 kPa are 400 kPa at FF, so 80 is 200.8 kPa; 131 of 10 g/s are 1310 g/s
    at FFFF, so 8000 is 655.0 g/s.
    """
    values = {0x0B: b"\x80", 0x10: b"\x80\x00", 0x4F: b"\0\0\0\x28", 0x50: b"\x83\0\0\0"}
    diagnostics = Diagnostics(CanTransport(PlainVehicle([Unit(0, values=values)], clock)))
    offered = diagnostics.supported(0)
    found = diagnostics.values(0, offered)
    assert found["map_kpa"] == pytest.approx(200.78, abs=0.01)
    assert found["maf_gs"] == pytest.approx(655.01, abs=0.01)
    usual = Unit(0, values=values | {0x4F: b"\0\0\0\0", 0x50: b"\0\0\0\0"})
    diagnostics = Diagnostics(CanTransport(PlainVehicle([usual], clock)))
    found = diagnostics.values(0, diagnostics.supported(0))
    assert found == pytest.approx({"map_kpa": 128.0, "maf_gs": 327.68})


def test_codes_are_one_code_however_often_they_are_told(clock: Jumping) -> None:
    found = read(clock, Unit(0, codes=ENGINE, doubled=True))
    assert [c.code for c in found.codes] == [Code(0x0121), Code(0x0222)]


@pytest.mark.parametrize(("rest_after_s", "whole"), [(0.95, True), (1.1, False)])
def test_the_rest_of_a_long_answer_is_waited_for_as_long_as_the_standard_says(
    clock: Jumping,
    rest_after_s: float,
    whole: bool,  # noqa: FBT001 - a test's parameter
) -> None:
    """Source: ISO 15765-2, timing: N_Cr, from flow control to the next frame, is 1000 ms at the most."""
    unit = Unit(0, codes=LONG, rest_after_s=rest_after_s)
    outcome = CanTransport(PlainVehicle([unit], clock)).ask_each((0,), b"\x03")[0]
    assert outcome.is_told is whole
    assert len(outcome.answer) == (42 if whole else 0)


# -- many days at once -------------------------------------------------------------------------


def bench() -> ModuleType:
    path = Path(__file__).parent.parent / "bench" / "bench_bad_days.py"
    spec = importlib.util.spec_from_file_location("bench_bad_days", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


def test_sixty_bad_days_of_the_bench_hold_nothing_unsafe_untold_or_lost() -> None:
    days = bench()
    tally = days.Tally()
    for seed in range(60):
        days.scenario(seed, tally)
    assert tally.wrong == []
    assert tally.counts["codes read"] > 20
    assert tally.counts["not now"] > 5
