"""Faults planted in sound recordings: instrument and motion by another hand, the fault by its physics.

A reading is what the line has then, and the instrument's noise and rounding: a level that a fault takes
a line to is read with the noise that the instrument has, one that it shifts keeps what noise is in it.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from altered import step_of
from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Span
from nervus.signal.arithmetic.robust import median_of_five
from nervus.signal.arithmetic.spans import runs
from nervus.signal.instruments import sampling

# A place is told from so many crossings that show it, each with so many readings.
LEAST_SHOWN, LEAST_READ = 4, 3
# No hand rests at a place for longer: there a stand is a hold.
LONGEST_S = 1.5
# Further from the edge than this, percent of travel, the reading before a place is none of its edge.
FAR_PCT = 5.0
# What is no clearer than so many deviations, or steps, of the instrument is not asked for.
CLEAR, CLEAR_STEPS = 5.0, 2.0


@dataclass(frozen=True)
class Planted:
    """A fault in a recording.

    Attributes:
        recording: with the fault.
        channels: of the tracks that have it.
        moments: when it shows.
        place: where a worn track shows it, percent of travel.
        hardly: when it is there too, but too little of it shows to be asked for.
    """

    recording: Recording
    channels: tuple[str, ...]
    moments: tuple[Span, ...]
    place: Span | None = None
    hardly: tuple[Span, ...] = ()


def tracks_of(recording: Recording) -> list[Channel]:
    """The throttle's tracks."""
    return [c for c in recording.channels if c.id.startswith("tps")]


def whole(track: Channel) -> float:
    """What 100 % of the supply are in a track's unit."""
    return 5.0 if track.id.endswith("_v") else 100.0


def noise_of(track: Channel) -> float:
    """What a reading is off by noise or rounding."""
    return max(sampling.noise(track.values), step_of(track.values) / 3.5, 1e-4)


def travel_of(track: Channel) -> FloatArray:
    """Percent of the travel that a track shows, at its instants."""
    quick = sampling.interval_s(track.time_s) < 0.02
    level = median_of_five(track.values) if quick else track.values
    closed, opened = np.percentile(level, [0.3, 99.7])
    return np.asarray(100.0 * (level - closed) / (opened - closed))


def read(track: Channel, values: FloatArray) -> Channel:
    """A track that reads other values, rounded and cut off as it is."""
    step = max(step_of(track.values), 1e-3)
    most = max(whole(track), float(track.values.max()))
    return Channel(track.kind, track.time_s, np.clip(np.round(values / step) * step, 0.0, most))


def changed(recording: Recording, *instead: Channel) -> Recording:
    """A recording with other channels; what a unit makes of the tracks is left out."""
    new = {c.id: c for c in instead}
    kept = (c for c in recording.channels if not c.id.startswith("throttle"))
    return replace(recording, channels=tuple(new.get(c.id, c) for c in kept))


# -- worn places ---------------------------------------------------------------------------------------

Worn = Callable[[FloatArray, float, np.random.Generator], FloatArray]
"""From the values in one crossing of a place, the one at the edge that it came by first, what is read
there, before noise; and from the whole of the supply."""


def opens(values: FloatArray, _most: float, _random: np.random.Generator) -> FloatArray:
    """The wiper has no contact: the line goes to ground."""
    return np.zeros(values.size)


def steps(values: FloatArray, most: float, _random: np.random.Generator) -> FloatArray:
    """The track is off by one amount from edge to edge: 4 % of the supply."""
    return values - 0.04 * most


def stands(values: FloatArray, _most: float, _random: np.random.Generator) -> FloatArray:
    """The last good level is held."""
    return np.full(values.size, values[0])


def flickers(values: FloatArray, most: float, random: np.random.Generator) -> FloatArray:
    """Contact resistance comes and goes: 2.5 % of the supply."""
    return values + 0.025 * most * random.normal(size=values.size)


WORN: dict[str, tuple[Worn, Span]] = {
    "opens": (opens, (0.8, 4.0)),
    "steps": (steps, (1.5, 7.0)),
    "stands": (stands, (3.0, 8.0)),
    "flickers": (flickers, (5.0, 15.0)),
}
_OVERRIDES = (opens, stands)


