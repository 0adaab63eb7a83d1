"""How a channel was sampled: rate, resolution, noise, and the shortest event that would show."""

from math import sqrt

import numpy as np

from nervus.domain.analysis import ChannelSummary
from nervus.domain.channel import Channel, FloatArray

# Enough values for the statistics of a channel, taken in so many stretches spread over it; more
# would only cost longer sorting.
_ENOUGH, _PIECES = 24_000, 24
# Steps below this are rounding of decimal fractions, not steps of a converter.
_ROUNDING = 1e-6
# So many values tell in how many decimals they were written; no more than these are few.
_SOME, _MOST_DECIMALS = 500, 4
# This share of the steps may be smaller than the converter's: values that something else disturbed.
_ODD = 0.02
# What stays is told by so many steps at least. One of them is a step of the converter, below which one
# of these shares may be; up to so many steps nearly all are whole then, to this share of one. It counts
# where it is so much coarser.
_LEAST_RESTS, _SMALL, _FEW, _NEARLY_ALL, _OFF, _MUCH_COARSER = 30, (0.1, 0.3, 0.5), 6, 0.7, 0.12, 3.0
# The largest fifth is left out of the noise, whatever made it. What remains of a normal distribution
# of deviation s has a mean size of (phi(0) - phi(1.2816)) * 2 / 0.8 = 0.5586 s.
_KEPT, _KEPT_MEAN = 0.8, 0.5586
# Longer than so many usual intervals nothing was read.
_PAUSE = 4.0
# Half a turn of a mains hum, and how many strides tell a deviation.
_HUM_S, _LEAST_STRIDES = 0.01, 200


def _pieces(values: FloatArray) -> list[FloatArray]:
    """The whole of a short array, or stretches spread over a long one, long enough for statistics."""
    if values.size <= _ENOUGH:
        return [values]
    length = _ENOUGH // _PIECES
    starts = np.linspace(0, values.size - length, _PIECES).astype(np.int64)
    return [values[s : s + length] for s in starts]


def middle(values: FloatArray) -> float:
    """The median, the upper one of two, without what the library costs for each short array."""
    half = values.size // 2
    return float(np.partition(values, half)[half])


def block_means(values: FloatArray, size: int) -> FloatArray:
    """Means of blocks of `size` values, shape (n,) to (n // size,); an odd rest is left out.

    As a product with a vector: along so short an axis the library's own mean takes far longer, and of
    two values the product does.
    """
    if size == 2:
        whole = values.size // 2 * 2
        pairs = values[0:whole:2] + values[1:whole:2]
        pairs *= 0.5
        return np.asarray(pairs)
    whole = values.size // size * size
    return np.asarray(values[:whole].reshape(-1, size) @ np.full(size, 1.0 / size))


def speed(values: FloatArray, time_s: FloatArray) -> FloatArray:
    """By how much values change in a second around each instant, never negative, shape (n,).

    From the instant before to the one behind; at the ends over the half of that.
    """
    change = np.zeros(values.shape)
    if values.size < 2:
        return change
    change[1:-1] = (values[2:] - values[:-2]) / (time_s[2:] - time_s[:-2])
    change[0] = (values[1] - values[0]) / (time_s[1] - time_s[0])
    change[-1] = (values[-1] - values[-2]) / (time_s[-1] - time_s[-2])
    return np.abs(change, out=change)


def interval_s(time_s: FloatArray) -> float:
    """The usual time between two samples in seconds; 0 where there is one sample only."""
    if time_s.size < 2:
        return 0.0
    return float(np.median(np.concatenate([np.diff(piece) for piece in _pieces(time_s)])))


def resolution(values: FloatArray) -> float:
    """The step of the converter, in the values' unit; 0 where all are equal.

    The smallest steps between neighbours, but for the odd one: a stray value is no finer converter.
    """
    return _least(_steps(_pieces(values)))


def _steps(pieces: list[FloatArray]) -> FloatArray:
    """The steps between neighbours in some stretches, the smallest first, shape (m,)."""
    steps = np.abs(np.concatenate([np.diff(piece) for piece in pieces]))
    return np.sort(steps[steps > _ROUNDING])


def _least(steps: FloatArray) -> float:
    return float(steps[int(_ODD * steps.size)]) if steps.size else 0.0


