"""What the control unit watches, at which limits, and what it does about it.

Limits and times are from memory of what such units usually do, not of any one; codes by SAE J2012.
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum
from typing import Final

from nervus.codes.notation import Code, read_code


class Mode(IntEnum):
    """How the control unit runs, worst last."""

    NORMAL = 0
    LIMITED = 1
    IDLE_ONLY = 2


@dataclass(slots=True)
class Seen:
    """What the control unit makes of its inputs at an instant.

    Attributes:
        shares: of each throttle track, V/Vref.
        percents: of the plate's travel by each track.
        pedal_shares: of each pedal track.
        pedals: percent by each pedal track.
        supply_v: its sensor supply.
        command: where the plate should be, percent; `None` where the motor is off.
        position: where it takes the plate to be.
        flow_ratio: measured air over what the position would let by; `None` while that says nothing.
        idle_off: engine speed above the idle target; `None` while not idling.
    """

    shares: tuple[float, ...]
    percents: tuple[float, ...]
    pedal_shares: tuple[float, ...]
    pedals: tuple[float, ...]
    supply_v: float
    command: float | None
    position: float
    flow_ratio: float | None
    idle_off: float | None


@dataclass(frozen=True, slots=True)
class Monitor:
    """One watch.

    Attributes:
        code: what it sets.
        fails: whether it fails now; `None` where it can't run.
        time_s: for how long it must fail.
        mode: what the control unit falls back to.
        tracks: the throttle tracks that it takes out of use.
        at_once: whether one cycle confirms it.
    """

    code: Code
    fails: Callable[[Seen], bool | None]
    time_s: float
    mode: Mode = Mode.NORMAL
    tracks: tuple[int, ...] = ()
    at_once: bool = True


LOW, HIGH, APART_PCT, PEDAL_APART_PCT = 0.04, 0.96, 6.0, 8.0
SUPPLY_V: Final = (4.7, 5.3)
FORCED: Final = {Mode.LIMITED: read_code("P2106"), Mode.IDLE_ONLY: read_code("P2110")}


def _below(kind: str, number: int) -> Callable[[Seen], bool]:
    return lambda s: _shares(s, kind)[number] < LOW


def _above(kind: str, number: int) -> Callable[[Seen], bool]:
    return lambda s: _shares(s, kind)[number] > HIGH


def _shares(seen: Seen, kind: str) -> tuple[float, ...]:
    return seen.shares if kind == "throttle" else seen.pedal_shares


def _in_range(shares: tuple[float, ...]) -> bool:
    return all(LOW <= s <= HIGH for s in shares)


def _tracks_differ(seen: Seen) -> bool | None:
    if not _in_range(seen.shares):
        return None
    return abs(seen.percents[0] - seen.percents[1]) > APART_PCT


def _pedals_differ(seen: Seen) -> bool | None:
    if not _in_range(seen.pedal_shares):
        return None
    return abs(seen.pedals[0] - seen.pedals[1]) > PEDAL_APART_PCT


def _not_followed(seen: Seen) -> bool | None:
    return None if seen.command is None else abs(seen.command - seen.position) > 8.0


def _flow_off(seen: Seen) -> bool | None:
    return None if seen.flow_ratio is None else not 0.6 < seen.flow_ratio < 1.7


def _range_monitors(tracks: int) -> tuple[Monitor, ...]:
    mode = Mode.LIMITED if tracks == 2 else Mode.NORMAL
    made = []
    for number, (low, high) in enumerate((("P0122-16", "P0123-17"), ("P0222-16", "P0223-17"))[:tracks]):
        made.append(Monitor(read_code(low), _below("throttle", number), 0.1, mode, (number,)))
        made.append(Monitor(read_code(high), _above("throttle", number), 0.1, mode, (number,)))
    return tuple(made)


def _pedal_monitors() -> tuple[Monitor, ...]:
    made = []
    for number, (low, high) in enumerate((("P2122-16", "P2123-17"), ("P2127-16", "P2128-17"))):
        made.append(Monitor(read_code(low), _below("pedal", number), 0.1, Mode.LIMITED))
        made.append(Monitor(read_code(high), _above("pedal", number), 0.1, Mode.LIMITED))
    return tuple(made)


def monitors_of(*, electronic: bool) -> tuple[Monitor, ...]:
    """All watches of a control unit for that kind of throttle."""
    common = (
        Monitor(read_code("P0642-16"), lambda s: s.supply_v < SUPPLY_V[0], 0.1, Mode.IDLE_ONLY),
        Monitor(read_code("P0643-17"), lambda s: s.supply_v > SUPPLY_V[1], 0.1, Mode.IDLE_ONLY),
        Monitor(read_code("P0068-62"), _flow_off, 2.0, at_once=False),
        Monitor(read_code("P0506"), lambda s: _idle(s, -1), 5.0, at_once=False),
        Monitor(read_code("P0507"), lambda s: _idle(s, +1), 5.0, at_once=False),
    )
    if not electronic:
        return (*_range_monitors(1), *common)
    return (
        *_range_monitors(2),
        Monitor(read_code("P2135-62"), _tracks_differ, 0.2, Mode.IDLE_ONLY),
        Monitor(read_code("P2101-77"), _not_followed, 0.6, Mode.IDLE_ONLY),
        *_pedal_monitors(),
        Monitor(read_code("P2138-62"), _pedals_differ, 0.25, Mode.LIMITED),
        *common,
    )


def _idle(seen: Seen, way: int) -> bool | None:
    return None if seen.idle_off is None else way * seen.idle_off > 200.0
