"""Recordings as their instrument might as well have given them: no fact hangs on one draw.

Each way leaves the facts and changes what is beside them: noise, stamps, readings that were lost, which
track was called the first, a slower clock, a recording that was begun later.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording
from nervus.signal.instruments import sampling

Altered = Callable[[Recording, np.random.Generator], Recording | None]
"""Gives `None` where a way has nothing to change."""
LINES = ("tps", "app", "vref", "sgnd")
SLOWER, FASTER, BEGIN, END = 1.3, 0.85, 0.12, 0.86
# Fewer readings a second are asked of what is read slowly, seconds between two.
HALVED_S = (0.008, 0.2)


def every(recording: Recording, change: Callable[[Channel], tuple[FloatArray, FloatArray]]) -> Recording:
    """The recording with each channel's instants and values changed."""
    return replace(recording, channels=tuple(Channel(c.kind, *change(c)) for c in recording.channels))


def step_of(values: FloatArray) -> float:
    """The usual step between values next to each other; 0 where all are equal."""
    steps = np.diff(np.unique(values))
    return float(np.median(steps[steps > 1e-9])) if (steps > 1e-9).any() else 0.0


def _together(recording: Recording, draw: Callable[[int], FloatArray]) -> dict[str, FloatArray]:
    """A draw for each channel, the same for those that were read at once."""
    known: dict[tuple[int, float], FloatArray] = {}
    return {
        c.id: known.setdefault((c.samples, float(c.time_s[0])), draw(c.samples))
        for c in recording.channels
    }


def noisier(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Another draw of noise on lines that are noisier than their converter's step, rounded as before."""

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        step, noise = max(step_of(c.values), 1e-3), sampling.noise(c.values)
        if not c.id.startswith(LINES) or noise < 0.3 * step:
            return c.time_s, c.values
        values = np.round((c.values + random.normal(0.0, 0.7 * noise, c.samples)) / step) * step
        return c.time_s, np.clip(values, c.values.min(), c.values.max())

    return every(recording, change)


def lost(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Two readings in a hundred never came."""
    keep = _together(recording, random.random)

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        kept = keep[c.id] > 0.02
        kept[[0, -1]] = True
        return c.time_s[kept], c.values[kept]

    return every(recording, change)


def jittered(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Stamps off by up to a fifth of an interval."""
    off = _together(recording, lambda n: random.uniform(-0.2, 0.2, n))

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        step_s = float(np.median(np.diff(c.time_s))) if c.samples > 1 else 0.0
        return np.maximum.accumulate(c.time_s + off[c.id] * step_s), c.values

    return every(recording, change)


def at_speed(factor: float) -> Altered:
    """All of it took so many times as long, readings and motion alike."""

    def alter(recording: Recording, _: np.random.Generator) -> Recording:
        marks = tuple(replace(m, time_s=m.time_s * factor) for m in recording.marks)
        return replace(every(recording, lambda c: (c.time_s * factor, c.values)), marks=marks)

    return alter


def halved(recording: Recording, _: np.random.Generator) -> Recording | None:
    """Every second reading of what was read slowly."""
    first = recording.channels[0].time_s
    if not HALVED_S[0] < float(np.median(np.diff(first))) < HALVED_S[1]:
        return None
    return every(recording, lambda c: (c.time_s[::2], c.values[::2]))


def coarser(recording: Recording, _: np.random.Generator) -> Recording | None:
    """Two bits fewer, where nine are left."""

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        step, whole = 4.0 * step_of(c.values), 5.0 if c.id.endswith("_v") else 100.0
        if not c.id.startswith(LINES[:2]) or not 0.0 < step <= whole / 500.0:
            return c.time_s, c.values
        return c.time_s, np.round(c.values / step) * step

    return every(recording, change)


def swapped_names(recording: Recording) -> dict[str, str]:
    """What each channel is called where the second track is called the first."""
    ids = {c.id for c in recording.channels}
    pairs = [(f"{sensor}1_{unit}", f"{sensor}2_{unit}") for sensor in LINES[:2] for unit in ("v", "pct")]
    both = [pair for pair in pairs if ids.issuperset(pair)]
    return dict(both) | {b: a for a, b in both}


def swapped(recording: Recording, _: np.random.Generator) -> Recording | None:
    """The second track is called the first."""
    names, kinds = swapped_names(recording), {c.id: c.kind for c in recording.channels}
    order = list(kinds)
    renamed = [Channel(kinds[names.get(c.id, c.id)], c.time_s, c.values) for c in recording.channels]
    renamed.sort(key=lambda c: order.index(c.id))
    return replace(recording, channels=tuple(renamed)) if names else None


def within(start: float, end: float) -> Altered:
    """Begun later or ended earlier, at shares of its length."""

    def alter(recording: Recording, _: np.random.Generator) -> Recording:
        low, high = start * recording.duration_s, end * recording.duration_s

        def change(c: Channel) -> tuple[FloatArray, FloatArray]:
            kept = (c.time_s >= low) & (c.time_s <= high)
            return c.time_s[kept], c.values[kept]

        marks = tuple(m for m in recording.marks if low <= m.time_s <= high)
        return replace(every(recording, change), marks=marks)

    return alter


WAYS: dict[str, Altered] = {
    "noisier": noisier,
    "lost readings": lost,
    "jittered": jittered,
    "slower": at_speed(SLOWER),
    "faster": at_speed(FASTER),
    "coarser": coarser,
    "swapped": swapped,
    "begun later": within(BEGIN, 1.0),
    "ended earlier": within(0.0, END),
    "halved": halved,
}
