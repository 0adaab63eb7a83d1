"""Values that can't be: what a channel's numbers, or its stamps, look like instead.

Physics decides, not habit: what a vehicle can put on a line, how fast a plate and a hand can move. A
doubt proposes; the user agrees, corrects, or leaves the column out.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording, Role, Unit
from nervus.knowledge.columns import can_be, conversion
from nervus.language import say

_USUAL_SUPPLY_V = 5.0
# A track is a share of its supply; lines shorted to the battery lie higher, but stand still there.
_ABOVE_SUPPLY, _STILL = 1.3, 0.4
# A plate's motor or a hand takes longer than this from stop to stop.
_FASTEST_SWEEP_S = 0.02
# Rows further apart show no sweep; somebody who sweeps once takes less than this.
_SLOWEST_ROWS_S, _SLOWEST_SWEEP_S = 5.0, 30.0
_A_DAY_S = 86_400.0
# Values looked at of each channel.
_ENOUGH = 200_000
_COUNTS = {"8 bit": 255, "10 bit": 1023, "12 bit": 4095, "16 bit": 65535}
# In the order in which they are met; what is tried for a channel whose unit can't be.
_TRIED = (
    "mV",
    "%",
    "share",
    say("8 bit"),
    say("10 bit"),
    say("12 bit"),
    say("16 bit"),
    "V",
    "bar",
    "mbar",
    "Pa",
    "°F",
    "K",
)
_MOVING_ROLES = frozenset({Role.TRACK, Role.POSITION, Role.PEDAL})


@dataclass(frozen=True, slots=True)
class Doubt:
    """One thing that can't be as it stands.

    Attributes:
        channel: its identifier, or `time_s`.
        wrong: what can't be, as part of a sentence.
        units: what it looks like instead, the likeliest first; none where nothing fits.
        becomes: the channel that it would be in the first of these.
    """

    channel: str
    wrong: str
    units: tuple[str, ...] = ()
    becomes: str = ""


def value_doubts(
    recording: Recording, raw: Mapping[str, FloatArray], written: Mapping[str, str]
) -> tuple[Doubt, ...]:
    """The channels whose values can't be.

    Args:
        recording: as it was read.
        raw: each channel's numbers as they are written.
        written: each channel's unit where one is written or was agreed to; "" where none is.
    """
    recording, raw = (
        _thinned(recording),
        {c: values[:: _every(values.size)] for c, values in raw.items()},
    )
    found = []
    supply_v = _supply(recording)
    for channel in recording.known().channels:
        numbers = raw.get(channel.id, channel.values)
        unit = written.get(channel.id, "")
        if not _possible(Unit(channel.kind.unit), channel.kind.role, channel.values, supply_v):
            found.append(_impossible(channel, numbers, unit, _Scale(supply_v, _full_scale(raw))))
        elif not unit and (other := _as_likely(channel, numbers)):
            found.append(other)
        elif unit == "mV" and _is_dwarf(channel, numbers):
            low, high = _bulk(numbers)
            found.append(
                Doubt(
                    channel.id,
                    say("{low:.4g} to {high:.4g} mV is no signal", low=low, high=high),
                    ("V",),
                    channel.id,
                )
            )
    return tuple(found)


def time_doubt(recording: Recording, unit: str) -> Doubt | None:
    """What can't be of the stamps: rows too far apart, or a sweep faster than any plate; else `None`.

    Args:
        recording: as it was read.
        unit: of the stamps as they were taken.
    """
    longest = max(recording.channels, key=lambda c: c.samples)
    if longest.samples < 3:
        return None
    steps = np.diff(longest.time_s)
    recording = _thinned(recording)
    some = steps[:: _every(steps.size)]
    usual = float(np.median(some[some > 0])) if np.any(some > 0) else 0.0
    if usual <= 0.0:
        return None
    slower = {"s": "ms", "min": "s", "ms": "µs", "h": "s", "d": "s", "": "ms"}.get(unit, "ms")
    faster = {"ms": "s", "µs": "ms", "ns": "µs"}.get(unit)
    sweep_s = _quickest_sweep(recording)
    if usual >= _SLOWEST_ROWS_S or (
        usual > 0.5 and sweep_s is not None and sweep_s > _SLOWEST_SWEEP_S and _smooth(longest)
    ):
        return Doubt(
            "time_s", say("the rows would be {usual:.4g} s apart", usual=usual), (slower,), "time_s"
        )
    if faster and recording.duration_s < _FASTEST_SWEEP_S and sweep_s is not None:
        return Doubt(
            "time_s",
            say("the plate would move from stop to stop within {sweep_s:.2g} s", sweep_s=sweep_s),
            (faster,),
            "time_s",
        )
    most = float(np.max(steps))
    if most >= _A_DAY_S:
        return Doubt(
            "time_s",
            say("between two rows {a_day_s:.3g} days would pass", a_day_s=most / _A_DAY_S),
            (),
            "time_s",
        )
    return None


def likely_time_unit(recording: Recording, first: float, taken: str) -> str:
    """The unit that numbers of a time look like.

    Args:
        recording: read with these numbers in `taken` ("" for seconds).
        first: the first of them, as written: an instant of our age tells its unit.
        taken: the unit in which they were read.
    """
    for unit, least in (("ns", 1e18), ("µs", 1e15), ("ms", 1e12), ("s", 1e9)):
        if 0.9 * least <= first < 4.0 * least:
            return unit
    if not taken and 30_000.0 < first < 80_000.0 and recording.duration_s < 1.0:
        return "d"
    scale = 1.0
    for unit, next_one in (("s", "ms"), ("ms", "µs"), ("µs", "ns")):
        if taken not in ("", "s"):
            return taken
        doubt = time_doubt(_slowed(recording, scale), unit)
        if doubt is None or not doubt.units or doubt.units[0] != next_one:
            return unit
        scale *= 1e-3
    return "ns"


def _slowed(recording: Recording, scale: float) -> Recording:
    if scale == 1.0:
        return recording
    return Recording(tuple(Channel(c.kind, c.time_s * scale, c.values) for c in recording.channels))


def _every(size: int) -> int:
    """Of so many values every so many-th is enough to see their bulk, and where a sweep goes."""
    return max(1, size // _ENOUGH)


def _thinned(recording: Recording) -> Recording:
    if all(c.samples <= _ENOUGH for c in recording.channels):
        return recording
    thin = (
        Channel(c.kind, c.time_s[:: _every(c.samples)], c.values[:: _every(c.samples)])
        for c in recording.channels
    )
    return Recording(tuple(thin), (), recording.name)


# -- values ------------------------------------------------------------------------------------------


def _supply(recording: Recording) -> float:
    supply = recording.get("vref_v")
    if supply is None:
        return _USUAL_SUPPLY_V
    middle = float(np.median(supply.values))
    return middle if _USUAL_SUPPLY_V / 2 <= middle <= 2 * _USUAL_SUPPLY_V else _USUAL_SUPPLY_V


def _bulk(values: FloatArray) -> tuple[float, float]:
    low, high = np.quantile(values, (0.02, 0.98))
    return float(low), float(high)


def _possible(unit: Unit, role: Role, values: FloatArray, supply_v: float) -> bool:
    low, high = _bulk(values)
    least, most = can_be(unit)
    if low < least or high > most or not np.all(np.abs(values) < 1e7):
        return False
    if unit is Unit.VOLT and role in (Role.TRACK, Role.PEDAL):
        middle = float(np.median(values))
        return middle <= _ABOVE_SUPPLY * supply_v or high - low <= _STILL * middle
    return True


@dataclass(frozen=True, slots=True)
class _Scale:
    """What numbers are held against.

    Attributes:
        supply_v: of the sensor.
        full: what stands for the whole supply in the numbers as written, `None` where nothing tells.
    """

    supply_v: float
    full: float | None

    def likeliness(self, unit: str, low_high: tuple[float, float], factor: float) -> tuple[bool, bool]:
        """Sorts what a unit is: false before true."""
        contradicted = self.full is not None and not 0.95 < self.full * factor / self.supply_v < 1.05
        whole = 100.0 if unit in ("%", "share") else self.supply_v
        return contradicted, not 0.4 < low_high[1] * factor / whole < 1.1


def _full_scale(raw: Mapping[str, FloatArray]) -> float | None:
    """The sum of two tracks that run against each other: the supply, in the unit as written."""
    for one, two in (("tps1_v", "tps2_v"), ("app1_v", "app2_v")):
        if one in raw and two in raw and raw[one].size == raw[two].size and raw[one].size > 10:
            both = raw[one] + raw[two]
            low, high = _bulk(both)
            if high - low < 0.1 * abs(high) and np.ptp(raw[one]) > 0.2 * abs(high):
                return float(np.median(both))
    return None


def _impossible(channel: Channel, numbers: FloatArray, unit: str, scale: _Scale) -> Doubt:
    low, high = _bulk(channel.values)
    wrong = say("{low:.4g} to {high:.4g} {unit} can't be", low=low, high=high, unit=channel.kind.unit)
    found: list[tuple[tuple[bool, bool], str, str]] = []
    for tried in _TRIED:
        if tried == unit:
            continue
        becomes = _percent_of(channel.id) if tried in ("%", "share") else channel.id
        if becomes is None:
            continue
        kind = CHANNEL_KINDS[becomes]
        factors = conversion(tried, kind.unit) if tried != kind.unit else (1.0, 0.0)
        if factors is None or not _fits(tried, numbers):
            continue
        if _possible(Unit(kind.unit), kind.role, numbers * factors[0] + factors[1], scale.supply_v):
            rank = scale.likeliness(tried, _bulk(numbers), factors[0])
            found.append((rank, tried, becomes))
    found.sort(key=lambda one: one[0])
    return Doubt(channel.id, wrong, tuple(u for _r, u, _b in found), found[0][2] if found else "")


def _fits(unit: str, numbers: FloatArray) -> bool:
    """Whether numbers look like a unit's: counts are whole and within their bits, shares within 1."""
    low, high = _bulk(numbers)
    if unit in _COUNTS:
        whole = bool(np.all(numbers == np.round(numbers)))
        return whole and numbers.min() >= 0 and 0.2 * _COUNTS[unit] < numbers.max() <= _COUNTS[unit]
    if unit == "share":
        return low >= -0.05 and high <= 1.05
    if unit == "%":
        return low >= -5.0 and high <= 130.0 and high > 5.0
    if unit == "mV":
        return high > 36.0
    return True


