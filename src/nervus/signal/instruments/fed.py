"""Lines as if supply and ground had kept still: how both wander slowly, where they were recorded.

A potentiometer and most contactless sensors are ratiometric: what they give is a share of what lies
between their ground and their supply (common practice).
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording
from nervus.signal.arithmetic.spans import runs
from nervus.signal.instruments import sampling

# A line that wanders by less than this share of the supply is steady; it is followed as far as it stays
# within its tolerance (common practice: 5 V within 10 % at the most).
_STEADY, _TOLERANCE = 0.01, 0.1
# One that wanders all along is followed in steps of this time, one that does so once in such, at the
# least so many; so many samples of each are looked at.
_SLOWLY_S, _ONCE_S, _LEAST_BLOCKS, _SOME = 0.1, 0.02, 8, 9
# What is off by so many times the usual has left; by more than this share from step to step it leapt.
_TIMES, _QUICK = 8.0, 0.5
# Nothing is off by less than this share of what a steady line may be.
_HARDLY = 0.2
# What reads less than this share of its scale feeds nothing, and no ground lies so near to the supply.
_FEEDS = 0.5
# A supply reading under this is not a supply in use (key off, line open): not taken as the scale.
_SUPPLY_IN_USE_V = 4.0
# A ripple that both have is left out where a track is so much quieter without it.
_QUIETER = 0.7
# Enough samples for a distribution; and to see a ripple, in so many stretches of a recording.
_SKETCH, _STRETCH, _STRETCHES = 20_000, 2_000, 40
NOMINAL_SUPPLY_V = 5.0


def supply_scale(recording: Recording, nominal_v: float = NOMINAL_SUPPLY_V) -> float:
    """The supply that track voltages are a share of: as recorded, else the nominal one."""
    supply = recording.get("vref_v")
    if supply is None:
        return nominal_v
    usual = usual_supply(supply)
    return usual if usual > _SUPPLY_IN_USE_V else nominal_v


def usual_supply(line: Channel) -> float:
    """What a recorded supply is while it is on, volts: off may be the longer part of a recording."""
    some = _some(line)
    in_use = some[some > _SUPPLY_IN_USE_V]
    return float(np.median(in_use if in_use.size else some))


def _some(line: Channel) -> FloatArray:
    """A sketch of its values."""
    return line.values[:: max(1, line.samples // _SKETCH)]


@dataclass(frozen=True, eq=False)
class _Wander:
    """By how many volts a line is slowly off what it usually is, at which instants."""

    usual_v: float
    time_s: FloatArray
    off_v: FloatArray

    def at(self, time_s: FloatArray) -> FloatArray:
        return np.interp(time_s, self.time_s, self.off_v)


def as_if_steady(
    time_s: FloatArray,
    line_v: FloatArray,
    supply: Channel | None,
    ground: Channel | None,
    scale_v: float,
) -> tuple[FloatArray, FloatArray | float]:
    """What a line would have read, had supply and ground not wandered.

    Args:
        time_s: instants, shape (n,).
        line_v: what it read, volts, shape (n,).
        supply: as recorded, if it was.
        ground: the sensor's ground as recorded, if it was.
        scale_v: what the supply usually is, volts.

    Returns:
        Volts, shape (n,), and the supply then as a share of what it usually is, but for what is quick.
    """
    fed = from_v = None
    usual_v = 0.0 if supply is None else usual_supply(supply)
    if supply is not None and usual_v > _FEEDS * scale_v:
        within = abs(usual_v - scale_v) < _TOLERANCE * scale_v
        fed = _wander(supply, scale_v if within else usual_v, scale_v)
    low_v = scale_v if ground is None else sampling.middle(_some(ground))
    if ground is not None and low_v < (1.0 - _FEEDS) * scale_v:
        from_v = _wander(ground, low_v, scale_v)
    if fed is None and from_v is None:
        return line_v, 1.0
    top = scale_v if fed is None else fed.usual_v
    off = 0.0 if fed is None else fed.at(time_s)
    if from_v is None:
        return line_v / (1.0 + off / top), 1.0 + off / top
    low, up = from_v.usual_v, from_v.at(time_s)
    return low + (line_v - low - up) * ((top - low) / (top - low + off - up)), 1.0 + off / top


def _wander(line: Channel, usual_v: float, scale_v: float) -> _Wander | None:
    """How a line wanders slowly; `None` where it is steady.

    What is quick, or leaves its tolerance, is an interruption or a spike: the tracks are looked at for
    those.
    """
    # Where no sample of a sketch is off, nothing that lasts is: most lines are steady.
    steady_v = _STEADY * scale_v
    all_along = None if np.ptp(_some(line)) < steady_v else _off(line, usual_v, scale_v, _SLOWLY_S)
    if all_along is None:
        return None
    if np.ptp(np.percentile(all_along.off_v, [2.0, 98.0])) >= steady_v:
        return all_along
    once = _off(line, usual_v, scale_v, _ONCE_S)
    return None if once is None else _only_where_it_left(once, steady_v)


def _off(line: Channel, usual_v: float, scale_v: float, each_s: float) -> _Wander | None:
    """By how much a line is off in steps of so many seconds; `None` where they are too few."""
    size = max(1, round(each_s / max(sampling.interval_s(line.time_s), 1e-7)))
    whole = line.samples // size * size
    some = line.values[:whole].reshape(-1, size)[:, :: max(1, size // _SOME)]
    off_v = np.median(some, axis=1) - usual_v
    in_use = np.abs(off_v) < _TOLERANCE * scale_v
    if np.count_nonzero(in_use) < _LEAST_BLOCKS:
        return None
    return _Wander(usual_v, sampling.block_means(line.time_s, size)[in_use], off_v[in_use])


def _only_where_it_left(wander: _Wander, steady_v: float) -> _Wander | None:
    """The same with nothing off but where it left slowly and came back; `None` where it never did."""
    off_v = wander.off_v - np.median(wander.off_v)
    first, last = runs(np.abs(off_v) > max(_TIMES * sampling.middle(np.abs(off_v)), _HARDLY * steady_v))
    left = np.zeros(off_v.shape, dtype=bool)
    for a, b in zip(first.tolist(), last.tolist(), strict=True):
        with_ends = off_v[max(0, a - 1) : b + 2]
        furthest = float(np.abs(with_ends).max())
        if furthest >= steady_v and np.abs(np.diff(with_ends)).max() <= _QUICK * furthest:
            left[a : b + 1] = True
    if not left.any():
        return None
    return _Wander(wander.usual_v, wander.time_s, np.where(left, off_v, 0.0))


def without_ripple(
    level: FloatArray, line: FloatArray, usual: float | FloatArray, interval_s: float
) -> FloatArray:
    """Levels without the ripple that the supply shows too, where they are far quieter so.

    A track divides a ripple of what it is fed with; one of the ground that all lines are measured
    against is the same in volts on each. What leaves the supply's tolerance is an interruption, or a
    spike.

    Args:
        level: percent of the supply, shape (n,).
        line: what the supply was then, volts, shape (n,).
        usual: what it was then but for what is quick, volts, shape (n,) or one for all.
        interval_s: usual time between the samples.
    """
    # The engine may stand still for a part of the recording: where the supply ripples most tells.
    count = min(_STRETCHES, max(1, level.size // _STRETCH))
    starts = np.linspace(0, max(0, level.size - _STRETCH), count).astype(np.int64).tolist()
    pieces = [slice(start, start + _STRETCH) for start in starts]
    usual = np.broadcast_to(usual, level.shape)

    def off(piece: slice) -> FloatArray:
        """By which share the supply was quickly off."""
        return np.asarray(line[piece] / usual[piece] - 1.0)

    def noise(shown: FloatArray) -> float:
        return sampling.noise_and_hum(shown, interval_s)

    some = max(pieces, key=lambda piece: sampling.noise(off(piece)))
    quietest, number = min((noise(way(level[some], off(some))), n) for n, way in enumerate(_WITHOUT))
    quiet = quietest < _QUIETER * noise(level[some])
    return _WITHOUT[number](level, off(slice(None))) if quiet else level


def _divided(level: FloatArray, off: FloatArray) -> FloatArray:
    return np.asarray(level / (1.0 + np.where(np.abs(off) < _TOLERANCE, off, 0.0)))


def _less(level: FloatArray, off: FloatArray) -> FloatArray:
    return np.asarray(level - 100.0 * np.where(np.abs(off) < _TOLERANCE, off, 0.0))


_WITHOUT = (_divided, _less)