def worn(recording: Recording, fault: str, random: np.random.Generator) -> Planted | None:
    """One track worn at a place; `None` where no place is crossed often enough to be told."""
    does, widths = WORN[fault]
    track = tracks_of(recording)[int(random.integers(len(tracks_of(recording))))]
    percent = np.interp(track.time_s, tracks_of(recording)[0].time_s, travel_of(tracks_of(recording)[0]))
    for _ in range(30):
        width = float(random.uniform(*widths))
        low = float(random.uniform(6.0, 94.0 - width))
        values, shown = _worn_at(track, percent, (low, low + width), does, random)
        long = max((b - a for a, b in shown), default=0.0)
        if len(shown) >= LEAST_SHOWN and long < LONGEST_S:
            made = changed(recording, read(track, values))
            return Planted(made, (track.id,), tuple(shown), (low, low + width))
    return None


def _worn_at(
    track: Channel, percent: FloatArray, place: Span, does: Worn, random: np.random.Generator
) -> tuple[FloatArray, list[Span]]:
    values, noise = track.values.copy(), noise_of(track)
    clear = max(CLEAR * noise, CLEAR_STEPS * step_of(track.values))
    inside: BoolArray = (percent >= place[0]) & (percent <= place[1])
    shown = []
    for first, last in zip(*runs(inside), strict=True):
        if first == 0 or last == percent.size - 1:
            continue
        some = slice(first - 1, last + 1)
        crossed = values[some].copy()
        edge = place[0] if percent[first - 1] < place[0] else place[1]
        way = percent[first] - percent[first - 1]
        # Read slowly the last reading before it is far away: what is held is what there was at the edge.
        if abs(way) > FAR_PCT:
            crossed[0] += (crossed[1] - crossed[0]) * (edge - percent[first - 1]) / way
        made = does(crossed, whole(track), random)[1:]
        made += random.normal(0.0, 0.7 * noise, made.size) if does in _OVERRIDES else 0.0
        through = (percent[first - 1] < place[0]) != (percent[last + 1] < place[0])
        seen = (
            last - first + 1 >= LEAST_READ
            and np.abs(made - track.values[first : last + 1]).max() > clear
        )
        values[first : last + 1] = made
        if through and seen:
            shown.append((float(track.time_s[first]), float(track.time_s[last])))
    return values, shown


def _crossed(percent: FloatArray, place: Span) -> Iterable[tuple[int, int]]:
    """The first and last reading of each crossing of a place from one side to the other."""
    for first, last in zip(*runs((percent >= place[0]) & (percent <= place[1])), strict=True):
        known = first > 0 and last < percent.size - 1
        if known and (percent[first - 1] < place[0]) != (percent[last + 1] < place[0]):
            yield first, last


def bridged(recording: Recording, _fault: str, random: np.random.Generator) -> Planted | None:
    """One track with a stretch that is bridged: nothing changes over it, and all beside it is steeper.

    The track divides what voltage it has over the resistance that is left.
    """
    tracks = tracks_of(recording)
    track = tracks[int(random.integers(len(tracks)))]
    percent = np.interp(track.time_s, tracks[0].time_s, travel_of(tracks[0]))
    slope = float(np.polyfit(percent, track.values, 1)[0])
    clear = max(CLEAR * noise_of(track), CLEAR_STEPS * step_of(track.values))
    for _ in range(30):
        width = float(random.uniform(2.0, 6.0))
        low = float(random.uniform(6.0, 94.0 - width))
        crossed = [c for c in _crossed(percent, (low, low + width)) if c[1] - c[0] + 1 >= LEAST_READ]
        shown = [(float(track.time_s[a]), float(track.time_s[b])) for a, b in crossed]
        long = max((b - a for a, b in shown), default=0.0)
        if len(shown) >= LEAST_SHOWN and long < LONGEST_S and width * abs(slope) > clear:
            left = (percent - np.clip(percent - low, 0.0, width)) * 100.0 / (100.0 - width)
            made = changed(recording, read(track, track.values + slope * (left - percent)))
            return Planted(made, (track.id,), tuple(shown), (low, low + width))
    return None


# What is worn at one place, and so told as a place.
AT_A_PLACE = (*WORN, "bridges")


# -- moments -------------------------------------------------------------------------------------------