def _one_step(values: FloatArray) -> float:
    """The same, as written in decimals one step is not as large as the next: 19 or 20 mV for 19.6."""
    steps = _steps(_pieces(values))
    least, unit = _least(steps), _last_decimal(values[:: max(1, values.size // _SOME)])
    if least < 1.5 * unit or unit == 0.0:
        return least
    return float(np.mean(steps[np.abs(steps - least - unit / 2.0) < unit]))


def _last_decimal(values: FloatArray) -> float:
    """What the last decimal of all values stands for; 0 where they were not written in few of them."""
    units = (10.0**-n for n in range(_MOST_DECIMALS + 1))
    return next((u for u in units if np.all(np.abs(np.round(values / u) * u - values) < _ROUNDING)), 0.0)


def converter_step(values: FloatArray, coarsest: float) -> float:
    """The same, also where readings were put on another grid of instants by straight lines.

    Then there is anything between two steps, but what stays for two samples was read. No converter's
    step is more than `coarsest`.
    """
    least = _one_step(values)
    steps = _steps([piece[1:][np.diff(piece) == 0.0] for piece in _pieces(values)])
    if steps.size < _LEAST_RESTS:
        return least
    for step in steps[[int(share * steps.size) for share in _SMALL]].tolist():
        few = steps[steps < (_FEW + 0.5) * step] / step
        # Less than half of it is no multiple, and not none either.
        multiples = np.maximum(np.round(few), 1.0)
        whole = np.count_nonzero(np.abs(few - multiples) < _OFF) >= _NEARLY_ALL * few.size
        if whole and 2 * few.size > steps.size and _MUCH_COARSER * least < step < coarsest:
            return float(step)
    return least


def noise(values: FloatArray) -> float:
    """Standard deviation of the quick noise, robust to motion, steps and drops.

    Second differences remove steady motion; a white noise of deviation s leaves s * sqrt(6) in
    them (1 + 4 + 1 for the weights 1, -2, 1). Events make some of them large; those are left out. A
    mean of what is kept, and not a median, because the values of a coarse converter repeat.
    """
    if values.size < 4:
        return 0.0
    bend = np.abs(np.concatenate([np.diff(piece, 2) for piece in _pieces(values)]))
    least = max(1, int(_KEPT * bend.size))
    kept = np.partition(bend, least - 1)[:least]
    return float(kept.mean()) / _KEPT_MEAN / sqrt(6.0)


def noise_and_hum(values: FloatArray, step_s: float) -> float:
    """The same, but also with what swings too slowly to be seen from sample to sample.

    A mains hum of 50 Hz turns within ten milliseconds: of all strides up to that the noisiest counts.
    """
    stride, most = 1, noise(values)
    while 2 * stride * step_s <= _HUM_S and values.size >= _LEAST_STRIDES * stride:
        stride *= 2
        most = max(most, noise(values[::stride]))
    return most


def summarise(channel: Channel, told: Channel | None = None) -> ChannelSummary:
    """How a channel was measured, of which `told` are the samples that are no repeats.

    An event is sure to be caught when it is no shorter than the usual interval of the samples.
    """
    read = told or channel
    step_s = interval_s(read.time_s)
    span_s = float(channel.time_s[-1] - channel.time_s[0])
    # What came in before a low-pass is not what was measured.
    values = read.values if read.low_pass_s is None else channel.values
    rate_hz = (channel.samples - 1) / span_s if span_s > 0 else 0.0
    return ChannelSummary(
        id=channel.id,
        unit=str(channel.kind.unit),
        samples=channel.samples,
        rate_hz=round(rate_hz, 3),
        shortest_event_s=round(step_s, 6),
        noise=noise(values),
        step=resolution(values) if read.samples > 1 else 0.0,
        rows=_rows_a_reading(channel, read),
        smoothed_s=read.low_pass_s,
    )


def _rows_a_reading(channel: Channel, read: Channel) -> float:
    """How many samples were written for each that was read, but for moments in which nothing was."""
    if read is channel or read.samples < 2:
        return 1.0
    step_s = np.diff(read.time_s)
    written = np.diff(np.searchsorted(channel.time_s, read.time_s))
    return round(float(np.mean(written[step_s <= _PAUSE * np.median(step_s)])), 2)
