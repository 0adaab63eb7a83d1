"""What engine speed and battery say while the throttle is left alone: hunting, rough, high, low.

Source: common practice, no published source: a warm engine idles at some 650 to 900 1/min and keeps to
it; a hunting idle swings slowly and again and again, a misfire makes it dip at once and at random.
"""

import numpy as np

from nervus.domain.analysis import EngineState
from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording
from nervus.signal.arithmetic.spans import runs_of

# Turning, and no more than an idle that runs away; the throttle within this share of its movement of
# its rest, or, where nothing tells of the throttle, a speed that keeps within this range.
_RUNS_RPM, _MOST_RPM, _AT_REST, _STILL_RPM = 350.0, 2_000.0, 0.04, 500.0
# After a release the engine falls to its idle; then so long an idle in one piece is looked at, and so
# many values a second are needed to see it dip.
_SETTLE_S, _LEAST_S, _LEAST_HZ = 4.0, 8.0, 3.0
# A swing of this much, there and back so often, is hunting; quick dips of this deviation are rough.
_SWING_RPM, _SWINGS, _ROUGH_RPM = 110.0, 3, 28.0
_SMOOTH_S = 1.2
_WARM_C, _HIGH_RPM, _HIGH_COLD_RPM, _LOW_RPM = 70.0, 1_150.0, 1_600.0, 540.0
_CHARGED_V, _RESTING_V = 12.2, 11.8
_MOVED = {"%": 6.0, "V": 0.25}


def engine_state(recording: Recording) -> EngineState:
    """How the engine idles and how the battery stands, as far as a recording of it tells."""
    speed = recording.get("rpm")
    battery = _battery(recording)
    if speed is None:
        return EngineState(low_battery=battery)
    idles = [speed.values[a : b + 1] for a, b in _idles(recording, speed)]
    if not idles:
        return EngineState(low_battery=battery)
    step_s = float(np.median(np.diff(speed.time_s)))
    width = max(1, round(_SMOOTH_S / max(step_s, 1e-3)))
    usual = float(np.median(np.concatenate(idles)))
    hunts = sum(_swings(_smoothed(rpm, width) - np.median(rpm)) for rpm in idles) >= _SWINGS
    dips = max(_quick(rpm, width) for rpm in idles)
    rough = not hunts and step_s <= 1.0 / _LEAST_HZ and dips > _ROUGH_RPM
    high = usual > (_HIGH_COLD_RPM if _is_cold(recording) else _HIGH_RPM)
    return EngineState(usual, hunts, rough, high, usual < _LOW_RPM, battery)


def _quick(rpm: FloatArray, width: int) -> float:
    """Deviation of what is quicker than a second or so."""
    return float(np.std(rpm - _smoothed(rpm, width)))


def _idles(recording: Recording, speed: Channel) -> list[tuple[int, int]]:
    """First and last sample of each idle: the engine runs, the throttle has been at rest for a while."""
    time_s, rpm = speed.time_s, speed.values
    rests = (rpm > _RUNS_RPM) & (rpm < _MOST_RPM) & _left_alone(recording, speed)
    found = []
    for first, last in zip(*runs_of(np.flatnonzero(rests)), strict=True):
        begin = int(np.searchsorted(time_s, time_s[first] + (_SETTLE_S if first else 0.0)))
        if begin < last and time_s[last] - time_s[begin] >= _LEAST_S:
            found.append((begin, int(last)))
    return found


def _left_alone(recording: Recording, speed: Channel) -> BoolArray:
    """Where pedal or throttle is at rest, shape (n,)."""
    names = ("pedal_pct", "app1_pct", "throttle_cmd_pct", "tps1_pct", "tps1_v", "throttle_pct")
    channel = next((c for c in map(recording.get, names) if c is not None and c.samples > 1), None)
    if channel is None:
        still = float(np.ptp(np.percentile(speed.values, [2.0, 98.0]))) < _STILL_RPM
        return np.full(speed.samples, still)
    values = np.interp(speed.time_s, channel.time_s, channel.values)
    low, high = np.percentile(values, [2.0, 98.0])
    least = _MOVED[str(channel.kind.unit)]
    if high - low < least:
        return np.ones(speed.samples, dtype=bool)
    return np.asarray(np.abs(values - low) < max(_AT_REST * (high - low), least / 4.0))


def _smoothed(values: FloatArray, width: int) -> FloatArray:
    """The running mean, ends repeated, shape (n,)."""
    padded = np.pad(values, (width // 2, width - 1 - width // 2), mode="edge")
    return np.asarray(np.convolve(padded, np.full(width, 1.0 / width), mode="valid"))


def _swings(away: FloatArray) -> int:
    """How often it goes from half a swing above the middle to half a swing below, and back."""
    state, turns = 0, 0
    for value in away:
        side = 1 if value > _SWING_RPM / 2.0 else -1 if value < -_SWING_RPM / 2.0 else 0
        if side and side != state:
            turns += state != 0
            state = side
    return turns // 2


def _is_cold(recording: Recording) -> bool:
    coolant = recording.get("ect_c")
    return coolant is not None and float(np.median(coolant.values)) < _WARM_C


def _battery(recording: Recording) -> bool:
    channel = recording.get("batt_v")
    if channel is None or channel.samples < 3:
        return False
    speed = recording.get("rpm")
    volts = float(np.median(channel.values))
    turning = speed is not None and float(np.median(speed.values)) > _RUNS_RPM
    return 5.0 < volts < (_CHARGED_V if turning else _RESTING_V)