Goes = Callable[[FloatArray, float], FloatArray]
"""What a line reads while it is off, from what it would read and the whole of its supply."""
MOMENTS: dict[str, tuple[Goes, bool]] = {
    "to ground": (lambda values, _: np.zeros(values.size), False),
    "to the supply": (lambda values, most: np.full(values.size, 0.985 * most), False),
    "through a joint": (lambda values, _: 0.45 * values, False),
    "no supply": (lambda values, _: 0.05 * values, True),
    "no ground": (lambda values, most: most - 0.05 * (most - values), True),
    "to a level between": (lambda values, most: np.full(values.size, 0.42 * most), True),
}


def off(recording: Recording, fault: str, random: np.random.Generator) -> Planted | None:
    """One track, or both at once, off for moments at any time; `None` where nothing of it can show."""
    goes, both = MOMENTS[fault]
    tracks = tracks_of(recording)
    if both and len(tracks) < 2:
        return None
    concerned = tracks if both else [tracks[int(random.integers(len(tracks)))]]
    interval_s = sampling.interval_s(tracks[0].time_s)
    spans = _moments(
        tracks[0].time_s, random, (max(0.01, 2.0 * interval_s), max(0.35, 6.0 * interval_s))
    )
    instead, seen = [], set(spans)
    for track in concerned:
        values = track.values.copy()
        for span in spans:
            during = (track.time_s >= span[0]) & (track.time_s <= span[1])
            gone = goes(values[during], whole(track))
            clear = max(CLEAR * noise_of(track), 0.04 * whole(track))
            if not during.any() or np.abs(gone - values[during]).max() < clear:
                seen.discard(span)
            values[during] = gone + random.normal(0.0, 0.7 * noise_of(track), gone.size)
        instead.append(read(track, values))
    channels, hardly = tuple(c.id for c in concerned), tuple(s for s in spans if s not in seen)
    made = changed(recording, *instead)
    return Planted(made, channels, tuple(sorted(seen)), None, hardly) if seen else None


def _moments(time_s: FloatArray, random: np.random.Generator, lengths: Span) -> list[Span]:
    """Moments apart from one another."""
    spans: list[Span] = []
    span = float(time_s[-1] - time_s[0])
    for share in np.sort(random.uniform(0.04, 0.95, int(random.integers(4, 12)))).tolist():
        start = float(time_s[0]) + share * span
        end = start + float(np.exp(random.uniform(*np.log(lengths))))
        if not spans or start > spans[-1][1] + max(0.8, 3.0 * lengths[0]):
            spans.append((start, end))
    return spans


# -- one track leaves the other ------------------------------------------------------------------------


def aside(recording: Recording, fault: str, random: np.random.Generator) -> Planted | None:
    """One of two tracks is off by 10 % of its travel for a part of a recording, or drifts so far."""
    tracks = tracks_of(recording)
    if len(tracks) < 2:
        return None
    track = tracks[int(random.integers(2))]
    start, end = (float(track.time_s[0] + x * np.ptp(track.time_s)) for x in (0.45, 0.8))
    grows = np.clip((track.time_s - start) / (end - start), 0.0, 1.0)
    during = (track.time_s > start) & (track.time_s < end)
    by = grows if fault == "drifts away" else during.astype(np.float64)
    low, high = np.percentile(track.values, [0.3, 99.7])
    inward = 1.0 if float(np.median(track.values)) < (low + high) / 2.0 else -1.0
    made = track.values + inward * 0.1 * (high - low) * by
    shows = track.time_s[by > 0.35]
    return Planted(
        changed(recording, read(track, made)), (track.id,), ((float(shows[0]), float(shows[-1])),)
    )


ASIDE = ("drifts away", "steps aside")
Plant = Callable[[Recording, str, np.random.Generator], Planted | None]
_WAYS: tuple[tuple[Iterable[str], Plant], ...] = (
    (WORN, worn), (("bridges",), bridged), (MOMENTS, off), (ASIDE, aside)
)  # fmt: skip
FAULTS: dict[str, Plant] = {fault: plant for faults, plant in _WAYS for fault in faults}


# -- two at once ---------------------------------------------------------------------------------------


def both(recording: Recording, one: Planted, two: Planted) -> Recording:
    """A recording with two faults, each planted in it while it was sound; where both are, the second."""
    instead = []
    for track in tracks_of(recording):
        first, second = ({c.id: c.values for c in p.recording.channels}[track.id] for p in (one, two))
        # What was only rounded anew has no fault.
        off = np.abs(second - track.values) > max(0.75 * step_of(track.values), 1.5e-3)
        instead.append(Channel(track.kind, track.time_s, np.where(off, second, first)))
    return changed(recording, *instead)
