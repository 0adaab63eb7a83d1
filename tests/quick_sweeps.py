"""Sweeps as quick as a foot makes them, or slower, with a fault of one track or none.

A foot goes through the whole travel within some tenths of a second (common practice, no published
source). It does so by the law of the smoothest movement: T. Flash and N. Hogan, "The coordination of arm
movements", J. Neurosci. 5 (1985) 1688-1703.
"""

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, Recording
from signals import recording, sweeps, volts

STEP_V = 5.0 / 4096.0
PLACE, ROUGH = (40.0, 44.0), (30.0, 38.0)
FAULTS = {"none": "", "drop": "drop", "step": "step", "stands": "flat", "rough": "", "falls out": ""}
"""Each with the shape of what is worn at the place."""


def hand(seconds: float, rate_hz: float, random: np.random.Generator) -> tuple[FloatArray, FloatArray]:
    """Openings that take about so long with the way back, none like the other, for 24 s."""
    time_s = np.arange(0.0, 24.0, 1.0 / rate_hz)
    travel, now = np.zeros(time_s.size), 0.0
    while now < time_s[-1]:
        up, held, down, rested = seconds * random.uniform(
            (0.25, 0.05, 0.2, 0.05), (0.45, 0.25, 0.4, 0.2)
        )
        top = 100.0 if random.random() < 0.3 else random.uniform(85.0, 100.0)
        for start, took, way in ((now, up, (0.0, top)), (now + up + held, down, (top, 0.0))):
            share = np.clip((time_s - start) / took, 0.0, 1.0)
            smooth = 10.0 * share**3 - 15.0 * share**4 + 6.0 * share**5
            travel += (way[1] - way[0]) * smooth
        now += up + held + down + rested
    return time_s, travel


def at_place(travel: FloatArray) -> BoolArray:
    return np.asarray((travel > PLACE[0]) & (travel < PLACE[1]), dtype=np.bool_)


def rough(travel: FloatArray, rate_hz: float, random: np.random.Generator) -> FloatArray:
    """Contact noise of 60 mV that takes 3 ms to become another, where it is rough."""
    again = np.exp(-1.0 / (0.003 * rate_hz))
    noise = np.empty(travel.size)
    now = 0.0
    for n, fresh in enumerate(random.normal(0.0, 0.06 * np.sqrt(1.0 - again**2), travel.size).tolist()):
        now = again * now + fresh
        noise[n] = now
    return np.where((travel > ROUGH[0]) & (travel < ROUGH[1]), noise, 0.0)


def read(
    fault: str,
    seconds: float,
    rate_hz: float,
    *,
    lone: bool,
    noise_v: float,
    even: bool = False,
    seed: int = 7,
) -> Recording:
    """A track with a fault, and its mirrored sister unless it is alone, by a converter of 12 bits."""
    random = np.random.default_rng(seed)
    if even:
        time_s, travel = sweeps(round(24.0 / seconds), seconds, rate_hz)
    else:
        time_s, travel = hand(seconds, rate_hz, random)
    worn, sister = volts(travel), 5.0 - volts(travel)
    there = at_place(travel)
    if fault == "drop":
        worn[there] = 0.02
    elif fault == "step":
        worn[there] -= 0.08
    elif fault == "stands":
        worn[there] = 0.5 + 0.04 * PLACE[0]
    elif fault == "rough":
        worn += rough(travel, rate_hz, random)
    elif fault == "falls out":
        for start in random.uniform(2.0, 22.0, 6):
            away = (time_s > start) & (time_s < start + random.uniform(0.03, 0.2))
            worn[away] = random.uniform(0.8, 4.2)
    both = (worn,) if lone else (worn, sister)
    noisy = [np.round((v + random.normal(0.0, noise_v, v.size)) / STEP_V) * STEP_V for v in both]
    return recording(time_s, **dict(zip(("tps1_v", "tps2_v"), noisy, strict=False)))
