"""Numbers before and after a repair, each with its uncertainty: rests, ends, noise, sums, readings."""

from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np

from nervus.domain.analysis import Analysis, ChannelSummary, Examination
from nervus.domain.channel import CHANNEL_KINDS, BoolArray, Channel, FloatArray, Recording, Sensor, Unit
from nervus.domain.job import Change, Job, MeterUsed, Reading, of_kind

# Expanded uncertainty: twice the standard uncertainty, about 95 in 100 (JCGM 100:2008, 6.2).
_COVERAGE = 2.0
# A value is an end of the travel where the throttle is this near to it, in percent.
_AT_AN_END = 1.5
# A meter of which nothing is known: 0.5 % and 2 digits. Source: common practice, no published source.
_USUAL_PERCENT, _USUAL_DIGITS = 0.5, 2


@dataclass(frozen=True, slots=True)
class Difference:
    """One number before and after.

    Attributes:
        what: in words.
        unit: of both values.
        before, after: the values.
        uncertainty: of their difference, expanded (95 in 100).
    """

    what: str
    unit: str
    before: float
    after: float
    uncertainty: float

    @property
    def has_changed(self) -> bool:
        """Whether they differ by more than can be told from noise, step and meter."""
        return abs(self.after - self.before) > self.uncertainty


def differences(
    recordings: tuple[Recording, Recording], analyses: tuple[Analysis, Analysis]
) -> tuple[Difference, ...]:
    """What two recordings tell in numbers, for channels that both have, before and after."""
    before, after = recordings
    both = [c for c in before.channels if c.kind.sensor is not None and after.get(c.id) is not None]
    rows: list[Difference] = []
    for channel in both:
        pair = (channel, after.get(channel.id) or channel)
        for end, words in ((0.0, "at rest"), (100.0, "wide open")):
            ends = [_end_of(c, a.examination, end) for c, a in zip(pair, analyses, strict=True)]
            if ends[0] is not None and ends[1] is not None:
                rows.append(_row(channel, words, ends[0], ends[1]))
        rows += _noise(channel.id, analyses)
    rows += _sums(recordings)
    return tuple(rows)


def _row(
    channel: Channel, words: str, one: tuple[float, float], other: tuple[float, float]
) -> Difference:
    return Difference(
        f"{channel.kind.title} {words}",
        str(channel.kind.unit),
        one[0],
        other[0],
        _COVERAGE * hypot(one[1], other[1]),
    )


def _end_of(channel: Channel, seen: Examination, end: float) -> tuple[float, float] | None:
    """Value and standard uncertainty at an end of the travel; `None` where it was not there.

    Samples of one visit hang together, so visits are counted and not samples; half a step of the
    instrument is left however many there are.
    """
    travel = seen.seen_from(channel.kind.sensor or Sensor.THROTTLE).travel
    if travel is None:
        return None
    place = np.interp(channel.time_s, travel.time_s, travel.percent)
    there: BoolArray = np.abs(place - end) <= _AT_AN_END
    if not there.any():
        return None
    values: FloatArray = channel.values[there]
    middle = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - middle)))
    visits = max(1, int(np.count_nonzero(np.diff(there.astype(np.int8)) == 1) + there[0]))
    summary = _summary(seen, channel.id)
    step = summary.step if summary is not None else 0.0
    # The median of normal values is 1.2533 times less sure than their mean.
    return middle, hypot(1.2533 * spread / sqrt(visits), step / sqrt(12.0))


def _noise(channel_id: str, analyses: tuple[Analysis, Analysis]) -> list[Difference]:
    one, other = (_summary(a.examination, channel_id) for a in analyses)
    if one is None or other is None or one.noise <= 0.0 or other.noise <= 0.0:
        return []
    kind = CHANNEL_KINDS[channel_id]
    # The deviation of a deviation from n values: 1 / sqrt(2 n - 2) of it.
    unsure = [s.noise / sqrt(max(2 * s.samples - 2, 2)) for s in (one, other)]
    unsure += [max(one.step, other.step) / sqrt(12.0)]
    return [
        Difference(
            f"{kind.title} noise", str(kind.unit), one.noise, other.noise, _COVERAGE * hypot(*unsure)
        )
    ]


def _summary(seen: Examination, channel_id: str) -> ChannelSummary | None:
    return next((c for c in seen.channels if c.id == channel_id), None)


def _sums(recordings: tuple[Recording, Recording]) -> list[Difference]:
    """The sum of two opposite tracks in percent: 100 within half a percent once it has adapted."""
    sums = [sum_of_tracks(r) for r in recordings]
    if sums[0] is None or sums[1] is None:
        return []
    (one, unsure), (other, later) = sums[0], sums[1]
    if min(abs(one - 100.0), abs(other - 100.0)) > _OPPOSITE_WITHIN:
        return []
    return [Difference("sum of both tracks", "%", one, other, _COVERAGE * hypot(unsure, later))]


_OPPOSITE_WITHIN = 30.0


def sum_of_tracks(recording: Recording) -> tuple[float, float] | None:
    """The usual sum of both tracks in percent, and its standard uncertainty."""
    first, second = recording.get("tps1_pct"), recording.get("tps2_pct")
    if first is None or second is None or first.kind.unit is not Unit.PERCENT:
        return None
    total = first.values + np.interp(first.time_s, second.time_s, second.values)
    middle = float(np.median(total))
    spread = 1.4826 * float(np.median(np.abs(total - middle)))
    return middle, spread / sqrt(max(1, total.size // 10))


def readings_again(job: Job, change: Change) -> tuple[Difference, ...]:
    """Readings of the same place, unit and conditions before and after a change."""
    meters = of_kind(job.entries, MeterUsed)
    percent = meters[-1].percent if meters else _USUAL_PERCENT
    digits = meters[-1].digits if meters else _USUAL_DIGITS
    then: dict[tuple[object, ...], Reading] = {}
    rows = []
    for reading in of_kind(job.entries, Reading):
        key = (
            reading.where.casefold(), reading.unit, reading.conditions, reading.plug, reading.red,
            reading.black,
        )  # fmt: skip
        if reading.at <= change.at:
            then[key] = reading
        elif key in then:
            old = then[key]
            unsure = [abs(r.value) * percent / 100.0 + digits * _digit(r.value) for r in (old, reading)]
            # An accuracy is a limit, evenly spread: divided by the root of three (JCGM 100:2008, 4.3.7).
            both = _COVERAGE * hypot(*unsure) / sqrt(3.0)
            rows.append(
                Difference(reading.where or "measured", reading.unit, old.value, reading.value, both)
            )
    return tuple(rows)


def _digit(value: float) -> float:
    """The last digit of a meter of 6000 counts at that value."""
    size = abs(value)
    return float(10.0 ** (np.ceil(np.log10(max(size, 1e-3) / 6.0)) - 3))
