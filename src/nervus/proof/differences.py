"""Numbers before and after a repair, each with its uncertainty: rests, ends, noise, sums, readings."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np

from nervus.domain.analysis import Analysis, ChannelSummary, Examination
from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Sensor, Unit
from nervus.domain.job import Change, Job, MeterUsed, Reading, of_kind
from nervus.language import figures, say

# Expanded uncertainty: twice the standard uncertainty, about 95 in 100 (JCGM 100:2008, 6.2).
_COVERAGE = 2.0
# A value is an end of the travel where the throttle is this near to it, in percent.
_AT_AN_END = 1.5
# Tracks whose sum is this near to 100 % run against each other, before they have learned too.
_OPPOSITE_WITHIN = 30.0
# A median of more values than this is no surer: what limits it are visits and the step.
_ENOUGH = 20_000
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

    @property
    def cells(self) -> tuple[str, ...]:
        """What it is, before, after, difference with uncertainty, and what that means, in words."""
        return (
            self.what,
            figures("{before:.4g} {unit}", before=self.before, unit=self.unit),
            figures("{after:.4g} {unit}", after=self.after, unit=self.unit),
            figures(
                "{before:+.3g} ± {uncertainty:.2g} {unit}",
                before=self.after - self.before,
                uncertainty=self.uncertainty,
                unit=self.unit,
            ),
            say("changed") if self.has_changed else say("no more than chance"),
        )


@dataclass(frozen=True, slots=True)
class Measure:
    """One number of a recording, with its standard uncertainty.

    Attributes:
        what: in words; the same words in another recording are the same number.
        unit: of the value.
        value: as it was.
        unsure: its standard uncertainty.
    """

    what: str
    unit: str
    value: float
    unsure: float


def measures(recording: Recording, analysis: Analysis) -> tuple[Measure, ...]:
    """Rests, ends and noise of each track, and the sum of both tracks, as far as they are there."""
    seen = analysis.examination
    rows: list[Measure] = []
    for channel in recording.channels:
        if channel.kind.sensor is None:
            continue
        title, unit = channel.kind.title, str(channel.kind.unit)
        for words, end in zip((say("at rest"), say("wide open")), _ends_of(channel, seen), strict=True):
            if end is not None:
                rows.append(Measure(f"{title} {words}", unit, *end))
        rows += _noise(channel, seen)
    total = sum_of_tracks(recording)
    if total is not None and abs(total[0] - 100.0) <= _OPPOSITE_WITHIN:
        rows.append(Measure(say("sum of both tracks"), "%", *total))
    return tuple(rows)


def differences(before: Sequence[Measure], after: Sequence[Measure]) -> tuple[Difference, ...]:
    """What two recordings tell in numbers, as far as both tell it."""
    later = {(m.what, m.unit): m for m in after}
    return tuple(
        Difference(m.what, m.unit, m.value, now.value, _COVERAGE * hypot(m.unsure, now.unsure))
        for m in before
        if (now := later.get((m.what, m.unit))) is not None
    )


def _ends_of(
    channel: Channel, seen: Examination
) -> tuple[tuple[float, float] | None, tuple[float, float] | None]:
    """Value and standard uncertainty at both ends of the travel; `None` where it was not there."""
    travel = seen.seen_from(channel.kind.sensor or Sensor.THROTTLE).travel
    if travel is None:
        return None, None
    place = travel.percent
    if not np.array_equal(channel.time_s, travel.time_s):
        place = np.interp(channel.time_s, travel.time_s, travel.percent)
    summary = _summary(seen, channel.id)
    step = summary.step if summary is not None else 0.0
    return _end_of(channel, place, 0.0, step), _end_of(channel, place, 100.0, step)


def _end_of(channel: Channel, place: FloatArray, end: float, step: float) -> tuple[float, float] | None:
    """Value and standard uncertainty at an end of the travel.

    Samples of one visit hang together, so visits are counted and not samples; half a step of the
    instrument is left however many there are.
    """
    there: BoolArray = np.abs(place - end) <= _AT_AN_END
    if not there.any():
        return None
    values: FloatArray = channel.values[there]
    visits = max(1, int(np.count_nonzero(there[1:] & ~there[:-1]) + there[0]))
    values = values[:: max(1, values.size // _ENOUGH)]
    middle = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - middle)))
    # The median of normal values is 1.2533 times less sure than their mean.
    return middle, hypot(1.2533 * spread / sqrt(visits), step / sqrt(12.0))


def _noise(channel: Channel, seen: Examination) -> list[Measure]:
    summary = _summary(seen, channel.id)
    if summary is None or summary.noise <= 0.0:
        return []
    # The deviation of a deviation from n values: 1 / sqrt(2 n - 2) of it.
    unsure = summary.noise / sqrt(max(2 * summary.samples - 2, 2))
    words = say("{title} noise", title=channel.kind.title)
    return [
        Measure(words, str(channel.kind.unit), summary.noise, hypot(unsure, summary.step / sqrt(12.0)))
    ]


def _summary(seen: Examination, channel_id: str) -> ChannelSummary | None:
    return next((c for c in seen.channels if c.id == channel_id), None)


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
                Difference(
                    reading.where or say("measured"), reading.unit, old.value, reading.value, both
                )
            )
    return tuple(rows)


def _digit(value: float) -> float:
    """The last digit of a meter of 6000 counts at that value."""
    size = abs(value)
    return float(10.0 ** (np.ceil(np.log10(max(size, 1e-3) / 6.0)) - 3))
