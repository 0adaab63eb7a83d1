"""Runs of the simulated vehicle as fast as it can, recorded by a scope at its pins."""

from collections.abc import Callable

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Mark, Recording
from nervus.standin.motion import follow, hand_sweeps, pedal_sweeps
from nervus.standin.vehicle import SimulatedVehicle

_SLOW_EVERY = 10
_PINS = {"signal1": "tps1_v", "signal2": "tps2_v", "vref": "vref_v"}
_SLOW = ("throttle_cmd_pct", "pedal_pct", "rpm", "map_kpa", "maf_gs", "ect_c", "batt_v")
# The harness is shaken in the middle third of a run, and said so.
_SHAKEN = (1 / 3, 2 / 3)


def drive(vehicle: SimulatedVehicle, seconds: float, seed: int) -> Callable[[float], None]:
    """Hands and foot for a run: slow sweeps, the harness shaken and wetted in the middle third."""
    random = np.random.default_rng(seed)
    make = pedal_sweeps if vehicle.electronic else hand_sweeps
    strokes = make(int(seconds / 2.5) + 2, random)
    if vehicle.electronic:
        strokes = tuple(type(s)(max(0.0, s.to_pct - 6.0) / 0.9, s.move_s, s.hold_s) for s in strokes)
    time_s, percent = follow(strokes, 100.0, random)

    def at(now_s: float) -> None:
        vehicle.driver.pedal_pct = float(np.interp(now_s, time_s, percent))
        vehicle.driver.shaken = vehicle.driver.wet = _SHAKEN[0] <= now_s / seconds < _SHAKEN[1]

    return at


def record_run(
    vehicle: SimulatedVehicle, seconds: float, *, rate_hz: float = 200.0, seed: int = 1, name: str = ""
) -> Recording:
    """Drive a vehicle for so long and record tracks, supply, and what its unit reports.

    Args:
        vehicle: is advanced; its engine is left as it is.
        seconds: of vehicle time.
        rate_hz: of the scope at the pins; what the unit reports has a tenth of it.
        seed: of the hands, the converter's noise.
        name: of the recording.
    """
    random, hands = np.random.default_rng(seed), drive(vehicle, seconds, seed)
    steps, began = int(seconds * rate_hz), vehicle.time_s
    fast: dict[str, list[float]] = {}
    slow: dict[str, list[float]] = {}
    times, slow_times = [], []
    for number in range(steps):
        hands(vehicle.time_s - began)
        vehicle.advance(began + (number + 1) / rate_hz - vehicle.time_s)
        times.append(vehicle.time_s - began)
        pins = vehicle.pins()
        for pin, channel in _PINS.items():
            if pin in pins:
                fast.setdefault(channel, []).append(pins[pin])
        if number % _SLOW_EVERY == 0:
            told = vehicle.values()
            slow_times.append(times[-1])
            for channel in _SLOW:
                if channel in told:
                    slow.setdefault(channel, []).append(told[channel])
    channels = [_channel(n, times, _digitised(v, random)) for n, v in fast.items()]
    channels += [
        _channel(n, slow_times, np.round(v, 2)) for n, v in slow.items() if len(v) == len(slow_times)
    ]
    marks = (
        Mark(_SHAKEN[0] * seconds, "harness shaken and wetted"),
        Mark(_SHAKEN[1] * seconds, "harness left alone"),
    )
    return Recording(tuple(channels), marks, name)


def _digitised(volts: list[float], random: np.random.Generator) -> FloatArray:
    noisy = np.asarray(volts) + random.normal(0.0, 0.002, len(volts))
    return np.asarray(np.round(np.clip(np.round(noisy * 4096 / 5.0) * 5.0 / 4096, 0.0, 6.0), 4))


def _channel(name: str, times: list[float], values: FloatArray) -> Channel:
    return Channel(CHANNEL_KINDS[name], np.round(times, 6), np.asarray(values, dtype=np.float64))
