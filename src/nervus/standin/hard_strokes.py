"""How the plate is moved in the hard cases: sweeps as people make them, and what makes each of them."""

from dataclasses import replace

import numpy as np

from nervus.standin.motion import Law, Stroke

# Openings with the foot down, so that what stops half way shows as such.
FOOT_DOWN = (Stroke(100.0, 0.6, 0.5), Stroke(0.0, 0.5, 1.0)) * 2
# What moves the plate is drawn from a stream of its own: the circuits and faults stay as they are.
_LAWS = 5
# A stroke that takes no longer is made by a motor or, when it closes the plate, by its spring.
_QUICK_S = 0.25


def strokes_of(random: np.random.Generator, sweeps: int, *, snaps: bool = False) -> tuple[Stroke, ...]:
    """Sweeps as people make them: whole and part ones, hesitations, holds, a snap now and then."""
    made: list[Stroke] = []
    for _ in range(sweeps):
        top = 100.0 if random.random() < 0.65 else random.uniform(35.0, 85.0)
        if random.random() < 0.25:
            half = random.uniform(15.0, top - 8.0)
            made.append(Stroke(half, random.uniform(0.5, 1.5), random.uniform(0.1, 1.2)))
            if random.random() < 0.5:
                back = half - random.uniform(2.0, 6.0)
                made.append(Stroke(back, random.uniform(0.2, 0.4), 0.05))
        quick = snaps and random.random() < 0.6
        fast = random.uniform(0.08, 0.2)
        made.append(Stroke(top, fast if quick else random.uniform(0.9, 2.8), random.uniform(0.2, 0.8)))
        made.append(Stroke(0.0, fast if quick else random.uniform(0.9, 2.8), random.uniform(0.3, 0.9)))
    return tuple(made)


def moved(strokes: tuple[Stroke, ...], seed: int) -> tuple[Stroke, ...]:
    """The strokes as a hand, a foot, a motor and a spring make them, each recording in its own way."""
    random = np.random.default_rng([seed, _LAWS])
    slow = (Law.SMOOTH, Law.HALTING, Law.MOTOR)[random.integers(3)]
    let_go = random.random() < 0.5
    quick = (Law.SMOOTH, Law.MOTOR)[random.integers(2)]
    made = []
    for stroke in strokes:
        law = quick if stroke.move_s <= _QUICK_S else slow
        falls = let_go and stroke.move_s <= _QUICK_S and stroke.to_pct == 0.0
        made.append(replace(stroke, law=Law.SPRING if falls else law))
    return tuple(made)
