"""The demo: the vehicle depot of a small island's community transport. All of it is invented.

Eight vehicles, salt air, short trips, steep hills. Each case is a recording made here from a seed,
with the job it belongs to; the analysis gets the recording and nothing else.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np

from nervus.domain.channel import Mark, Recording, Span
from nervus.domain.finding import Shape
from nervus.domain.job import Vehicle
from nervus.domain.profile import ThrottleKind
from nervus.standin.capture import CABLE, HALF, OPPOSITE, Sampler, simulate, without_supply
from nervus.standin.faults import BentTrack, LooseLine, RoughPlace, WornPlace
from nervus.standin.motion import Stroke, hand_sweeps, pedal_sweeps


@dataclass(frozen=True, slots=True)
class DemoCase:
    """One case of the demo.

    Attributes:
        id: its name on the command line.
        vehicle: one of the depot's eight.
        complaint: in the driver's words.
        title: what was done, above the recording.
        make: makes the recording.
    """

    id: str
    vehicle: Vehicle
    complaint: str
    title: str
    make: Callable[[], Recording]


def _random(seed: int) -> np.random.Generator:
    return np.random.default_rng(seed)


def _loose_wire() -> Recording:
    """Track 2's wire at the plug opens when the harness is shaken, wherever the throttle is."""
    starts = (3.2, 7.9, 8.3, 13.4, 18.1, 23.6, 28.4, 33.0)
    lengths = (0.02, 0.05, 0.03, 0.04, 0.02, 0.06, 0.03, 0.04)
    spans: tuple[Span, ...] = tuple((s, s + n) for s, n in zip(starts, lengths, strict=True))
    marks = tuple(Mark(s - 0.4, "shake, plug") for s in (7.9, 13.4, 18.1, 23.6, 28.4, 33.0))
    return simulate(
        OPPOSITE,
        pedal_sweeps(12, _random(61)),
        Sampler(rate_hz=200.0),
        seed=61,
        faults=(LooseLine("signal2", spans),),
        marks=marks,
        name="bus-6-harness-shaken.csv",
    ).recording


def _dead_spot() -> Recording:
    return simulate(
        CABLE,
        hand_sweeps(9, _random(21)),
        Sampler(rate_hz=200.0),
        seed=21,
        faults=(WornPlace(1, (17.5, 20.5), Shape.DROP, chance=0.85),),
        name="van-2-hand-sweeps.csv",
    ).recording


def _healthy_cable() -> Recording:
    return simulate(
        CABLE,
        hand_sweeps(8, _random(31)),
        Sampler(rate_hz=200.0),
        seed=31,
        name="pickup-3-hand-sweeps.csv",
    ).recording


def _after_renewal() -> Recording:
    """The sweeps of the worn sensor again, with a new one that is set a little higher."""
    return simulate(
        CABLE,
        hand_sweeps(9, _random(23)),
        Sampler(rate_hz=200.0),
        seed=23,
        name="minibus-8-sweeps-after.csv",
    ).recording


def _undecided() -> Recording:
    """A slow meter, half of the travel, two drops: nothing can be decided."""
    strokes = (
        Stroke(38.0, 3.0, 4.0),
        Stroke(8.0, 2.5, 5.0),
        Stroke(42.0, 3.0, 6.0),
        Stroke(8.0, 3.0, 4.0),
    )
    recording = simulate(
        CABLE,
        strokes,
        Sampler(rate_hz=20.0, bits=9, noise_v=0.004),
        seed=81,
        faults=(LooseLine("signal1", ((6.4, 6.62), (22.1, 22.4))),),
        name="minibus-8-slow-meter.csv",
    ).recording
    return without_supply(recording)


def _rough_track() -> Recording:
    return simulate(
        CABLE,
        hand_sweeps(9, _random(41)),
        Sampler(rate_hz=200.0),
        seed=41,
        faults=(RoughPlace(1, (2.0, 13.0), 0.05),),
        name="tractor-4-hand-sweeps.csv",
    ).recording


