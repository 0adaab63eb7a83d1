"""What no fault is, done to sound recordings by other hands: lines, instruments and hands as they are.

Each way adds one thing that a sensor, its wires and its throttle are not to blame for, by its physics.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from altered import step_of
from nervus.domain.channel import Channel, FloatArray, Recording
from nervus.signal.instruments import sampling
from planted import noise_of, read, tracks_of, travel_of, whole

Harmless = Callable[[Recording, np.random.Generator], Recording | None]
"""Gives `None` where a recording can't show it."""
LINES_V = ("tps1_v", "tps2_v", "vref_v")


def each(recording: Recording, change: Callable[[Channel], Channel], *only: str) -> Recording:
    """The recording with each channel changed whose name begins so."""
    return replace(
        recording,
        channels=tuple(change(c) if c.id.startswith(only or ("",)) else c for c in recording.channels),
    )


def interval_s(recording: Recording) -> float:
    """Usual time between the readings of a track."""
    return sampling.interval_s(tracks_of(recording)[0].time_s)


def has(recording: Recording, *ids: str) -> bool:
    """Whether any of some channels was recorded."""
    return any(c.id in ids for c in recording.channels)


def instants(recording: Recording, random: np.random.Generator, count: int) -> FloatArray:
    """Some instants within a recording, in order."""
    time_s = tracks_of(recording)[0].time_s
    return np.sort(random.uniform(time_s[0] + 2.0, time_s[-1] - 2.0, count))


def span_of(track: Channel) -> tuple[float, float]:
    """Lowest and highest value that a track rests at."""
    low, high = np.percentile(track.values, [0.3, 99.7])
    return float(low), float(high)


# -- what lines pick up and share -----------------------------------------------------------------------


