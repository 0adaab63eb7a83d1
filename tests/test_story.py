"""Codes as a story: knowledge that is whole, causes told from consequences."""

import pytest

from nervus.codes.notation import Code, read_code
from nervus.judge.story import story_of
from nervus.knowledge import known_codes
from nervus.standin.monitors import FORCED, monitors_of
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle


def codes(*texts: str) -> list[Code]:
    return [read_code(text) for text in texts]


def names(found: object) -> set[str]:
    return {str(code) for code in found}  # type: ignore[attr-defined] # any collection of codes


def test_every_code_of_throttle_and_pedal_is_known() -> None:
    """Source: the ranges of SAE J2012 for throttle sensors A to C, pedal D to F, their correlations, the
    actuator's control and the sensor supplies (from memory).
    """
    wanted = [
        *range(0x0120, 0x0125),
        *range(0x0220, 0x022A),
        *range(0x2120, 0x2125),
        *range(0x2125, 0x212A),
    ]
    wanted += [*range(0x2135, 0x2139), *range(0x2100, 0x2107), 0x2110, 0x2111, 0x2112, 0x2176]
    wanted += [0x0641, 0x0642, 0x0643, 0x0651, 0x0652, 0x0653, 0x0068, 0x0506, 0x0507]
    assert {number for number in wanted if Code(number) not in known_codes()} == set()
    assert not any(code.is_makers_own for code in known_codes())


def test_the_simulated_unit_sets_no_code_that_is_not_known() -> None:
    for electronic in (True, False):
        for monitor in monitors_of(electronic=electronic):
            assert monitor.code.base in known_codes()
    assert all(code in known_codes() for code in FORCED.values())


@pytest.mark.parametrize(
    ("given", "causes"),
    [
        (("P0222-16", "P2106", "U0401"), {"P0222"}),
        (("P2135", "P2110"), {"P2135"}),
        (("P0122", "P2135", "P2110"), {"P0122"}),
        (("P0642", "P0122", "P0222", "P2127", "P2110"), {"P0642"}),
        (("P2279", "P0171", "P0507"), {"P2279"}),
        (("P2106",), {"P2106"}),
        (("P2112", "P2101"), {"P2101", "P2112"}),
    ],
)
def test_causes_are_told_from_consequences(given: tuple[str, ...], causes: set[str]) -> None:
    """Common practice, no published source: forced idle and limited power are consequences, and a supply
    that is off brings its sensors' codes with it.
    """
    story = story_of(codes(*given))
    assert names(story.causes) == causes
    assert names(story.consequences) == {read_code(g).base.__str__() for g in given} - causes


def test_two_tracks_point_at_what_they_share() -> None:
    """Kirchhoff: an open ground lifts all tracks, a missing supply drops them."""
    assert "the ground" in story_of(codes("P0123", "P0223")).text
    assert "the supply" in story_of(codes("P0122", "P0222")).text
    assert "plug, supply and ground" in story_of(codes("P0122", "P0223")).text


def test_a_makers_own_code_is_never_guessed() -> None:
    story = story_of(codes("P1234", "P0122"))
    assert names(story.unknown) == {"P1234"}
    assert "not guessed at" in story.text
    assert story_of([]).text == "There is no code to read."


def test_the_simulated_vehicle_tells_its_own_story() -> None:
    vehicle = SimulatedVehicle(faults=(read_fault("open-ground"),))
    vehicle.advance(2.0)
    story = story_of(vehicle.unit.memory.stored)
    assert names(story.causes) == {"P0123", "P0223"}
    assert "look at what they share, the ground" in story.text
    assert {"P2110"} <= names(story.consequences)