def _open_ground() -> Recording:
    spans: tuple[Span, ...] = ((4.1, 4.2), (11.6, 11.66), (16.0, 16.2), (21.8, 21.9), (30.3, 30.4))
    return simulate(
        HALF,
        pedal_sweeps(11, _random(51)),
        Sampler(rate_hz=200.0),
        seed=51,
        faults=(LooseLine("ground", spans),),
        name="bus-5-wet-morning.csv",
    ).recording


def _bent_track() -> Recording:
    return simulate(
        OPPOSITE,
        pedal_sweeps(9, _random(71)),
        Sampler(rate_hz=20.0, bits=10, polled_s=0.012),
        seed=71,
        faults=(BentTrack(2, (30.0, 75.0), 9.0),),
        name="van-7-polled.csv",
    ).recording


def depot_vehicle(number: int, what: str, kind: ThrottleKind) -> Vehicle:
    """A vehicle of the depot; the same number is the same vehicle."""
    return Vehicle(id=f"{number:016x}", name=f"No {number}", description=what, throttle=kind)


_CABLE, _ELECTRONIC = ThrottleKind.CABLE, ThrottleKind.ELECTRONIC

CASES: Final = (
    DemoCase(
        "loose-wire",
        depot_vehicle(6, "nine-seat bus", _ELECTRONIC),
        "cuts out over bumps, comes back after a key cycle",
        "Key on, engine off, harness shaken at the plug",
        _loose_wire,
    ),
    DemoCase(
        "dead-spot",
        depot_vehicle(2, "parcel van", _CABLE),
        "stumbles on the quay road just off idle",
        "Key on, engine off, slow sweeps by hand",
        _dead_spot,
    ),
    DemoCase(
        "healthy",
        depot_vehicle(3, "pickup", _CABLE),
        "checked after new spark plugs, no complaint",
        "Key on, engine off, slow sweeps by hand",
        _healthy_cable,
    ),
    DemoCase(
        "sweep-after-renewal",
        depot_vehicle(8, "school minibus", _CABLE),
        "stumbled at the pier, sensor renewed",
        "The same sweeps after the sensor was renewed",
        _after_renewal,
    ),
    DemoCase(
        "undecided",
        depot_vehicle(8, "school minibus", _CABLE),
        "jerked twice last week, never again",
        "Slow meter, half of the travel",
        _undecided,
    ),
    DemoCase(
        "rough-track",
        depot_vehicle(4, "harbour tractor", _CABLE),
        "hunts at idle, worse when warm",
        "Key on, engine off, slow sweeps by hand",
        _rough_track,
    ),
    DemoCase(
        "open-ground",
        depot_vehicle(5, "wheelchair bus", _ELECTRONIC),
        "no pedal on wet mornings",
        "Key on, engine off, pedal sweeps, plug sprayed with water",
        _open_ground,
    ),
    DemoCase(
        "bent-track",
        depot_vehicle(7, "refuse van", _ELECTRONIC),
        "reduced power on the hill to the church",
        "Read through the control unit, pedal sweeps",
        _bent_track,
    ),
)


def case_named(case_id: str) -> DemoCase:
    """The case of that name, or the most telling one for an empty name.

    Raises:
        KeyError: there is no such case.
    """
    if not case_id:
        return CASES[0]
    return {case.id: case for case in CASES}[case_id]


def write_demo(folder: Path, *, replace: bool = False) -> tuple[Path, ...]:
    """Write all demo recordings into a folder as CSV; returns the files.

    Raises:
        NotWritable: one of them is there already, and may not be replaced; then none is written.
    """
    from nervus.files.outputs import free_place  # noqa: PLC0415 - for writing only
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415 - for writing only

    folder.mkdir(parents=True, exist_ok=True)
    made = [case.make() for case in CASES]
    places = [free_place(folder / recording.name, replace=replace) for recording in made]
    for recording, path in zip(made, places, strict=True):
        write_recording(recording, path)
    return tuple(places)
