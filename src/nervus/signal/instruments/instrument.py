"""Track signals as percent of their supply, so that one set of rules fits volts and percent alike.

A potentiometer is ratiometric: with a supply of 4.80 V a healthy 0.50 V reads 0.48 V (common
practice). So what counts is the share of the supply, not the volts.
"""

from dataclasses import dataclass, field, replace
from functools import cached_property
from math import ceil, inf

import numpy as np

from nervus.domain.channel import BoolArray, Channel, ChannelKind, FloatArray, Span, Unit
from nervus.domain.finding import Floor
from nervus.language import figures
from nervus.signal.arithmetic.robust import running_extremes
from nervus.signal.arithmetic.spans import inside, runs
from nervus.signal.instruments import sampling
from nervus.signal.instruments.fed import as_if_steady, without_ripple
from nervus.signal.instruments.hum import without_hum

# Below a tenth and above nine tenths of the supply no sensor of the common windows (0.5 to 4.6 V
# of 5 V) rests; a level there is the rail itself, less what pull-ups and pull-downs add.
GROUND_BELOW_PCT = 8.0
SUPPLY_ABOVE_PCT = 92.0
# Nearer than this to a rail no sensor of the common windows comes at all.
_AT_GROUND_PCT, _AT_SUPPLY_PCT = 2.0, 97.5
# The levels beside a rail, and how many samples must lie there for each one at the rail, if the
# track reaches the rail by moving.
_BESIDE_PCT, _BESIDE_SHARE = 4.0, 0.1
# Samples further apart than this show no edges, and the ends of a dead spot or a bend as roughness.
_SLOW_S = 0.015
# What stays for longer than this rests (common practice: an interruption lasts for less). Where a track
# is beyond its rests, by more than this, percent of supply, for more than this share of the samples,
# percent, they are none of its stops.
_REST_S, _FURTHER_PCT, _SELDOM_PCT = 1.5, 4.0, 15.0
# What an open input reads wanders by less than this, percent of supply; as written in decimals one step
# of a converter is so many times another (5 V in 255 steps, in millivolts: 19 or 20 for 19.6).
_SAME_PCT, _SAME_AT_MOST_PCT, _WRITTEN = 0.3, 0.8, 1.06
# A meter shows this as zero, not as minus zero.
_NOTHING = 0.0005
# Enough samples for a distribution.
_SKETCH = 20_000
# A machine's holds, looked at each so many seconds: so many at the ends, and twice as many elsewhere, of
# which so many are as long as usual, within this share.
_HELD_S, _LEAST_HOLDS, _MOSTLY, _SAME_TIME = 0.02, 3, 0.8, 0.15
# No converter is coarser, percent of its scale: six bits (common practice: eight to twelve).
_COARSEST_PCT = 1.7


