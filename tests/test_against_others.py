"""Position against command, tracks against the reported position, tracks out of range.

A plate is moved here by its own equation (first order: T dx/dt = command - x), not by the stand-in.
"""

import numpy as np
import pytest

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording, Sensor, Span, Unit
from nervus.domain.finding import Disagreement, Drop, Finding, Floor, Nonlinear, OutOfRange, Shared
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.knowledge import profile_named
from nervus.signal.explained.shaft import follow
from nervus.signal.told.one_cause import without_sticking
from signals import recording, sweeps, volts

RATE_HZ = 50.0


def staircase(seed: int = 3, seconds: float = 60.0) -> tuple[FloatArray, FloatArray]:
    """A command that jumps between levels and stands there, some of them swept slowly."""
    random = np.random.default_rng(seed)
    time_s = np.arange(0.0, seconds, 1.0 / RATE_HZ)
    corners = np.arange(0.0, seconds + 4.0, 2.0)
    levels = random.uniform(8.0, 92.0, corners.size)
    levels[::4], levels[2::8] = 8.0, 92.0
    late = np.repeat(corners, 2)[1:] - np.tile([0.06, 0.0], corners.size)[1:]
    return time_s, np.interp(time_s, late, np.repeat(levels, 2)[:-1])


def plate(command: FloatArray, lag_s: float) -> FloatArray:
    at, step = np.empty_like(command), 1.0 / RATE_HZ
    at[0] = command[0]
    for n in range(1, command.size):
        at[n] = at[n - 1] + step / lag_s * (command[n] - at[n - 1])
    return at


def recorded(time_s: FloatArray, **lines: FloatArray) -> Recording:
    random = np.random.default_rng(9)
    noise = {"v": 0.003, "pct": 0.1}
    return Recording(
        tuple(
            Channel(
                CHANNEL_KINDS[name],
                time_s.copy(),
                v + random.normal(0, noise[name.split("_")[-1]], v.size),
            )
            for name, v in lines.items()
        )
    )


def with_command(at: FloatArray, time_s: FloatArray, command: FloatArray) -> Recording:
    return recorded(time_s, throttle_cmd_pct=command, tps1_v=0.5 + 0.04 * at, tps2_v=4.5 - 0.04 * at)


def test_a_sound_plate_follows_and_nothing_is_said() -> None:
    """From memory: 0.1 s is a usual time constant of an electronic throttle; scales differ."""
    time_s, command = staircase()
    assert analyse(with_command(plate(command, 0.08), time_s, command)).examination.findings == ()
    scaled = 12.0 + 0.7 * plate(command, 0.08)
    recording = recorded(time_s, throttle_cmd_pct=command, throttle_pct=scaled)
    assert analyse(recording).examination.findings == ()


def test_limited_opening_is_told() -> None:
    """Common practice, no published source: reduced power holds the plate below a small opening."""
    time_s, command = staircase()
    held = plate(np.minimum(command, 28.0), 0.08)
    follows = time_s < 20.0
    at = np.where(follows, plate(command, 0.08), held)
    analysis = analyse(with_command(at, time_s, command))
    (finding,) = analysis.examination.findings
    assert isinstance(finding, Disagreement)
    assert set(finding.channels) == {"tps1_v", "throttle_cmd_pct"}
    # No open line and no short reads like this: both tracks tell the same, sound place.
    assert analysis.circuit.explanations == ()
    assert "opens no further" in finding.text
    assert finding.times_s[0][0] > 19.0


def test_a_plate_that_sticks_open_is_told_and_suspected() -> None:
    time_s, command = staircase()
    at = plate(command, 0.08)
    # From when it is first beyond it: a plate does not leap to where it sticks.
    sticks_s = float(time_s[np.flatnonzero((time_s > 25.0) & (at > 30.0))[0]])
    at = np.where(time_s > sticks_s, np.maximum(at, 30.0), at)
    analysis = analyse(with_command(at, time_s, command))
    finding = next(f for f in analysis.examination.findings if isinstance(f, Disagreement))
    assert "stays at" in finding.text
    assert analysis.judgement.suspects[0].id is SuspectId.THROTTLE_BODY


def test_a_slow_plate_is_late() -> None:
    """First order: 85 % of a step is done after T ln(1 / 0.15) = 1.9 T."""
    time_s, command = staircase(seconds=120.0)
    (finding,) = analyse(with_command(plate(command, 0.45), time_s, command)).examination.findings
    assert isinstance(finding, Disagreement)
    assert "late" in finding.text or "is at" in finding.text


