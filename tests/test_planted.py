"""Faults planted in sound recordings by other hands: told, where and when they are, and nothing besides.

Sources: the recordings, their makers'; each fault is planted by its physics (`planted.py`): a wiper that
is off reads its rail, one that stands its last good level (common practice, no published source).
"""

import numpy as np
import pytest

from analysis_fingerprints import recordings
from nervus.domain.channel import Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Finding, Noise, Shape
from nervus.judge.analyse import analyse
from planted import ASIDE, AT_A_PLACE, FAULTS, Planted, both

SHAPES = {
    "opens": Shape.DROP, "steps": Shape.STEP, "stands": Shape.FLAT, "bridges": Shape.FLAT,
}  # fmt: skip


def planted_in(name: str, fault: str, seed: int) -> Planted:
    made = FAULTS[fault](sound(name), fault, np.random.default_rng(seed))
    assert made is not None
    return made


def sound(name: str) -> Recording:
    return recordings()[name]()


def is_told(fault: str, planted: Planted, findings: tuple[Finding, ...]) -> bool:
    """Whether a fault is told as it is, and nothing else."""
    if fault in AT_A_PLACE and planted.place is not None:
        kind = Noise if fault == "flickers" else DeadSpot
        (spot,) = findings if len(findings) == 1 else (None,)
        if not isinstance(spot, kind) or spot.channels != planted.channels:
            return False
        if isinstance(spot, DeadSpot) and spot.shape is not SHAPES[fault]:
            return False
        middle, wide = sum(planted.place) / 2.0, planted.place[1] - planted.place[0]
        return abs(sum(spot.travel_pct) / 2.0 - middle) < max(1.5, wide / 4.0)
    if fault in ASIDE:
        start, end = planted.moments[0]
        return all(isinstance(f, Disagreement) for f in findings) and any(
            f.times_s[0][0] > start - 8.0 and f.times_s[-1][1] < end + 3.0 for f in findings
        )
    drops = [f for f in findings if isinstance(f, Drop)]
    if len(drops) != len(findings) or any(f.channels != planted.channels for f in drops):
        return False
    ever = (*planted.moments, *planted.hardly)
    true = all(
        any(f.times_s[0][0] <= b + 0.1 and f.times_s[-1][1] >= a - 0.1 for a, b in ever) for f in drops
    )
    found = (
        any(f.times_s[0][0] <= b and f.times_s[-1][1] >= a for f in drops) for a, b in planted.moments
    )
    return true and all(found)