@dataclass(frozen=True, eq=False)
class Instrument:
    """One track as it was measured: what it can show, and what of it is noise or rounding.

    Attributes:
        kind: of its channel.
        time_s: instants, shape (n,), strictly rising.
        level: percent of the supply, shape (n,).
        noise: deviation of its quick noise and hum, percent of supply.
        resolution: smallest step, percent of supply.
        interval_s: usual time between samples.
        supply_v: volts (or percent) that 100 stands for.
        usual: levels that 5 and 95 % of its samples stay below, interruptions left out.
        clock: by how many seconds its logger's clock is ahead of the other track's at instant 0, and
            how many more each second; `time_s` is by the other track's clock.
        keeps_time: whether a machine steps it: then what is at a rail is one of its ends.
    """

    kind: ChannelKind
    time_s: FloatArray
    level: FloatArray
    noise: float
    resolution: float
    interval_s: float
    supply_v: float
    usual: tuple[float, float]
    clock: tuple[float, float] = (0.0, 0.0)
    keeps_time: bool = False
    _means: dict[int, tuple[FloatArray, FloatArray]] = field(
        default_factory=dict, init=False, repr=False
    )

    @property
    def id(self) -> str:
        """The identifier of its channel."""
        return self.kind.id

    @cached_property
    def tolerance(self) -> float:
        """What may be noise or rounding, in percent of supply: five deviations, two steps."""
        return max(5.0 * self.noise, 2.0 * self.resolution, 0.2)

    @property
    def is_slow(self) -> bool:
        """Whether a hand crosses more than a worn place is wide from one sample to the next but one."""
        return self.interval_s >= _SLOW_S

    @cached_property
    def step_tolerance(self) -> float:
        """What a step between two samples may be by noise: eight deviations, for it has two of them."""
        return max(8.0 * self.noise, 2.5 * self.resolution, 0.3)

    @cached_property
    def same_level(self) -> float:
        """Within this, percent of supply, two levels are one and the same: a step apart they are."""
        return max(_SAME_PCT, min(self.tolerance / 2.0, _SAME_AT_MOST_PCT), self.one_step)

    @property
    def one_step(self) -> float:
        """The most that two levels one step apart are, as they were written down, percent of supply."""
        return _WRITTEN * self.resolution

    @cached_property
    def stops(self) -> Span:
        """The levels between which its shaft usually is, where interruptions may last for long.

        Read slowly they take a good part of the samples. Where a track stays for longer than they do it
        rests: the outermost rest at which it is most is the stop that a spring takes it to, if it is
        seldom beyond it.
        """
        low, high = self.usual
        in_a_rest = ceil(_REST_S / max(self.interval_s, 1e-7))
        if self.keeps_time or not self.is_slow or self.level.size < in_a_rest:
            return low, high
        lowest, highest = running_extremes(self.level, in_a_rest)
        still = highest - lowest <= 2.0 * self.same_level + self.resolution
        rests = (lowest + highest)[runs(still)[0]] / 2.0
        lower, upper = rests[rests < (low + high) / 2.0], rests[rests > (low + high) / 2.0]
        least, most = np.percentile(self.level, [_SELDOM_PCT, 100.0 - _SELDOM_PCT]).tolist()
        below, above = float(lower.min(initial=inf)), float(upper.max(initial=-inf))
        # Less than so far within it may be a stop at which it stayed for a shorter while.
        below = min(below, least) if below < least + _FURTHER_PCT else low
        above = max(above, most) if above > most - _FURTHER_PCT else high
        often_below, often_above = (
            np.count_nonzero(np.abs(self.level - stop) <= _FURTHER_PCT) for stop in (below, above)
        )
        if often_below >= often_above:
            return (below if below > low + _FURTHER_PCT else low), high
        return low, (above if above < high - _FURTHER_PCT else high)

    def means(self, size: int) -> tuple[FloatArray, FloatArray]:
        """Means of its instants and levels over blocks of so many samples, shape (n // size,) both.

        They are asked for again and again, for a course each time something else is known of it.
        """
        if size not in self._means:
            time_s, level = (sampling.block_means(x, size) for x in (self.time_s, self.level))
            self._means[size] = time_s, level
        return self._means[size]

    def on_its_clock(self, span_s: Span) -> Span:
        """A span by the clock of the track's own logger: as the recording has it."""
        offset, drift = self.clock
        return span_s[0] + offset + drift * span_s[0], span_s[1] + offset + drift * span_s[1]

    @cached_property
    def rails(self) -> Span:
        """What is below or above is at a rail, for a track that usually stays well away from it."""
        low, high = self.stops
        return _AT_GROUND_PCT if low > 2.0 * _AT_GROUND_PCT else -inf, max(_AT_SUPPLY_PCT, high + 2.5)

    @cached_property
    def own_range(self) -> Span:
        """What is below or above is near a rail, and outside of what the track usually shows."""
        (low, high), (ground, supply) = self.stops, self.rails
        low, high = min(low - 2.0, GROUND_BELOW_PCT), max(high + 2.0, SUPPLY_ABOVE_PCT)
        return max(ground, low), min(supply, high)

    def beyond_range(self, level: FloatArray) -> BoolArray:
        """Which levels are at a rail, shape (n,) to (n,)."""
        ground, supply = self.rails
        return np.asarray((level < ground) | (level > supply), dtype=np.bool_)

    def is_at_rail(self, level: float) -> bool:
        """The same for one level."""
        ground, supply = self.rails
        return level < ground or level > supply

    def are_unusual(self, level: FloatArray) -> BoolArray:
        """Which levels are outside of the track's own range, near a rail, shape (n,) to (n,)."""
        low, high = self.own_range
        return np.asarray((level < low) | (level > high), dtype=np.bool_)

    def is_unusual(self, level: float) -> bool:
        """The same for one level."""
        low, high = self.own_range
        return level < low or level > high

    def own_value(self, level: float) -> float:
        """A level in the channel's own unit, to as many digits as a meter shows."""
        value = round(level * self.supply_v / 100.0, 3)
        return 0.0 if abs(value) < _NOTHING else value

    def small(self, value: float) -> str:
        """A small amount of the channel's own unit, as text."""
        return (
            figures("{value:.0f} mV", value=1000.0 * value)
            if self.kind.unit is Unit.VOLT
            else figures("{value:.1f} %", value=value)
        )

    def told(self, value: float) -> str:
        """A value of the channel, with its unit, as text."""
        return (
            figures("{value:.2f} V", value=value)
            if self.kind.unit is Unit.VOLT
            else figures("{value:.1f} %", value=value)
        )

    def own(self, level: FloatArray) -> FloatArray:
        """Levels in the channel's own unit."""
        return level * (self.supply_v / 100.0)