def _as_likely(channel: Channel, numbers: FloatArray) -> Doubt | None:
    """Numbers without a unit that fit another one as well: a share of one, most often."""
    low, high = _bulk(numbers)
    percent = _percent_of(channel.id)
    if percent is None or low < -0.02 or high > 1.02 or high - low < 0.3:
        return None
    return Doubt(
        channel.id,
        say(
            "{low:.3g} to {high:.3g} may be {unit} or a share of 1",
            low=low,
            high=high,
            unit=channel.kind.unit,
        ),
        ("share",),
        percent,
    )


def _percent_of(channel_id: str) -> str | None:
    """The channel of the same thing in percent."""
    percent = channel_id.replace("_v", "_pct").replace("_deg", "_pct")
    return percent if percent in CHANNEL_KINDS and CHANNEL_KINDS[percent].unit is Unit.PERCENT else None


def _is_dwarf(channel: Channel, numbers: FloatArray) -> bool:
    """Whether a signal in millivolts would be a thousandth of one, and moves as one does."""
    low, high = _bulk(numbers)
    return (
        channel.kind.role in (Role.TRACK, Role.PEDAL, Role.SUPPLY)
        and 0.3 < high < 6.5
        and (high - low > 0.3 or channel.kind.role is Role.SUPPLY)
    )


