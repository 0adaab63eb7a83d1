"""Which channels of a recording are drawn at first: the tracks, their supply, and a few others."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from nervus.domain.channel import Channel, Recording, Role

LEAST_HEIGHT, MOST_HEIGHT = 0.5, 4.0
"""Between these, as multiples of the usual, a plot is as high as somebody wants it."""
# Plots of other units than the tracks' squeeze them; more than these are for who asks.
_OTHER_UNITS, _OTHER_CHANNELS = 2, 2
# What reaches so many times as high as the tracks in their own unit, such as a battery, flattens them.
_FLATTENS = 1.5
_FIRST = (Role.TRACK, Role.SUPPLY, Role.COMMAND, Role.PEDAL, Role.POSITION)


@dataclass(frozen=True, slots=True)
class Arranged:
    """Which channels are drawn over time, and how.

    Attributes:
        channels: identifiers of what is drawn, in their order.
        apart: whether each has an axis of its own; else those of one unit share one.
        heights: of a plot, by the identifier of its first channel, as a multiple of the usual.
    """

    channels: tuple[str, ...] = ()
    apart: bool = False
    heights: Mapping[str, float] = field(default_factory=dict)

    def plots(self, recording: Recording) -> list[list[Channel]]:
        """The channels of each plot, from the top: the tracks first, then as they are ordered."""
        found = (recording.get(name) for name in self.channels)
        shown = [c for c in found if c is not None]
        tracks = {c.kind.unit for c in shown if c.kind.sensor is not None}
        if self.apart:
            groups = [[c] for c in shown]
            return sorted(groups, key=lambda g: g[0].kind.sensor is None)
        units = dict.fromkeys(c.kind.unit for c in shown)
        groups = [[c for c in shown if c.kind.unit == unit] for unit in units]
        return sorted(groups, key=lambda g: g[0].kind.unit not in tracks)


def usual_channels(recording: Recording) -> tuple[str, ...]:
    """Identifiers of what is drawn unless somebody chooses otherwise, in the order of the recording.

    All tracks of throttle and pedal and their supply come first and always; of the others, as many as
    leave the tracks their room.
    """
    first = [c for c in recording.channels if _comes_first(c)]
    units = {c.kind.unit for c in first}
    taken = {c.id for c in first}
    highest: dict[str, float] = {}
    for c in first:
        highest[c.kind.unit] = max(highest.get(c.kind.unit, 0.0), float(c.values.max()))
    others = 0
    for channel in recording.channels:
        new_unit = channel.kind.unit not in units
        full = others >= _OTHER_CHANNELS or (new_unit and len(units) > _OTHER_UNITS)
        flattens = float(channel.values.max()) > _FLATTENS * highest.get(channel.kind.unit, np.inf)
        own = channel.kind.role is Role.OTHER
        if channel.id in taken or full or flattens or own:
            continue
        taken.add(channel.id)
        units.add(channel.kind.unit)
        others += 1
    return tuple(c.id for c in recording.channels if c.id in taken)


def _comes_first(channel: Channel) -> bool:
    return channel.kind.sensor is not None or channel.kind.role in _FIRST