def prepare(
    channel: Channel,
    supply_v: float,
    ignore: tuple[Span, ...] = (),
    supply: Channel | None = None,
    ground: Channel | None = None,
) -> Instrument | None:
    """A track ready for the detectors; `None` where fewer than five samples remain.

    Args:
        channel: the track.
        supply_v: volts that are 100 % for it, where it is in volts.
        ignore: stretches in which nothing is to be judged.
        supply: the supply as recorded: where it wanders slowly, the tracks wander with it.
        ground: the sensor's ground as recorded: the same.
    """
    time_s, values = channel.time_s, channel.values
    keep = ~inside(time_s, ignore) if ignore else np.ones(time_s.shape, dtype=bool)
    keep[1:] &= time_s[1:] > time_s[:-1]
    if not keep.all():
        time_s, values = time_s[keep], values[keep]
    if time_s.size < 5:
        return None
    is_volts = channel.kind.unit is Unit.VOLT
    scale = supply_v if is_volts else 100.0
    shown = level = values * (100.0 / scale)
    interval_s = sampling.interval_s(time_s)
    if is_volts:
        steady, share = as_if_steady(time_s, values, supply, ground, supply_v)
        level = shown if steady is values else steady * (100.0 / scale)
        if supply is not None and np.array_equal(supply.time_s, channel.time_s):
            line = supply.values if keep.all() else supply.values[keep]
            level = without_ripple(level, line, supply_v * share, interval_s)
        level = without_hum(level, time_s, interval_s)
    some = level[:: max(1, level.size // _SKETCH)]
    own, ends = _usual(some), _ends(some)
    track = Instrument(
        kind=channel.kind,
        time_s=time_s,
        level=level,
        noise=sampling.noise_and_hum(level, interval_s),
        resolution=sampling.converter_step(shown, _COARSEST_PCT),
        interval_s=interval_s,
        supply_v=scale,
        usual=own,
    )
    stepped = ends != own and _keeps_time(track)
    return replace(track, usual=ends, keeps_time=True) if stepped else track


def coarser(track: Instrument, interval_s: float) -> Instrument | None:
    """The same track as means over blocks of about so many seconds; `None` where it is slow enough."""
    size = round(interval_s / max(track.interval_s, 1e-7))
    if size < 2 or track.level.size < 5 * size:
        return None
    time_s, level = track.means(size)
    return replace(
        track,
        time_s=time_s,
        level=level,
        noise=sampling.noise_and_hum(level, track.interval_s * size),
        interval_s=track.interval_s * size,
    )


def thinned(track: Instrument, every_s: float) -> Instrument:
    """The same track as if it had been read each so many seconds, at the least."""
    every = ceil(every_s / max(track.interval_s, 1e-7))
    return replace(
        track,
        time_s=track.time_s[::every],
        level=track.level[::every],
        interval_s=track.interval_s * every,
    )


def _usual(level: FloatArray) -> tuple[float, float]:
    """Levels that 5 and 95 % of the samples stay below, without those that jumped to a rail.

    A throttle that is opened wide moves through the levels just below its end; an open wire does not.
    So a rail with hardly anything beside it is not part of the track's own range.
    """
    own = np.ones(level.shape, dtype=bool)
    for at_rail, beside in (
        (level < _AT_GROUND_PCT, level < _AT_GROUND_PCT + _BESIDE_PCT),
        (level > _AT_SUPPLY_PCT, level > _AT_SUPPLY_PCT - _BESIDE_PCT),
    ):
        if np.count_nonzero(beside & ~at_rail) < _BESIDE_SHARE * np.count_nonzero(at_rail):
            own &= ~at_rail
    return _ends(level[own] if own.any() else level)


def _ends(level: FloatArray) -> tuple[float, float]:
    """Levels that 5 and 95 % of the samples stay below."""
    low, high = np.percentile(level, [5.0, 95.0])
    return float(low), float(high)


def _keeps_time(track: Instrument) -> bool:
    """Whether what is at a rail lasts as long as what is not, each time: a machine that steps does that.

    A contact opens for as long as it likes.
    """
    every = max(1, round(_HELD_S / track.interval_s))
    some, time_s = track.level[::every], track.time_s[::every]
    alike = np.abs(np.diff(some)) <= _SAME_AT_MOST_PCT
    first, last = runs(alike)
    level, lasts_s = some[first], time_s[last + 1] - time_s[first]
    at_rail = (level < _AT_GROUND_PCT) | (level > _AT_SUPPLY_PCT)
    if np.count_nonzero(at_rail) < _LEAST_HOLDS or np.count_nonzero(~at_rail) < 2 * _LEAST_HOLDS:
        return False
    usual_s = float(np.median(lasts_s[~at_rail]))
    off_s = np.abs(lasts_s - usual_s)
    each = (off_s <= max(_SAME_TIME * usual_s, 1.5 * track.interval_s * every)).astype(np.float64)
    return bool(each[at_rail].mean() >= _MOSTLY and each[~at_rail].mean() >= _MOSTLY)


def floor_of(level: float) -> Floor:
    """Which rail a level in percent of supply belongs to."""
    if level < GROUND_BELOW_PCT:
        return Floor.GROUND
    if level > SUPPLY_ABOVE_PCT:
        return Floor.SUPPLY
    return Floor.INTERMEDIATE