@pytest.mark.parametrize(
    ("name", "fault", "seed"),
    [
        # A stair of 1.6 % of the supply at 1000 readings a second: a stand is three steps of it.
        ("deciding healthy 3", "stands", 1), ("deciding healthy 3", "stands", 2),
        ("deciding healthy-awkward 3", "stands", 1), ("a-third healthy-awkward 4", "stands", 3),
        # Two tracks, polled: most crossings are not read at the place.
        ("healthy-fast-2", "steps", 1), ("healthy-fast-2", "stands", 1),
        ("a-third healthy-awkward 5", "steps", 2), ("a-third healthy-awkward 5", "stands", 1),
        ("another-hand healthy-fast 5", "steps", 1), ("another-hand healthy-awkward 6", "stands", 2),
        # Of two tracks that are polled in turn, the one that is rough.
        ("healthy-fast-2", "flickers", 1), ("another-hand healthy-fast 4", "flickers", 2),
        ("another-hand healthy-fast 5", "flickers", 1), ("another-hand healthy-fast 5", "flickers", 2),
        # One that differs for a while is neither rough nor worn meanwhile.
        ("a-third healthy-fast 1", "steps aside", 1),
        ("another-hand healthy-awkward 3", "steps aside", 1),
        ("another-hand healthy-awkward 7", "drifts away", 2),
        ("a-third healthy-awkward 4", "steps aside", 1), ("another-hand healthy-fast 6", "to ground", 2),
        ("another-hand healthy-fast 4", "to the supply", 1),
        # A spring takes the plate over the place between two readings, or on while the line is open.
        ("another-hand healthy-fast 5", "opens", 2), ("a-third healthy-fast 1", "opens", 1),
        ("healthy, snapped 31", "opens", 2), ("healthy, polled and snapped 5", "opens", 1),
        ("healthy, fast capture 5", "opens", 1), ("healthy, fast capture 31", "steps", 1),
        # What was far off where the throttle rests is an open line, no roughness.
        ("deciding healthy-awkward 4", "through a joint", 1),
        ("deciding healthy-awkward 4", "to ground", 1),
        ("deciding healthy-awkward 3", "through a joint", 2),
        # Two tracks that are read in turn, each where the sister says it can't be, while both stand.
        ("another-hand healthy-awkward 6", "to a level between", 1),
        ("deciding healthy-awkward 4", "to a level between", 1),
        ("deciding healthy-awkward 7", "to a level between", 2),
        ("healthy, polled and snapped 5", "to a level between", 1),
        ("another-hand healthy-fast 6", "opens", 2), ("another-hand healthy-fast 5", "to ground", 2),
        # What is come back to from a rail is where the shaft is.
        ("a-third healthy-fast 2", "no ground", 2), ("another-hand healthy-fast 5", "no supply", 1),
        # One moment is told once.
        ("healthy, ignition spikes 5", "steps", 2),
        # Half of the passes leap, and none elsewhere.
        ("healthy, snapped 31", "stands", 1),
        # A bridged stretch is no level that is held, and what it does beside is no other fault.
        ("healthy-soft-landing", "bridges", 1), ("healthy-fast-2", "bridges", 1),
        ("another-hand healthy-fast 4", "bridges", 1), ("another-hand healthy-fast 5", "bridges", 2),
        ("another-hand healthy-awkward 6", "bridges", 3), ("a-third healthy-awkward 2", "bridges", 1),
        ("healthy, polled and snapped 5", "bridges", 1), ("healthy, snapped 67", "bridges", 2),
        ("healthy, ignition spikes 67", "bridges", 1),
    ],
)  # fmt: skip
def test_a_planted_fault_is_told_and_nothing_besides(name: str, fault: str, seed: int) -> None:
    planted = planted_in(name, fault, seed)
    findings = analyse(planted.recording).examination.findings
    assert is_told(fault, planted, findings), [f.text for f in findings]


@pytest.mark.parametrize(
    ("name", "one", "other", "seed"),
    [
        # Two places of one track are two, though a quick pass drops out over both.
        ("deciding healthy 3", "opens", "opens", 2), ("deciding healthy 3", "steps", "steps", 2),
        ("a-third healthy-awkward 4", "opens", "opens", 2),
        ("healthy, fast capture 5", "opens", "steps", 2),
        # What is rough, read slowly, is so beside what a place elsewhere makes rough.
        ("healthy-fast-2", "opens", "flickers", 1), ("healthy-fast-2", "stands", "flickers", 2),
        ("another-hand healthy-fast 4", "flickers", "steps", 2),
        ("another-hand healthy-fast 5", "opens", "flickers", 2),
        # Tracks that differ now at one place, now at the other, differ nowhere else.
        ("another-hand healthy-fast 5", "steps", "steps", 1),
        ("another-hand healthy-awkward 6", "steps", "stands", 2),
        ("another-hand healthy-awkward 6", "stands", "steps", 1),
        # From one worn place of a lone track to the next it is sound.
        ("healthy, fast capture 5", "stands", "opens", 1),
        ("healthy, fast capture 5", "stands", "steps", 2),
        ("healthy, fast capture 5", "flickers", "stands", 1),
        ("healthy, fast capture 5", "flickers", "flickers", 2),
        # A step that is read slowly is not rough besides.
        ("healthy-fast-2", "steps", "steps", 2),
    ],
)  # fmt: skip
def test_two_planted_faults_are_told_each_and_nothing_besides(
    name: str, one: str, other: str, seed: int
) -> None:
    first, second = planted_in(name, one, seed), planted_in(name, other, seed + 50)
    findings = analyse(both(sound(name), first, second)).examination.findings
    assert len(findings) == 2, [f.text for f in findings]
    for fault, planted in ((one, first), (other, second)):
        assert any(is_told(fault, planted, (f,)) for f in findings), [f.text for f in findings]


@pytest.mark.parametrize("name", ["deciding healthy 3", "healthy-fast-2", "a-third healthy-awkward 5"])
def test_the_same_recordings_without_a_fault_are_sound(name: str) -> None:
    assert analyse(sound(name)).examination.findings == ()
