"""How a throttle is moved: by a hand on a cable, or by a foot through the control unit.

Every stroke between two positions is the smoothest one there is (minimum jerk: T. Flash, N. Hogan,
"The coordination of arm movements", J. Neuroscience 5 (1985) 1688-1703), with the trembling of a
hand on it. A released spring is quicker, but starts and ends as smoothly.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import FloatArray

# Physiological tremor of a hand: some 8 to 12 Hz, far below a percent of the travel (from memory).
_TREMOR_HZ, _TREMOR_PCT = 9.0, 0.08


@dataclass(frozen=True, slots=True)
class Stroke:
    """Go to `to_pct` of the travel within `move_s`, then hold it for `hold_s`."""

    to_pct: float
    move_s: float
    hold_s: float


def follow(
    strokes: tuple[Stroke, ...],
    rate_hz: float,
    random: np.random.Generator,
    *,
    start_pct: float = 0.0,
    trembling: float = 1.0,
) -> tuple[FloatArray, FloatArray]:
    """Instants and positions (percent of travel, 0 to 100), both of shape (n,)."""
    pieces, position = [np.full(max(1, int(0.8 * rate_hz)), start_pct)], start_pct
    for stroke in strokes:
        share = np.linspace(0.0, 1.0, max(2, int(stroke.move_s * rate_hz)))
        eased = share**3 * (10.0 - 15.0 * share + 6.0 * share**2)
        pieces.append(position + (stroke.to_pct - position) * eased)
        pieces.append(np.full(int(stroke.hold_s * rate_hz), stroke.to_pct))
        position = stroke.to_pct
    percent = np.concatenate(pieces)
    time_s = np.arange(percent.size) / rate_hz
    phase = random.uniform(0, 2 * np.pi)
    shake = np.sin(2 * np.pi * _TREMOR_HZ * time_s + phase) * random.normal(1.0, 0.2, percent.size)
    held = (percent > 0.5) & (percent < 99.5)
    percent = percent + trembling * _TREMOR_PCT * shake * held
    return time_s, np.clip(percent, 0.0, 100.0)


def hand_sweeps(
    count: int, random: np.random.Generator, *, lowest: float = 0.0, highest: float = 100.0
) -> tuple[Stroke, ...]:
    """`count` sweeps by hand: open slowly, wait, close slowly, wait."""
    strokes = []
    for _ in range(count):
        opening, closing = random.uniform(1.4, 3.0, 2)
        strokes.append(Stroke(highest, opening, random.uniform(0.3, 0.9)))
        strokes.append(Stroke(lowest, closing, random.uniform(0.4, 1.0)))
    return tuple(strokes)


def pedal_sweeps(
    count: int, random: np.random.Generator, *, rest: float = 6.0, highest: float = 96.0
) -> tuple[Stroke, ...]:
    """`count` sweeps by the pedal, key on and engine off, some of them cut short."""
    strokes = []
    for number in range(count):
        top = highest if number % 3 != 2 else random.uniform(45.0, 80.0)
        strokes.append(Stroke(top, random.uniform(1.2, 2.2), random.uniform(0.3, 0.7)))
        strokes.append(Stroke(rest, random.uniform(1.0, 2.0), random.uniform(0.4, 0.9)))
    return tuple(strokes)
