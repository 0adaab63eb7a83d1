"""What lies between two instants of a recording: values, differences, rates, time below, events."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Examination
from nervus.domain.channel import Channel, Recording, Sensor, Span
from nervus.language import figures, say

# A jump of this share of what a channel spans is an edge.
_EDGE = 0.08
# Edges nearer than this are one, in samples.
_ONE_EDGE = 3


@dataclass(frozen=True, slots=True)
class BetweenValues:
    """One channel at two instants.

    Attributes:
        title: of the channel.
        unit: of its values.
        first, second: its last value at either instant; `None` before its first sample.
        rate: of change between them, in its unit a second; `None` where no time lies between.
        below: the share of the time between that it was below the level; `None` without a level, or in
            another unit.
    """

    title: str
    unit: str
    first: float | None
    second: float | None
    rate: float | None
    below: float | None

    @property
    def difference(self) -> float | None:
        """The second value less the first."""
        return self.second - self.first if self.first is not None and self.second is not None else None


@dataclass(frozen=True, slots=True)
class Between:
    """What was measured between two instants.

    Attributes:
        first_s, second_s: the instants.
        travel: percent of travel at either; `None` where it is not known.
        rows: each channel.
        events: how many events of findings begin between them.
        level: that "below" is told for, `None` for none.
    """

    first_s: float
    second_s: float
    travel: tuple[float | None, float | None]
    rows: tuple[BetweenValues, ...]
    events: int
    level: float | None

    def text(self, name: str) -> str:
        """All of it as lines, with units, to be pasted elsewhere."""
        apart = self.second_s - self.first_s
        lines = [
            say(
                "{name}: {first_s:.4f} s to {second_s:.4f} s, {apart:+.4f} s apart",
                name=name,
                first_s=self.first_s,
                second_s=self.second_s,
                apart=apart,
            )
        ]
        if self.travel[0] is not None and self.travel[1] is not None:
            lines.append(
                say(
                    "travel: {travel:.2f} % to {travel_:.2f} %",
                    travel=self.travel[0],
                    travel_=self.travel[1],
                )
            )
        for row in self.rows:
            if row.first is None or row.second is None:
                continue
            told = say(
                "{title}: {first:.4g} to {second:.4g} {unit}",
                title=row.title,
                first=row.first,
                second=row.second,
                unit=row.unit,
            )
            told += figures(", {moved:+.4g} {unit}", moved=row.second - row.first, unit=row.unit)
            if row.rate is not None:
                told += figures(", {rate:+.4g} {unit}/s", rate=row.rate, unit=row.unit)
            if row.below is not None and self.level is not None:
                told += say(
                    ", below {level:g} {unit} for {below:.1f} % of the time",
                    level=self.level,
                    unit=row.unit,
                    below=100 * row.below,
                )
            lines.append(told)
        lines.append(say("events between: {events}", events=self.events))
        return "\n".join(lines)


def between(
    recording: Recording, examination: Examination, first_s: float, second_s: float, level: float | None
) -> Between:
    """Everything between two instants; the level is in volts, or percent where there are none.

    Args:
        recording: what was captured.
        examination: what was found in it.
        first_s: one instant.
        second_s: the other, before it or after.
        level: for the time below it.
    """
    unit = str(recording.channels[0].kind.unit)
    rows = tuple(
        _row(c, first_s, second_s, level if str(c.kind.unit) == unit else None)
        for c in recording.channels
    )
    low, high = sorted((first_s, second_s))
    starts = [span[0] for f in examination.findings for span in f.times_s]
    return Between(
        first_s,
        second_s,
        (_travel_at(examination, first_s), _travel_at(examination, second_s)),
        rows,
        sum(1 for s in starts if low <= s <= high),
        level,
    )


def _row(channel: Channel, first_s: float, second_s: float, level: float | None) -> BetweenValues:
    first, second = _value_at(channel, first_s), _value_at(channel, second_s)
    apart = second_s - first_s
    rate = (second - first) / apart if first is not None and second is not None and apart else None
    low, high = sorted((first_s, second_s))
    below = _share_below(channel, low, high, level) if level is not None else None
    return BetweenValues(channel.kind.title, str(channel.kind.unit), first, second, rate, below)


def _value_at(channel: Channel, time_s: float) -> float | None:
    index = int(np.searchsorted(channel.time_s, time_s, side="right")) - 1
    return float(channel.values[index]) if index >= 0 else None


def _travel_at(examination: Examination, time_s: float) -> float | None:
    travel = examination.travel
    if travel is None or not travel.time_s.size:
        return None
    # Of the two neighbours alone: interpolating in the whole would copy an hour for each cursor's step.
    at = int(np.searchsorted(travel.time_s, time_s))
    near = slice(max(at - 1, 0), at + 1)
    return float(np.interp(time_s, travel.time_s[near], travel.percent[near]))


def _share_below(channel: Channel, low_s: float, high_s: float, level: float) -> float | None:
    """The share of the time between that the last value was below a level; each stands on."""
    if high_s <= low_s:
        return None
    inside = (channel.time_s > low_s) & (channel.time_s < high_s)
    at = np.concatenate(([low_s], channel.time_s[inside], [high_s]))
    start = _value_at(channel, low_s)
    if start is None:
        return None
    values = np.concatenate(([start], channel.values[inside]))
    return float(np.diff(at)[values < level].sum() / (high_s - low_s))


def stepped(
    recording: Recording, examination: Examination, how: str, time_s: float, by: int
) -> float | None:
    """Where a cursor goes from an instant; `None` where nothing is there to go to.

    Args:
        recording: what was captured.
        examination: what was found in it.
        how: to the next "sample" or "edge" of the first track, or to the next "event" of any finding.
        time_s: where it is.
        by: how many samples on, or back; of what else only the way counts.
    """
    track = (recording.tracks(Sensor.THROTTLE) or recording.channels)[0]
    if how == "sample":
        return next_sample(track, time_s, by)
    return next_of(event_instants(examination) if how == "event" else edge_instants(track), time_s, by)


def next_sample(channel: Channel, time_s: float, by: int) -> float:
    """The instant so many samples later, or earlier; the last one at the ends."""
    later = by > 0
    index = int(np.searchsorted(channel.time_s, time_s, side="right" if later else "left"))
    index += by - 1 if later else by
    return float(channel.time_s[min(max(index, 0), channel.samples - 1)])


def next_of(instants: Sequence[float], time_s: float, by: int) -> float | None:
    """The next of some instants after one, or before it; `None` where there is none."""
    later = [t for t in instants if (t > time_s + 1e-9 if by > 0 else t < time_s - 1e-9)]
    return (min(later) if by > 0 else max(later)) if later else None


def event_instants(examination: Examination) -> tuple[float, ...]:
    """Where events of findings begin and end."""
    spans: list[Span] = [span for f in examination.findings for span in f.times_s]
    return tuple(sorted({t for span in spans for t in span}))


def edge_instants(channel: Channel) -> tuple[float, ...]:
    """Where a channel jumps from one sample to the next."""
    steps = np.abs(np.diff(channel.values))
    span = float(np.ptp(channel.values))
    found = np.flatnonzero(steps > _EDGE * span) + 1 if span > 0 else np.empty(0, dtype=np.intp)
    if not found.size:
        return ()
    keep = np.concatenate(([True], np.diff(found) > _ONE_EDGE))
    return tuple(float(t) for t in channel.time_s[found[keep]])
