"""Plate or signal: whether an engine breathes more while the signal rests too high.

An engine at rest breathes what the plate lets by. If the plate really stays open, air flow or idle
speed rise with the signal; if only the signal lies, they stay what they were (common practice: idle
up with the reading up, the plate is open; idle normal, the signal lies).
"""

import numpy as np

from nervus.domain.channel import Channel, Recording
from nervus.domain.finding import RestCause, Span

# After a release the engine needs this long to settle.
_SETTLE_S = 1.5
_LEAST_SAMPLES = 5
# Air must rise by this share of its usual value for the plate to be believed open, and by less than
# that for it to be believed closed. Warm-up and loads move idle air by a tenth; 5 % of travel more
# than doubles the opening round a closed plate.
_RISES, _STAYS = 0.20, 0.08
# Idle control holds the speed as long as it can, so speed alone tells less: an idle speed that rose
# is a plate that is open, but one that did not rise proves nothing by itself.
_SPEED_RISES = 0.12


def cause_of_rest(recording: Recording, off: tuple[Span, ...], usual: tuple[Span, ...]) -> RestCause:
    """The cause of rests that are off, by what the engine did then and at the usual rests.

    The engine is a pump: what it breathes is proportional to speed times manifold pressure, at the
    same intake temperature. So pressure alone is no witness (it falls when the engine speeds up).

    Args:
        recording: the recording, with engine channels or without.
        off: the rests that are too high.
        usual: the rests where they should be.

    Returns:
        `UNKNOWN` where no engine ran, nothing of it was recorded, or it does not tell.
    """
    speed = _rise(recording, "rpm", off, usual)
    if recording.get("rpm") is not None and speed is None:
        return RestCause.UNKNOWN
    air = _rise(recording, "maf_gs", off, usual)
    pressure = _rise(recording, "map_kpa", off, usual)
    if air is None and speed is not None and pressure is not None:
        air = speed * pressure
    if air is not None:
        if air > 1.0 + _RISES:
            return RestCause.PLATE
        return RestCause.SIGNAL if air < 1.0 + _STAYS else RestCause.UNKNOWN
    return RestCause.PLATE if speed is not None and speed > 1 + _SPEED_RISES else RestCause.UNKNOWN


def _rise(
    recording: Recording, channel_id: str, off: tuple[Span, ...], usual: tuple[Span, ...]
) -> float | None:
    """A channel at the rests that are off, as a multiple of what it is at the usual ones."""
    channel = recording.get(channel_id)
    if channel is None:
        return None
    before, now = _settled(channel, usual), _settled(channel, off)
    if before is None or now is None or before <= _STANDING.get(channel_id, 0.0):
        return None
    return now / before


# Below these no engine runs.
_STANDING = {"rpm": 200.0, "maf_gs": 0.2}


def _settled(channel: Channel, spans: tuple[Span, ...]) -> float | None:
    values = [
        channel.values[(channel.time_s >= start + _SETTLE_S) & (channel.time_s <= end)]
        for start, end in spans
    ]
    together = np.concatenate(values) if values else np.empty(0)
    return float(np.median(together)) if together.size >= _LEAST_SAMPLES else None