@pytest.mark.parametrize("bend", [0.0, 8.0])
def test_a_track_that_bends_against_the_reported_position(bend: float) -> None:
    time_s = np.arange(0.0, 48.0, 1.0 / RATE_HZ)
    at = 50.0 - 50.0 * np.cos(2 * np.pi * time_s / 6.0)
    bowed = at + bend * np.sin(np.pi * at / 100.0) ** 4
    reported = np.clip(0.85 * at - 0.5, 0.0, 100.0)
    recording = recorded(time_s, tps1_v=0.5 + 0.04 * bowed, throttle_pct=reported)
    found = analyse(recording).examination.findings
    if not bend:
        assert found == ()
        return
    (finding,) = found
    assert isinstance(finding, Nonlinear)
    assert finding.worst_pct == pytest.approx(bend, abs=2.0)
    assert finding.travel_pct[0] < 50.0 < finding.travel_pct[1]


def test_a_dead_line_is_out_of_range() -> None:
    """Common practice, no published source: a signal that stays at zero points at wire, plug or pin."""
    time_s = np.arange(0.0, 20.0, 0.02)
    at = 50.0 - 50.0 * np.cos(2 * np.pi * time_s / 5.0)
    recording = recorded(time_s, tps1_v=np.full(time_s.shape, 0.02), tps2_v=4.5 - 0.04 * at)
    analysis = analyse(recording)
    finding = next(f for f in analysis.examination.findings if isinstance(f, OutOfRange))
    assert finding.channels == ("tps1_v",)
    assert finding.level_v == pytest.approx(0.02, abs=0.01)
    assert finding.limit_v == pytest.approx(0.125, abs=0.01)
    assert analysis.judgement.suspects[0].id in (SuspectId.WIRING, SuspectId.SENSOR)


def test_the_profile_draws_the_range_tighter() -> None:
    """0.30 V is no open circuit, but below the lowest closed window of the profile."""
    time_s = np.arange(0.0, 20.0, 0.02)
    at = 50.0 - 50.0 * np.cos(2 * np.pi * time_s / 5.0)
    recording = recorded(time_s, tps1_v=0.30 + 0.04 * np.maximum(at - 10.0, 0.0))
    profile = profile_named("cable-three-wire")
    assert analyse(recording).examination.findings == ()
    kinds = [f.kind for f in analyse(recording, profile).examination.findings]
    assert kinds == ["out_of_range"]


def _drop(span: Span, channels: tuple[str, ...], floor: Floor = Floor.INTERMEDIATE) -> Drop:
    return Drop(
        channels=channels, times_s=(span,), confidence=0.9, text="t", level=2.0, unit=Unit.VOLT,
        floor=floor, shared=Shared.ELECTRONICS, at_travel_pct=50.0, marks=(),
    )  # fmt: skip


def test_what_both_tracks_show_alike_is_the_plate_where_it_does_not_follow() -> None:
    """It sticks and leaps free, as a sensor that holds its value does; but its command is elsewhere."""
    time_s, travel = sweeps(6)
    travel = np.where((time_s > 9.0) & (time_s < 9.8), travel[np.argmax(time_s > 9.0)], travel)
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    lying = np.where((time_s > 14.0) & (time_s < 14.5), 2.0, two)
    shaft = follow(recording(time_s, tps1_v=one, tps2_v=lying), Sensor.THROTTLE, 5.0, (), None)
    both = ("tps1_v", "tps2_v")
    stuck, contradicted = _drop((9.1, 9.7), both), _drop((14.0, 14.5), both)
    rail, single = _drop((9.1, 9.7), both, Floor.GROUND), _drop((9.1, 9.7), ("tps1_v",))
    found = [stuck, contradicted, rail, single]

    def left(*channels: str) -> list[Finding]:
        late = Disagreement(
            channels=channels, times_s=((1.0, 2.0),), confidence=0.9, text="t", travel_pct=(0.0, 9.0),
            worst_pct=9.0, suspect=None, would_set_code=None,
        )  # fmt: skip
        return without_sticking([*found], shaft, [late])

    assert left("tps1_v", "throttle_cmd_pct") == [contradicted, rail, single]
    assert left(*both) == found
    assert without_sticking([*found], shaft, []) == found