def spikes(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Ignition couples single samples into every line, volt for volt, to either side."""
    if interval_s(recording) > 0.005 or not has(recording, "tps1_v"):
        return None
    count = int(np.ptp(tracks_of(recording)[0].time_s) * random.uniform(0.5, 3.0))
    at_s, volts = instants(recording, random, count), random.normal(0.0, 0.4, count)

    def change(c: Channel) -> Channel:
        values, step = c.values.copy(), max(step_of(c.values), 1e-3)
        values[np.searchsorted(c.time_s, at_s).clip(0, c.samples - 1)] += volts
        # A supply is measured by what reads more than it is.
        return replace(c, values=np.round(values / step) * step) if c.id == "vref_v" else read(c, values)

    return each(recording, change, *LINES_V)


def hum(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Long leads pick up the mains."""
    if interval_s(recording) > 0.005 or not has(recording, "tps1_v"):
        return None
    volts, phase, hertz = random.uniform(0.005, 0.03), random.uniform(0.0, 6.0), random.choice([50, 60])

    def change(c: Channel) -> Channel:
        return read(c, c.values + volts * np.sin(2.0 * np.pi * hertz * c.time_s + phase))

    return each(recording, change, "tps")


def supply_wanders(recording: Recording, random: np.random.Generator) -> Recording | None:
    """The supply wanders by up to one in a hundred, and nobody recorded it."""
    if not has(recording, "tps1_v") or has(recording, "vref_v"):
        return None
    lasts_s, share, phase = random.uniform(5, 40), random.uniform(0.003, 0.01), random.uniform(0.0, 6.0)

    def change(c: Channel) -> Channel:
        return read(c, c.values * (1.0 + share * np.sin(2.0 * np.pi * c.time_s / lasts_s + phase)))

    return each(recording, change, "tps")


def ground_steps(recording: Recording, random: np.random.Generator) -> Recording | None:
    """A fan that runs lifts the ground that all lines are measured against by hundredths of a volt."""
    if not has(recording, "tps1_v") or has(recording, "vref_v", "sgnd_v"):
        return None
    on_s, volts = instants(recording, random, 4), random.uniform(0.01, 0.03)

    def change(c: Channel) -> Channel:
        return read(c, c.values + volts * (np.searchsorted(on_s, c.time_s) % 2))

    return each(recording, change, "tps")


# -- how it was read ------------------------------------------------------------------------------------


def coarse_stamps(recording: Recording, _: np.random.Generator) -> Recording | None:
    """The time is written in hundredths of a second, oftener read."""
    if interval_s(recording) > 0.009:
        return None
    return each(recording, lambda c: replace(c, time_s=np.round(c.time_s, 2)))


def two_loggers(recording: Recording, random: np.random.Generator) -> Recording | None:
    """The second track by a logger of its own, its clock set by hand and drifting."""
    if len(tracks_of(recording)) < 2 or interval_s(recording) > 0.02:
        return None
    ahead_s, drift = random.uniform(0.05, 0.3) * random.choice([-1, 1]), random.uniform(-2e-4, 2e-4)
    return each(recording, lambda c: replace(c, time_s=c.time_s * (1.0 + drift) + ahead_s), "tps2")


def updated_seldom(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Asked oftener than it is updated, a unit says the same again."""
    if interval_s(recording) > 0.02:
        return None
    times = int(random.integers(2, 6))
    return each(recording, lambda c: replace(c, values=c.values[np.arange(c.samples) // times * times]))


def a_pause(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Nothing was read for up to three seconds."""
    start = float(instants(recording, random, 1)[0])
    end = start + random.uniform(0.5, 3.0)

    def change(c: Channel) -> Channel:
        kept = (c.time_s < start) | (c.time_s > end)
        return Channel(c.kind, c.time_s[kept], c.values[kept])

    return each(recording, change)


def many_lost(recording: Recording, random: np.random.Generator) -> Recording | None:
    """One reading in five never came."""

    def change(c: Channel) -> Channel:
        kept = random.random(c.samples) > 0.2
        kept[[0, -1]] = True
        return Channel(c.kind, c.time_s[kept], c.values[kept])

    return each(recording, change)


def one_filtered(recording: Recording, random: np.random.Generator) -> Recording | None:
    """One track goes through a filter that the other has not."""
    if len(tracks_of(recording)) < 2 or interval_s(recording) > 0.005:
        return None
    constant_s = random.uniform(0.003, 0.015)

    def change(c: Channel) -> Channel:
        share = 1.0 - np.exp(-np.diff(c.time_s, prepend=c.time_s[0]) / constant_s)
        level, values = float(c.values[0]), []
        for value, part in zip(c.values.tolist(), share.tolist(), strict=True):
            level += part * (value - level)
            values.append(level)
        return read(c, np.asarray(values))

    return each(recording, change, "tps2")


def frozen(recording: Recording, random: np.random.Generator) -> Recording:
    """The link stalls now and then: every channel is written on as it was last read."""
    starts, lasts_s = instants(recording, random, 3), random.uniform(0.5, 2.0, 3)

    def change(c: Channel) -> Channel:
        values = c.values.copy()
        for first, last in np.searchsorted(
            c.time_s, np.column_stack((starts, starts + lasts_s))
        ).tolist():
            values[first:last] = values[max(first - 1, 0)]
        return replace(c, values=values)

    return each(recording, change)


def _zeros(recording: Recording, span_s: tuple[float, float]) -> Recording | None:
    """Every channel reads nothing meanwhile; `None` where nothing is there of the engine to say so."""
    if not has(recording, "rpm", "ect_c"):
        return None

    def change(c: Channel) -> Channel:
        off = (c.time_s >= span_s[0]) & (c.time_s < span_s[1])
        return replace(c, values=np.where(off, 0.0, c.values))

    return each(recording, change)


def nothing_yet(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Rows are written before anything was read: zeros in every channel."""
    first_s = min(float(c.time_s[0]) for c in recording.channels)
    return _zeros(recording, (first_s, first_s + random.uniform(0.2, 1.5)))


def link_lost(recording: Recording, random: np.random.Generator) -> Recording | None:
    """The link is lost for a moment: zeros in every channel."""
    start = float(instants(recording, random, 1)[0])
    return _zeros(recording, (start, start + random.uniform(0.3, 2.0)))


# -- what plates and hands do ---------------------------------------------------------------------------


def rests_long(recording: Recording, random: np.random.Generator) -> Recording | None:
    """The throttle is held somewhere for up to half a minute."""
    if any(c.id == "vref_v" and sampling.noise(c.values) > 0.01 for c in recording.channels):
        return None  # a ripple that goes on in the supply alone is none
    track, near = tracks_of(recording)[0], max(1, round(0.1 / interval_s(recording)))
    at = np.searchsorted(track.time_s, instants(recording, random, 12)).clip(
        near, track.samples - near - 1
    )
    moves = [
        abs(float(np.median(track.values[i : i + near]) - track.values[i - near])) for i in at.tolist()
    ]
    start, lasts_s = float(track.time_s[at[int(np.argmin(moves))]]), float(random.uniform(5.0, 30.0))

    def change(c: Channel) -> Channel:
        here, step_s = int(np.searchsorted(c.time_s, start)), sampling.interval_s(c.time_s)
        count = int(lasts_s / step_s)
        held_s = c.time_s[max(here - 1, 0)] + step_s * np.arange(1, count + 1)
        # As it was there, again and again: with the noise that it had.
        some = c.values[max(0, here - near) : here]
        held = (
            some[np.arange(count) % some.size] if c.id.startswith("vref") else np.full(count, some[-1])
        )
        if c.id.startswith("tps"):
            # Read slowly, motion looks like noise: what readings next to each other usually differ by.
            noise = min(noise_of(c), 1.05 * float(np.median(np.abs(np.diff(c.values)))))
            shown, step = (
                np.median(some) + noise * random.normal(size=count),
                max(step_of(c.values), 1e-3),
            )
            held = np.clip(np.round(shown / step) * step, 0.0, whole(c))
        time_s = np.concatenate((c.time_s[:here], held_s, c.time_s[here:] + count * step_s))
        return Channel(c.kind, time_s, np.concatenate((c.values[:here], held, c.values[here:])))

    return each(recording, change)


def bounces(recording: Recording, random: np.random.Generator) -> Recording | None:
    """Let go, a plate bounces on its stop by one or two in a hundred."""
    first, step_s = tracks_of(recording)[0], interval_s(recording)
    percent, near = travel_of(first), max(1, round(0.05 / step_s))
    landed = np.flatnonzero((percent[near:] < 1.0) & (percent[:-near] > 4.0)) + near
    if step_s > 0.02 or not landed.size:
        return None
    landed = landed[np.diff(landed, prepend=-1e9) > 0.3 / step_s]
    hertz, fades_s, share = (
        random.uniform(8, 20),
        random.uniform(0.03, 0.08),
        random.uniform(0.008, 0.02),
    )

    def change(c: Channel) -> Channel:
        since = c.time_s[:, None] - first.time_s[landed]
        swings = np.abs(np.sin(2.0 * np.pi * hertz * since)) * np.exp(-np.abs(since) / fades_s)
        low, high = span_of(c)
        closed = float(np.median(np.interp(first.time_s[landed], c.time_s, c.values)))
        inward = 1.0 if closed < (low + high) / 2.0 else -1.0
        return read(c, c.values + inward * share * (high - low) * (swings * (since > 0.0)).sum(axis=1))

    return each(recording, change, "tps")


def trembles(recording: Recording, random: np.random.Generator) -> Recording | None:
    """An engine shakes the plate by some thousandths, and both tracks with it."""
    if interval_s(recording) > 0.02:
        return None
    hertz, share, phase = random.uniform(5, 25), random.uniform(0.002, 0.006), random.uniform(0.0, 6.0)
    first = tracks_of(recording)[0]

    def change(c: Channel) -> Channel:
        low, high = span_of(c)
        alike = np.corrcoef(np.interp(c.time_s, first.time_s, first.values), c.values)[0, 1]
        swing = np.sign(alike) * share * np.sin(2.0 * np.pi * hertz * c.time_s + phase)
        return read(c, c.values + (high - low) * swing)

    return each(recording, change, "tps")


WAYS: dict[str, Harmless] = {
    "spikes": spikes,
    "hum": hum,
    "supply wanders": supply_wanders,
    "ground steps": ground_steps,
    "coarse stamps": coarse_stamps,
    "two loggers": two_loggers,
    "updated seldom": updated_seldom,
    "a pause": a_pause,
    "many lost": many_lost,
    "one filtered": one_filtered,
    "frozen": frozen,
    "nothing yet": nothing_yet,
    "link lost": link_lost,
    "rests long": rests_long,
    "bounces": bounces,
    "trembles": trembles,
}
