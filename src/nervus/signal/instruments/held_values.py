"""Values that a logger repeats: only the updates were read.

A control unit tells a value ten times a second, and a logger writes it down a hundred times: a stair.
Taken as read, every step of it would be an edge that no plate can make. What counts are the updates.
"""

import numpy as np

from nervus.domain.channel import Channel, FloatArray, IntArray
from nervus.signal.instruments.reading_gaps import (
    LEAST_CHANGES,
    ONE,
    samples_a_reading,
    some_stretches,
    told_again,
)
from nervus.signal.instruments.sampling import converter_step, noise

# So many of what goes on by single steps are within a sample of the usual, or nothing is repeated.
_EVEN = 0.9
# A change is large by so many times what several steps, or noise, make of it. Readings are repeated
# where none at all is so much oftener than a small one, and such a share of all.
_QUICK, _MUCH_OFTENER, _REPEATED = 3.0, 3.0, 0.05
# What was read has more steps of its converter than so many: openings that a motor goes to are fewer.
_LEVELS = 30
# Places are told apart by so small a share of the range, in so many samples.
_WIDTHS, _SOME = 50.0, 20_000
# What lasts as many samples is told as often as fits best; what lasts fewer, no oftener.
_LEAST_SAMPLES = 2.0


def updates_only(channel: Channel) -> Channel:
    """The channel with one sample of each update; a value that stayed was told as often as fits."""
    lasts = update_samples(channel.values)
    if lasts == 1.0:
        return channel
    at = _updates(channel.values, lasts)
    return Channel(channel.kind, channel.time_s[at], channel.values[at])


def update_samples(values: FloatArray) -> float:
    """For how many samples a value is repeated before the next one can come; 1 where it is not.

    Where each sample is read for itself, a value that goes on by several steps of the converter at once
    goes on with the next sample too; what is written on while nothing new came stays, each time until
    the next reading. That need not be a whole number of samples, nor always as many.
    """
    if _openings(values) < LEAST_CHANGES:
        return 1.0
    pieces = some_stretches(values)
    several = 1.5 * converter_step(values, float(np.ptp(values)) / _LEVELS)
    gaps = np.concatenate([_gaps(piece, several) for piece in pieces])
    if gaps.size >= LEAST_CHANGES:
        return samples_a_reading(gaps) or _under_two(pieces, several)
    gaps = np.concatenate([_gaps(piece, 0.0) for piece in pieces])
    lasts = samples_a_reading(gaps)
    # What goes step by step may be slow and read often; but that does not come as evenly.
    one = gaps[gaps < ONE * lasts]
    return lasts if one.size and float(np.quantile(np.abs(one - lasts), _EVEN)) <= 1.0 else 1.0


def _openings(values: FloatArray) -> int:
    """How many places are come to, at least: where a motor goes to a few by turns, it holds them."""
    some = values[:: max(1, values.size // _SOME)]
    width = float(np.ptp(some)) / _WIDTHS
    return np.unique(np.round(some / width)).size if width > 0.0 else 1


def _under_two(pieces: list[FloatArray], several: float) -> float:
    """The same where one reading lasts for one sample or two.

    Told by what is between two large changes the same way: where each sample was read, the change
    there is none at all no oftener than it is a small one.
    """
    between = [_between_large(piece, several) for piece in pieces]
    none, small, large = np.sum(between, axis=0).tolist()
    repeated = none / max(1, none + small + large)
    often = none >= LEAST_CHANGES and none >= _MUCH_OFTENER * small
    # A sensor that holds its value now and then is one that fails.
    return 1.0 + repeated if often and repeated >= _REPEATED else 1.0


def _between_large(values: FloatArray, several: float) -> tuple[int, int, int]:
    """How often no, a small and a large change is between two large ones the same way."""
    change = np.diff(values)
    least = _QUICK * max(several, noise(values[1:][change != 0.0]))
    quick = np.abs(change) > least
    middle = change[1:-1][quick[:-2] & quick[2:] & (change[:-2] * change[2:] > 0.0)]
    none, small = int(np.sum(middle == 0.0)), int(np.sum(np.abs(middle) <= least))
    return none, small - none, middle.size - small


def _gaps(values: FloatArray, least: float) -> IntArray:
    """Samples between one change of the value and the next, where either is of more than so much."""
    change = np.diff(values)
    at = np.flatnonzero(change)
    large = np.abs(change[at]) > least
    return np.diff(at)[large[:-1] | large[1:]]


def _updates(values: FloatArray, lasts: float) -> IntArray:
    """The first sample of every update; a value that stayed was told again as often as fits."""
    starts = np.append(0, np.flatnonzero(np.diff(values) != 0.0) + 1)
    lengths = np.diff(np.append(starts, values.size))
    whole = np.round(lengths / lasts) if lasts >= _LEAST_SAMPLES else np.floor(lengths / lasts)
    told = np.maximum(1, whole).astype(np.int64)
    which, number = told_again(told)
    return np.asarray(starts[which] + number * lengths[which] // told[which], dtype=np.intp)
