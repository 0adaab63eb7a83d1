"""Track signals as percent of their supply, so that one set of rules fits volts and percent alike.

A potentiometer is ratiometric: with a supply of 4.80 V a healthy 0.50 V reads 0.48 V (common
practice). So what counts is the share of the supply, not the volts.
"""

from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Unit
from nervus.domain.finding import Floor, Span
from nervus.signal import sampling
from nervus.signal.spans import inside

# Below a tenth and above nine tenths of the supply no sensor of the common windows (0.5 to 4.6 V
# of 5 V) rests; a level there is the rail itself, less what pull-ups and pull-downs add.
GROUND_BELOW_PCT = 8.0
SUPPLY_ABOVE_PCT = 92.0
# Nearer than this to a rail no sensor of the common windows comes at all.
_AT_GROUND_PCT, _AT_SUPPLY_PCT = 2.0, 97.5
# The levels beside a rail, and how many samples must lie there for each one at the rail, if the
# track reaches the rail by moving.
_BESIDE_PCT, _BESIDE_SHARE = 4.0, 0.1
NOMINAL_SUPPLY_V = 5.0
# Samples further apart than this show no edges, and the ends of a dead spot or a bend as roughness.
_SLOW_S = 0.015
# A supply reading under this is not a supply in use (key off, line open): not taken as the scale.
_SUPPLY_IN_USE_V = 4.0
# Enough samples for a distribution.
_SKETCH = 20_000


@dataclass(frozen=True, slots=True, eq=False)
class TrackSignal:
    """One track, ready for the detectors.

    Attributes:
        id: its channel.
        time_s: instants, shape (n,), strictly rising.
        level: percent of the supply, shape (n,).
        noise: deviation of its quick noise and hum, percent of supply.
        resolution: smallest step, percent of supply.
        interval_s: usual time between samples.
        supply_v: volts (or percent) that 100 stands for.
        usual: levels that 5 and 95 % of its samples stay below, interruptions left out.
    """

    id: str
    time_s: FloatArray
    level: FloatArray
    noise: float
    resolution: float
    interval_s: float
    supply_v: float
    usual: tuple[float, float]

    @property
    def tolerance(self) -> float:
        """What may be noise or rounding, in percent of supply: five deviations, two steps."""
        return max(5.0 * self.noise, 2.0 * self.resolution, 0.2)

    @property
    def is_slow(self) -> bool:
        """Whether a hand crosses more than a worn place is wide from one sample to the next but one."""
        return self.interval_s >= _SLOW_S

    @property
    def step_tolerance(self) -> float:
        """What a step between two samples may be by noise: eight deviations, for it has two of them."""
        return max(8.0 * self.noise, 2.5 * self.resolution, 0.3)

    def beyond_range(self, level: FloatArray) -> BoolArray:
        """Levels at a rail, for a track that usually stays well away from it, shape (n,) to (n,)."""
        low, high = self.usual
        at_ground = level < _AT_GROUND_PCT if low > 2.0 * _AT_GROUND_PCT else np.zeros(level.shape, bool)
        return np.asarray(at_ground | (level > max(_AT_SUPPLY_PCT, high + 2.5)), dtype=np.bool_)

    def are_unusual(self, level: FloatArray) -> BoolArray:
        """Levels near a rail and outside of what the track usually shows, shape (n,) to (n,)."""
        low, high = self.usual
        near_rail = (level < GROUND_BELOW_PCT) | (level > SUPPLY_ABOVE_PCT)
        outside = (level < low - 2.0) | (level > high + 2.0)
        return np.asarray(self.beyond_range(level) | (near_rail & outside), dtype=np.bool_)

    def is_unusual(self, level: float) -> bool:
        """The same for one level."""
        return bool(self.are_unusual(np.asarray([level]))[0])

    def volts(self, level: float) -> float:
        """A level in the channel's own unit, to as many digits as a meter shows."""
        return round(level * self.supply_v / 100.0, 3)

    def own(self, level: FloatArray) -> FloatArray:
        """Levels in the channel's own unit."""
        return level * (self.supply_v / 100.0)


def supply_scale(recording: Recording, nominal_v: float = NOMINAL_SUPPLY_V) -> float:
    """The supply that track voltages are a share of: as recorded, else the nominal one."""
    supply = recording.get("vref_v")
    if supply is None:
        return nominal_v
    in_use = supply.values[:: max(1, supply.samples // _SKETCH)]
    in_use = in_use[in_use > _SUPPLY_IN_USE_V]
    return float(np.median(in_use)) if in_use.size else nominal_v


def prepare(channel: Channel, supply_v: float, ignore: tuple[Span, ...] = ()) -> TrackSignal | None:
    """A track ready for the detectors; `None` where fewer than five samples remain.

    Args:
        channel: the track.
        supply_v: volts that are 100 % for it, where it is in volts.
        ignore: stretches in which nothing is to be judged.
    """
    time_s, values = channel.time_s, channel.values
    keep = ~inside(time_s, ignore) if ignore else np.ones(time_s.shape, dtype=bool)
    keep[1:] &= np.diff(time_s) > 0
    if not keep.all():
        time_s, values = time_s[keep], values[keep]
    if time_s.size < 5:
        return None
    scale = supply_v if channel.kind.unit is Unit.VOLT else 100.0
    level = values * (100.0 / scale)
    interval_s = sampling.interval_s(time_s)
    return TrackSignal(
        id=channel.id,
        time_s=time_s,
        level=level,
        noise=sampling.noise_and_hum(level, interval_s),
        resolution=sampling.resolution(level),
        interval_s=interval_s,
        supply_v=scale,
        usual=_usual(level[:: max(1, level.size // _SKETCH)]),
    )


def coarser(track: TrackSignal, interval_s: float) -> TrackSignal | None:
    """The same track as means over blocks of about so many seconds; `None` where it is slow enough."""
    size = round(interval_s / max(track.interval_s, 1e-7))
    if size < 2 or track.level.size < 5 * size:
        return None
    time_s, level = (sampling.block_means(x, size) for x in (track.time_s, track.level))
    return replace(
        track,
        time_s=time_s,
        level=level,
        noise=sampling.noise_and_hum(level, track.interval_s * size),
        interval_s=track.interval_s * size,
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
    if not own.any():
        own[:] = True
    low, high = np.percentile(level[own], [5.0, 95.0])
    return float(low), float(high)


def floor_of(level: float) -> Floor:
    """Which rail a level in percent of supply belongs to."""
    if level < GROUND_BELOW_PCT:
        return Floor.GROUND
    if level > SUPPLY_ABOVE_PCT:
        return Floor.SUPPLY
    return Floor.INTERMEDIATE
