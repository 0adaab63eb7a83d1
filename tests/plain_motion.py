"""Sound recordings of the plainest motions that a plate makes, by the plainest instruments.

No motor, spring or hand is modelled: corners between straight lines and parabolas, steps of a
second-order follower, levels that come again exactly. Times, speeds and converters are from memory. What
is told of any of these is wrong.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording

FINE_S = 0.001
Random = np.random.Generator
Motion = Callable[[float, Random], FloatArray]


def through(times_s: FloatArray, places: FloatArray, lasts_s: float) -> FloatArray:
    """Straight from place to place, percent of travel each millisecond."""
    return np.asarray(np.interp(np.arange(0.0, lasts_s, FINE_S), times_s, places))


def legs(
    lasts_s: float,
    random: Random,
    takes_s: tuple[float, float],
    rests_s: tuple[float, float],
    tops: FloatArray,
) -> FloatArray:
    """From the closed stop to a top and back, so long each way, so long at each end."""
    at, place = [0.0], [0.0]
    while at[-1] < lasts_s:
        top = float(random.choice(tops))
        up, down = random.uniform(*takes_s, 2)
        here, there = random.uniform(*rests_s, 2)
        at += [
            at[-1] + here,
            at[-1] + here + up,
            at[-1] + here + up + there,
            at[-1] + here + up + there + down,
        ]
        place += [0.0, top, top, 0.0]
    return through(np.asarray(at), np.asarray(place), lasts_s)


def to_the_stops(lasts_s: float, random: Random) -> FloatArray:
    """Swept from stop to stop at an even speed; a stop ends it at once."""
    return legs(lasts_s, random, (0.9, 2.5), (0.2, 1.2), np.asarray([100.0]))


def to_and_fro(lasts_s: float, random: Random) -> FloatArray:
    """The same without a rest at either end."""
    return legs(lasts_s, random, (0.9, 2.5), (0.0, 0.01), np.asarray([100.0]))


def part_of_the_way(lasts_s: float, random: Random) -> FloatArray:
    """To any opening, stopping there at once."""
    return legs(
        lasts_s, random, (0.4, 2.0), (0.3, 1.5), np.append(random.uniform(20.0, 95.0, 40), 100.0)
    )


def snaps(lasts_s: float, random: Random) -> FloatArray:
    """Thrown open, and shut by the spring, in a tenth of a second or two."""
    return legs(
        lasts_s, random, (0.08, 0.25), (0.4, 1.5), np.append(random.uniform(30.0, 90.0, 6), [100.0] * 6)
    )


def to_one_level(lasts_s: float, random: Random) -> FloatArray:
    """A motor takes it to the same few openings again and again."""
    return legs(lasts_s, random, (0.12, 0.4), (0.5, 1.2), np.asarray([20.0, 45.0, 100.0]))


def stairs(lasts_s: float, random: Random) -> FloatArray:
    """From hold to hold, up and down, a tenth of a second between two of them."""
    at, place = [0.0], [0.0]
    while at[-1] < lasts_s:
        at += [at[-1] + float(random.uniform(0.4, 1.5)), 0.0]
        at[-1] = at[-2] + float(random.uniform(0.08, 0.3))
        place += [
            place[-1],
            float(np.clip(place[-1] + random.choice([-30, -15, 15, 30, 60]), 0.0, 100.0)),
        ]
    return through(np.asarray(at), np.asarray(place), lasts_s)


def follows(lasts_s: float, random: Random) -> FloatArray:
    """A follower of second order, hardly damped enough, behind random steps."""
    asked = np.repeat(random.uniform(0.0, 100.0, int(lasts_s / 1.3) + 1), 1300)[: int(lasts_s / FINE_S)]
    omega, damping, place, speed = 14.0, 0.8, 0.0, 0.0
    told = np.empty(asked.size)
    for n, target in enumerate(asked.tolist()):
        speed += FINE_S * (omega**2 * (target - place) - 2.0 * damping * omega * speed)
        place = min(max(place + FINE_S * speed, 0.0), 100.0)
        speed = 0.0 if place in (0.0, 100.0) and speed * (place - 50.0) > 0.0 else speed
        told[n] = place
    return told


def parabolas(lasts_s: float, random: Random) -> FloatArray:
    """Evenly accelerated and slowed down, between stops and any opening."""
    at = np.cumsum(random.uniform(0.6, 2.2, int(lasts_s / 0.6) + 2))
    ends = np.where(np.arange(at.size) % 2, random.choice([100.0, 100.0, 60.0, 35.0], at.size), 0.0)
    time_s = np.arange(0.0, lasts_s, FINE_S)
    leg = np.clip(np.searchsorted(at, time_s), 1, at.size - 1)
    share = np.clip((time_s - at[leg - 1]) / (at[leg] - at[leg - 1]), 0.0, 1.0)
    eased = np.where(share < 0.5, 2.0 * share**2, 1.0 - 2.0 * (1.0 - share) ** 2)
    return np.asarray(ends[leg - 1] + (ends[leg] - ends[leg - 1]) * eased)


def wavers(lasts_s: float, random: Random) -> FloatArray:
    """A sum of sines about a part opening, then swept twice."""
    time_s = np.arange(0.0, lasts_s, FINE_S)
    place = 30.0 + sum(
        float(random.uniform(3.0, 12.0))
        * np.sin(2.0 * np.pi * f * time_s + float(random.uniform(0.0, 6.0)))
        for f in random.uniform(0.1, 1.5, 4)
    )
    place = np.clip(place, 0.0, 100.0)
    last = int((lasts_s - 9.0) / FINE_S)
    at = lasts_s - np.asarray([9.0, 7.0, 6.0, 4.0, 3.0, 1.0])
    ends = through(at, np.asarray([place[last], 100.0, 100.0, 0.0, 0.0, 100.0]), lasts_s)
    return np.concatenate((place[:last], ends[last:]))


MOTIONS: dict[str, Motion] = {
    m.__name__: m
    for m in (
        to_the_stops, to_and_fro, part_of_the_way, snaps, to_one_level, stairs, follows, parabolas,
        wavers,
    )
}  # fmt: skip
PAIRS: dict[str, tuple[float, float]] = {
    "alone": (0.0, 0.0), "same": (1.0, 0.0), "mirrored": (-1.0, 5.0), "half": (0.5, 0.0),
    "offset": (1.0, 0.4),
}  # fmt: skip
"""Slope and volts of the second track against the first."""
RATES_HZ = (4.0, 8.0, 14.0, 25.0, 50.0, 100.0, 200.0, 1000.0)


@dataclass(frozen=True, slots=True)
class Reader:
    """An instrument: how often it reads, in volts or percent, in which steps, with which noise.

    The tracks are read `apart` of an interval after each other, each up to `jitter` of one late.
    """

    rate_hz: float
    percent: bool
    step: float
    noise: float
    apart: float
    jitter: float


def reader(rate_hz: float, random: Random) -> Reader:
    """One of the usual ones."""
    percent = rate_hz < 60.0 and bool(random.random() < 0.3)
    step = 100.0 / 255.0 if percent else float(random.choice([0.001, 5.0 / 1023.0, 5.0 / 255.0]))
    apart = float(random.choice([0.0, 0.1, 0.5])) if rate_hz < 60.0 else 0.0
    noise = float(random.choice([0.0, 0.002, 0.006])) * (20.0 if percent else 1.0)
    return Reader(rate_hz, percent, step, noise, apart, float(random.choice([0.0, 0.15])))


def sound(
    motion: str, pair: str, rate_hz: float, seed: int, *, pedal: bool = False, led_s: float | None = None
) -> Recording:
    """A sound recording: a motion, one track or two, an instrument drawn from the usual ones.

    Of the throttle, or of the `pedal`; with the command recorded that led the plate by so many seconds.
    """
    random = np.random.default_rng([seed, *motion.encode(), *pair.encode(), int(rate_hz)])
    lasts_s = 20.0 if rate_hz >= 500.0 else 70.0
    plate = MOTIONS[motion](lasts_s, random)
    by = reader(rate_hz, random)
    step_s = 1.0 / rate_hz
    time_s = np.arange(0.0, lasts_s - 2.0 * step_s, step_s)
    time_s += random.uniform(0.0, by.jitter * step_s, time_s.size)
    slope, offset = PAIRS[pair]
    lines = [(1.0, 0.0)] if pair == "alone" else [(1.0, 0.0), (slope, offset)]
    channels = []
    for n, (gain, volts) in enumerate(lines):
        at = time_s + n * by.apart * step_s
        travel = np.interp(at, FINE_S * np.arange(plate.size), plate)
        read = gain * (0.6 + 0.035 * travel) + volts
        read = read * 20.0 if by.percent else read
        read = np.round((read + random.normal(0.0, by.noise, read.size)) / by.step) * by.step
        kind = CHANNEL_KINDS[f"{'app' if pedal else 'tps'}{n + 1}_{'pct' if by.percent else 'v'}"]
        channels.append(Channel(kind, at, np.clip(read, 0.0, 100.0 if by.percent else 5.0)))
    if led_s is not None:
        asked = np.interp(time_s + led_s, FINE_S * np.arange(plate.size), plate)
        channels.append(
            Channel(CHANNEL_KINDS["throttle_cmd_pct"], time_s, np.round(asked * 2.55) / 2.55)
        )
    return Recording(tuple(channels))
