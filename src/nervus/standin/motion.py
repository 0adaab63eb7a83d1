"""How a throttle is moved: by a hand on a cable, by a foot, by a motor, or by its own spring.

What moves it decides how its speed grows and falls between two positions (`Law`); the trembling of a
hand lies on all of it.
"""

from dataclasses import dataclass
from enum import Enum

import numpy as np

from nervus.domain.channel import FloatArray

# Physiological tremor of a hand: some 8 to 12 Hz, far below a percent of the travel (from memory).
_TREMOR_HZ, _TREMOR_PCT = 9.0, 0.08
# One submovement of a hand that goes slowly takes about so long (from memory: 0.2 to 0.5 s).
_SUBMOVEMENT_S = 0.35
# A motor's mechanical time constant as a share of the quickest stroke that is asked of it: in the order
# of 20 ms where 100 ms are taken (from memory).
_TIME_CONSTANT = 0.2
# What is left of a plate's speed when it has struck its stop: it leaps back by the square of it, some
# percent of the travel (common practice, no published source).
_RESTITUTION = 0.12


class Law(Enum):
    """What moves the plate, and so how a stroke goes from its beginning to its end.

    SMOOTH: a practised hand, the smoothest stroke there is (minimum jerk: T. Flash, N. Hogan, "The
    coordination of arm movements", J. Neuroscience 5 (1985) 1688-1703).
    HALTING: a careful hand or foot, many such strokes that overlap (T. E. Milner, "A model for the
    generation of movements requiring endpoint precision", Neuroscience 49 (1992) 487-496).
    MOTOR: a motor at full voltage one way, then the other, its own voltage against it (time-optimal
    control of a first-order motor: any textbook of control).
    SPRING: let go; a preloaded spring pulls evenly until the plate strikes its stop, and leaps back.
    """

    SMOOTH = "smooth"
    HALTING = "halting"
    MOTOR = "motor"
    SPRING = "spring"


@dataclass(frozen=True, slots=True)
class Stroke:
    """Go to `to_pct` of the travel within `move_s`, then hold it for `hold_s`."""

    to_pct: float
    move_s: float
    hold_s: float
    law: Law = Law.SMOOTH


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
        by = stroke.to_pct - position
        share = np.linspace(0.0, 1.0, max(2, int(stroke.move_s * rate_hz)))
        held = np.zeros(int(stroke.hold_s * rate_hz))
        if stroke.law is Law.SPRING:
            held = _leap(np.arange(1, held.size + 1) / (stroke.move_s * rate_hz))
        pieces.append(position + by * _gone(stroke, share, random))
        pieces.append(stroke.to_pct - by * held)
        position = stroke.to_pct
    percent = np.concatenate(pieces)
    time_s = np.arange(percent.size) / rate_hz
    phase = random.uniform(0, 2 * np.pi)
    shake = np.sin(2 * np.pi * _TREMOR_HZ * time_s + phase) * random.normal(1.0, 0.2, percent.size)
    between = (percent > 0.5) & (percent < 99.5)
    percent = percent + trembling * _TREMOR_PCT * shake * between
    return time_s, np.clip(percent, 0.0, 100.0)


def _gone(stroke: Stroke, share: FloatArray, random: np.random.Generator) -> FloatArray:
    """How much of a stroke is done after so much of its time, both of shape (n,), from 0 to 1."""
    if stroke.law is Law.SPRING:
        return share**2
    if stroke.law is Law.MOTOR:
        return _driven(share)
    if stroke.law is Law.HALTING:
        return _halting(share, max(1, round(stroke.move_s / _SUBMOVEMENT_S)), random)
    return _smooth(share)


def _smooth(share: FloatArray) -> FloatArray:
    share = np.clip(share, 0.0, 1.0)
    return share**3 * (10.0 - 15.0 * share + 6.0 * share**2)


def _halting(share: FloatArray, count: int, random: np.random.Generator) -> FloatArray:
    """`count` submovements of unlike size, each as long as it takes until the one after the next."""
    each = 2.0 / (count + 1)
    sizes = random.uniform(0.4, 1.6, count)
    parts = (size * _smooth((share - number * each / 2.0) / each) for number, size in enumerate(sizes))
    return np.asarray(sum(parts) / sizes.sum())


def _driven(share: FloatArray) -> FloatArray:
    """Full voltage until the moment from which full voltage the other way brings it to rest in time."""
    tau = _TIME_CONSTANT
    turned = tau * np.log((np.exp(1.0 / tau) + 1.0) / 2.0)
    speed_then = 1.0 - np.exp(-turned / tau)
    driving = share - tau * (1.0 - np.exp(-share / tau))
    since = np.maximum(share - turned, 0.0)
    until = turned - tau * speed_then
    braking = until - since + (speed_then + 1.0) * tau * (1.0 - np.exp(-since / tau))
    gone = np.where(share < turned, driving, braking)
    return np.asarray(gone / gone[-1])


def _leap(since: FloatArray) -> FloatArray:
    """How far a plate is off the stop that it struck, as a share of its fall; time in falls."""
    at = np.minimum(since, 2.0 * _RESTITUTION)
    return np.asarray(2.0 * _RESTITUTION * at - at**2)


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