# -- time --------------------------------------------------------------------------------------------


def _quickest_sweep(recording: Recording) -> float | None:
    """The shortest way of a position from low to high or back in seconds, `None` for none."""
    best: float | None = None
    for channel in recording.channels:
        if channel.kind.role not in _MOVING_ROLES or channel.samples < 10:
            continue
        low, high = _bulk(channel.values)
        if high - low < 0.2 * max(abs(high), 1e-9) or high - low <= 0:
            continue
        share = (channel.values - low) / (high - low)
        state = np.where(share < 0.25, 0, np.where(share > 0.75, 1, -1))
        known = np.flatnonzero(state >= 0)
        turns = np.flatnonzero(np.diff(state[known]) != 0)
        if turns.size:
            # Over a stretch, so that a drop of one row is no sweep.
            ways = channel.time_s[known[turns + 1]] - channel.time_s[known[turns]]
            steps = known[turns + 1] - known[turns]
            real = ways[steps > 3]
            if real.size:
                best = min(best, float(real.min())) if best is not None else float(real.min())
    return best


def _smooth(channel: Channel) -> bool:
    """Whether neighbours lie so close together that the rows must follow each other quickly."""
    low, high = _bulk(channel.values)
    moved = np.abs(np.diff(channel.values))
    return high > low and float(np.quantile(moved, 0.95)) < 0.1 * (high - low)
