"""Readings as rows of equations: which pins, which signs, how sure, and what hangs together."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray
from nervus.pins.meter import Meter
from nervus.pins.taken import BATTERY, Taken

# Of a source and of a resistance in meter resistances, how wide what can be is (standard deviations).
E_WIDE, R_WIDE = 8.0, 3.0
# A pin floats that shows less than this to pins which stand further apart than that.
FAINT_V, _APART_V, _ONE_MAY_LIE = 0.15, 0.6, 4
# Three and more readings of one pair say themselves how steady they are: the middle deviation as a
# standard deviation of a normal distribution.
_REPEATS, _MIDDLE = 3, 1.4826
SMALL_V = 0.15
"""Below it a reading without a sign is 0, give or take itself; no pin stands below battery negative."""


@dataclass(frozen=True, slots=True, eq=False)
class System:
    """m readings of n ends.

    Attributes:
        labels: of the ends, `BATTERY` among them where it was used.
        rows: 1 at the red end and -1 at the black, shape (m, n).
        volts: as written, shape (m,); without sign where `signed` is not.
        signed: shape (m,).
        deviation: standard deviations, shape (m,).
        held: ends that are 0 by agreement: battery negative, else one in each part; shape (n,).
        prior: precision of e and r before any reading, shape (2n,).
        parts: ends that readings tie together.
        turnable: whether all may be the other way round: no reading had a sign, none was to the battery.
        grounded: whether all hangs together with battery negative.
    """

    labels: tuple[str, ...]
    rows: FloatArray
    volts: FloatArray
    signed: BoolArray
    deviation: FloatArray
    held: BoolArray
    prior: FloatArray
    parts: tuple[frozenset[str], ...]
    turnable: bool
    grounded: bool


def system_of(readings: Sequence[Taken], meter: Meter) -> System:
    """The equations of these readings."""
    labels = tuple(sorted({end for r in readings for end in (r.red, r.black)}))
    place = {label: i for i, label in enumerate(labels)}
    rows = np.zeros((len(readings), len(labels)))
    for k, r in enumerate(readings):
        rows[k, place[r.red]] += 1.0
        rows[k, place[r.black]] -= 1.0
    either = [not r.signed and BATTERY not in r.pair and abs(r.volts) < SMALL_V for r in readings]
    parts = _parts(readings, labels)
    held = np.zeros(len(labels), dtype=bool)
    for part in parts:
        held[place[BATTERY] if BATTERY in part else place[_busiest(part, readings)]] = True
    return System(
        labels,
        rows,
        np.asarray(
            [
                0.0 if small else r.volts if r.signed else abs(r.volts)
                for r, small in zip(readings, either, strict=True)
            ]
        ),
        np.asarray(
            [r.signed or small or BATTERY in r.pair for r, small in zip(readings, either, strict=True)]
        ),
        np.hypot(_deviations(readings, meter), np.where(either, [r.volts for r in readings], 0.0)),
        held,
        np.repeat([1.0 / E_WIDE**2, 1.0 / R_WIDE**2], len(labels)),
        parts,
        turnable=not any(r.signed or BATTERY in r.pair for r in readings),
        grounded=all(BATTERY in part for part in parts),
    )


def _busiest(part: frozenset[str], readings: Sequence[Taken]) -> str:
    return max(sorted(part), key=lambda p: sum(abs(r.volts) for r in readings if p in (r.red, r.black)))


def _deviations(readings: Sequence[Taken], meter: Meter) -> FloatArray:
    own = np.asarray([meter.deviation(r.volts, nothing=r.nothing) for r in readings])
    for pair in {r.pair for r in readings}:
        again = [k for k, r in enumerate(readings) if r.pair == pair]
        if len(again) >= _REPEATS:
            seen = np.abs([readings[k].volts for k in again])
            middle = _MIDDLE * float(np.median(np.abs(seen - np.median(seen))))
            own[again] = np.hypot(own[again], middle)
    return own


def _parts(readings: Sequence[Taken], labels: Sequence[str]) -> tuple[frozenset[str], ...]:
    part = {label: frozenset((label,)) for label in labels}
    for r in readings:
        both = part[r.red] | part[r.black]
        for label in both:
            part[label] = both
    return tuple(dict.fromkeys(part.values()))


def floating(readings: Sequence[Taken]) -> frozenset[str]:
    """Pins that show nothing to others which stand apart from each other: nothing holds them.

    Of four and more readings one may say otherwise: it is the wrong one then.
    """
    between: dict[frozenset[str], float] = {}
    for r in readings:
        between[r.pair] = max(between.get(r.pair, 0.0), abs(r.volts))
    found: set[str] = set()
    for pin in sorted({end for r in readings for end in (r.red, r.black)} - {BATTERY}):
        pairs = [p for p in between if pin in p and len(p) > 1]
        faint = [next(iter(p - {pin})) for p in pairs if between[p] < FAINT_V]
        loud = len(pairs) - len(faint)
        apart = sum(
            between.get(frozenset((a, b)), 0.0) > _APART_V
            for k, a in enumerate(faint)
            for b in faint[k + 1 :]
        )
        # Where one says otherwise, one distance is not enough: it might be the wrong reading itself.
        if (loud == 0 and apart) or (loud == 1 and len(pairs) >= _ONE_MAY_LIE and apart > 1):
            found.add(pin)
    return frozenset(found)
