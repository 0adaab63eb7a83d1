"""Which channels of a recording are drawn at first: the tracks, their supply, and a few others."""

import numpy as np

from nervus.domain.channel import Channel, Recording, Role, Unit

# Plots of other units than the tracks' squeeze them; more than these are for who asks.
_OTHER_UNITS, _OTHER_CHANNELS = 2, 2
# What reaches so many times as high as the tracks in their own unit, such as a battery, flattens them.
_FLATTENS = 1.5
_FIRST = (Role.TRACK, Role.SUPPLY, Role.COMMAND, Role.PEDAL, Role.POSITION)


def usual_channels(recording: Recording) -> tuple[str, ...]:
    """Identifiers of what is drawn unless somebody chooses otherwise, in the order of the recording.

    All tracks of throttle and pedal and their supply come first and always; of the others, as many as
    leave the tracks their room.
    """
    first = [c for c in recording.channels if _comes_first(c)]
    units = {c.kind.unit for c in first}
    taken = {c.id for c in first}
    highest: dict[Unit, float] = {}
    for c in first:
        highest[c.kind.unit] = max(highest.get(c.kind.unit, 0.0), float(c.values.max()))
    others = 0
    for channel in recording.channels:
        new_unit = channel.kind.unit not in units
        full = others >= _OTHER_CHANNELS or (new_unit and len(units) > _OTHER_UNITS)
        flattens = float(channel.values.max()) > _FLATTENS * highest.get(channel.kind.unit, np.inf)
        if channel.id in taken or full or flattens:
            continue
        taken.add(channel.id)
        units.add(channel.kind.unit)
        others += 1
    return tuple(c.id for c in recording.channels if c.id in taken)


def _comes_first(channel: Channel) -> bool:
    return channel.kind.sensor is not None or channel.kind.role in _FIRST
