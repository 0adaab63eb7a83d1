"""Plate or signal: whether an engine breathes more while the signal rests too high.

An engine at rest breathes what the plate lets by. The plate is an orifice and the engine a pump, so
what was recorded of the engine gives the opening up to a factor: air mass, or speed times manifold
pressure, over what an opening of one would let by at those pressures. If the plate really stays open,
the opening is larger than at the usual rests; if only the signal lies, it is what it was (common
practice: idle up with the reading up, the plate is open; idle normal, the signal lies).

Silent where no engine ran or too little was recorded. It can't see an idle valve: one that closes by
as much as the plate stays open hides the plate.
"""

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording, Span
from nervus.domain.finding import RestCause
from nervus.engine.air_flow import R_AIR, STANDARD_K, STANDARD_PA, opening_of

# After a release the engine needs this long to settle.
_SETTLE_S = 1.5
_LEAST_SAMPLES = 5
# The opening must rise by this share of its usual value for the plate to be believed open, and by less
# than that for it to be believed closed. Warm-up and loads move idle air by a tenth; 5 % of travel more
# than doubles the opening round a closed plate.
_RISES, _STAYS = 0.20, 0.08
# Idle control holds the speed as long as it can, so speed alone tells less: an idle speed that rose
# is a plate that is open, but one that did not rise proves nothing by itself.
_SPEED_RISES = 0.12
# Below these no engine runs.
_STANDING = {"rpm": 200.0, "maf_gs": 0.2}
# A rest is looked at in so many points.
_POINTS = 200


def cause_of_rest(recording: Recording, off: tuple[Span, ...], usual: tuple[Span, ...]) -> RestCause:
    """The cause of rests that are off, by what the engine did then and at the usual rests.

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
    faster = speed is not None and speed > 1.0 + _SPEED_RISES
    before, now = relative_opening(recording, usual), relative_opening(recording, off)
    if before is None or now is None:
        return RestCause.PLATE if faster else RestCause.UNKNOWN
    if now > before * (1.0 + _RISES):
        # A unit that idles by the plate lets more air by for a load, and holds the speed with it.
        return RestCause.PLATE if faster or not recording.may_be_moved_unseen else RestCause.UNKNOWN
    return RestCause.SIGNAL if now < before * (1.0 + _STAYS) else RestCause.UNKNOWN


def relative_opening(recording: Recording, spans: tuple[Span, ...]) -> float | None:
    """The effective opening of the throttle during some rests, in a unit of the engine's own.

    Returns:
        The median; `None` where neither air mass nor speed with manifold pressure was recorded while
        the engine ran.
    """
    parts = (np.linspace(a + _SETTLE_S, b, _POINTS) for a, b in spans if b - a > _SETTLE_S)
    time_s = np.concatenate([np.empty(0), *parts])
    if time_s.size < _LEAST_SAMPLES:
        return None
    speed, mass, behind = (_at(recording, name, time_s) for name in ("rpm", "maf_gs", "map_kpa"))
    intake = _at(recording, "iat_c", time_s)
    kelvin = intake + 273.15 if intake is not None else np.full(time_s.size, STANDARD_K)
    # Without a manifold pressure the flow is taken as choked, as it is at every healthy idle.
    behind_pa = behind * 1000.0 if behind is not None else np.zeros(time_s.size)
    before_pa = np.maximum(_ambient_pa(recording), behind_pa + 1.0)
    if mass is not None and float(np.median(mass)) > _STANDING["maf_gs"]:
        flow = mass
    elif speed is not None and behind is not None and float(np.median(speed)) > _STANDING["rpm"]:
        flow = speed * behind_pa / (R_AIR * kelvin)
    else:
        return None
    return float(np.median(opening_of(flow, before_pa, behind_pa, kelvin)))


def _ambient_pa(recording: Recording) -> float:
    """The pressure before the throttle: what the manifold has while the engine stands, or standard."""
    pressure, speed = recording.get("map_kpa"), recording.get("rpm")
    if pressure is not None and speed is not None:
        turning = np.interp(pressure.time_s, speed.time_s, speed.values)
        standing = pressure.values[turning < _STANDING["rpm"]]
        if standing.size >= _LEAST_SAMPLES and 70.0 < float(np.median(standing)) < 110.0:
            return 1000.0 * float(np.median(standing))
    return STANDARD_PA


def _at(recording: Recording, channel_id: str, time_s: FloatArray) -> FloatArray | None:
    channel = recording.get(channel_id)
    return np.interp(time_s, channel.time_s, channel.values) if channel is not None else None


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


def _settled(channel: Channel, spans: tuple[Span, ...]) -> float | None:
    values = [
        channel.values[(channel.time_s >= start + _SETTLE_S) & (channel.time_s <= end)]
        for start, end in spans
    ]
    together = np.concatenate(values) if values else np.empty(0)
    return float(np.median(together)) if together.size >= _LEAST_SAMPLES else None
