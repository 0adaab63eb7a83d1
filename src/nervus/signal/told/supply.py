"""Supply and ground of the sensor: out of tolerance, and for how long."""

import numpy as np

from nervus.domain.channel import BoolArray, Channel, Recording, Span
from nervus.domain.finding import SupplyFault, SupplyLine
from nervus.language import say
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.instruments.fed import NOMINAL_SUPPLY_V
from nervus.signal.told.phrases import times_told

# About 5 V, within 5 %; ground within 0.1 V of battery negative (common practice).
_SUPPLY_TOLERANCE = 0.05
_GROUND_AT_MOST_V = 0.1
# Who records it switches the key more often than a supply shorts (from memory): no accusation.
_MAY_BE = 0.4
# Shorter deviations are spikes or interruptions; those show on the tracks and are found there.
_LEAST_S = 0.03
_JOIN_S = 0.3


def supply_faults(
    recording: Recording, key_off: tuple[Span, ...], nominal_v: float = NOMINAL_SUPPLY_V
) -> tuple[SupplyFault, ...]:
    """Supply and ground where they leave their tolerance while the key is on."""
    found = []
    supply = recording.get("vref_v")
    if supply is not None:
        most_v = _SUPPLY_TOLERANCE * nominal_v
        # An hour's samples are held against two limits in half the time that a difference takes.
        off = (supply.values < nominal_v - most_v) | (supply.values > nominal_v + most_v)
        found += _findings(supply, off, key_off, SupplyLine.SUPPLY)
    ground = recording.get("sgnd_v")
    if ground is not None:
        off = np.abs(ground.values) > _GROUND_AT_MOST_V
        found += _findings(ground, off, key_off, SupplyLine.GROUND)
    return tuple(found)


def may_be_key_off(spans: tuple[Span, ...], channel: Channel) -> tuple[SupplyFault, ...]:
    """A supply that is gone with everything else, where nothing tells why: told as what it may be."""
    if not spans:
        return ()
    level = round(float(np.median(channel.values[inside(channel.time_s, spans)])), 3)
    return (
        SupplyFault(
            channels=(channel.id,),
            times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
            confidence=_MAY_BE,
            text=(
                say(
                    "Supply and tracks are gone {times}, from {spans:.1f} s on: the key was off, "
                    "or the supply is shorted. The battery or the engine speed recorded beside it "
                    "would tell.",
                    times=times_told(len(spans)),
                    spans=spans[0][0],
                )
            ),
            level_v=level,
            where=SupplyLine.EITHER,
        ),
    )


def _findings(
    channel: Channel, off: BoolArray, key_off: tuple[Span, ...], where: SupplyLine
) -> list[SupplyFault]:
    off = off & ~inside(channel.time_s, key_off)
    spans = [
        (float(channel.time_s[a]), float(channel.time_s[b]))
        for a, b in zip(*runs(off), strict=True)
        if channel.time_s[b] - channel.time_s[a] >= _LEAST_S
    ]
    joined = merge(spans, _JOIN_S)
    if not joined:
        return []
    during = inside(channel.time_s, joined) & off
    level = round(float(np.median(channel.values[during])), 3)
    name = say("supply") if where is SupplyLine.SUPPLY else say("ground")
    return [
        SupplyFault(
            channels=(channel.id,),
            times_s=tuple((round(a, 4), round(b, 4)) for a, b in joined),
            confidence=0.95,
            text=(
                say(
                    "The sensor {name} is out of tolerance {times}: {level:.2f} V in the middle.",
                    name=name,
                    times=times_told(len(joined)),
                    level=level,
                )
            ),
            level_v=level,
            where=where,
        )
    ]
