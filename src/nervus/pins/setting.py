"""Setting an adjustable sensor: both ends, degrees, the slot's reach, and what the unit will show.

A sensor that is turned on its shaft shifts its reading at every angle alike: the span stays. Volts are
judged as a share of the supply, since the sensor divides it. "From memory" where nothing is named.
"""

import math
from dataclasses import dataclass
from typing import Final

from nervus.domain.profile import TrackProfile
from nervus.domain.setting import Setting
from nervus.language import say

# How far a plate turns from stop to stop where nobody measured it. Source: "from memory: 80 to 86".
PLATE_DEG: Final = 83.0
# What the unit calls wide open, of the supply above the learned closed value: usual shares.
# Source: common practice, no published source: "wide open often reads 70 to 85 %".
USUAL_OPEN_PCT: Final = (70.0, 85.0)
# Creep below this is the meter's: it is told, not blamed.
_CREEP_V: Final = 0.005


@dataclass(frozen=True, slots=True)
class SettingPlan:
    """What follows from a setting before a screw is turned, and while it is done.

    Attributes:
        low_v, high_v: the window at the supply that is there.
        open_v: wide open after the closed stop is brought to the middle of the window; `None` before
            both old ends are known.
        open_fits: whether that is within the profile's limits.
        volts_per_degree: from the span and the plate's turn.
        turn_deg: how far the sensor has to be turned, positive where volts rise.
        percent_open: what the unit will show wide open, by its relative position.
        short_v, short_deg, short_mm: by how much the slot ends before the window; 0 where it does not.
        creep_v: by how much tightening moved it; `None` before it was tightened.
        inside: whether the last value at the closed stop is in the window.
    """

    low_v: float
    high_v: float
    open_v: float | None
    open_fits: bool | None
    volts_per_degree: float | None
    turn_deg: float | None
    percent_open: float | None
    short_v: float
    short_deg: float | None
    short_mm: float | None
    creep_v: float | None
    inside: bool | None


def plan_setting(
    setting: Setting, track: TrackProfile | None = None, nominal_v: float = 5.0
) -> SettingPlan:
    """What a setting comes to.

    Args:
        setting: as far as it is known.
        track: the profile's limits at the stops, at `nominal_v`.
        nominal_v: the supply that the profile's volts are meant for.
    """
    supply = setting.supply_v or setting.nominal_v
    low, high = (v * supply / setting.nominal_v for v in setting.target_v)
    goal = (low + high) / 2.0
    span = _span(setting)
    degrees = setting.degrees_span or PLATE_DEG
    per_degree = abs(span) / degrees if span else None
    now = _latest(setting)
    open_v = goal + span if span is not None else None
    limits = track.open_window_v if track is not None else None
    fits = (
        limits[0] * supply / nominal_v <= open_v <= limits[1] * supply / nominal_v
        if open_v is not None and limits is not None
        else None
    )
    short = max(0.0, low - setting.reached_v) if setting.reached_v is not None else 0.0
    short_deg = short / per_degree if short and per_degree else None
    radius = setting.slot_radius_mm
    return SettingPlan(
        low,
        high,
        open_v,
        fits,
        per_degree,
        (goal - now) / per_degree if per_degree and now is not None else None,
        relative_percent(open_v, goal, supply) if open_v is not None else None,
        short,
        short_deg,
        arc_mm(short_deg, radius) if short_deg is not None and radius is not None else None,
        _creep(setting),
        low <= now <= high if now is not None else None,
    )


def _span(setting: Setting) -> float | None:
    if setting.old_open_v is None or setting.old_closed_v is None:
        return None
    return setting.old_open_v - setting.old_closed_v


def _latest(setting: Setting) -> float | None:
    rows = (setting.closed_v, setting.loose_v, setting.reached_v, setting.old_closed_v)
    return next((v for v in rows if v is not None), None)


def _creep(setting: Setting) -> float | None:
    if setting.closed_v is None or setting.loose_v is None:
        return None
    creep = setting.closed_v - setting.loose_v
    return creep if abs(creep) >= _CREEP_V else 0.0


def relative_percent(volts: float, learned_v: float, supply_v: float) -> float:
    """The throttle's position as a control unit tells it: above the learned closed value.

    Source: SAE J1979 / ISO 15031-5, parameter 45 (relative throttle position): with 5 V and a learned
    1 V a throttle at 5 V shows 80 %, since what lies below the closed value is taken off.
    """
    return 100.0 * (volts - learned_v) / supply_v


def arc_mm(degrees: float, radius_mm: float) -> float:
    """The way of a point at a radius (arc length, textbook)."""
    return math.radians(degrees) * radius_mm


def still_to_do(setting: Setting, plan: SettingPlan) -> tuple[str, ...]:
    """What is asked for before it counts as set, in order; empty when nothing is left."""
    steps = (
        (setting.old_closed_v is None, say("the old value at the closed stop")),
        (setting.old_open_v is None, say("the old value wide open")),
        (setting.supply_v is None, say("the supply, measured")),
        (plan.short_v > 0.0, say("a slot that reaches the window, or another sensor")),
        (setting.loose_v is None, say("the value at the closed stop, screws loose")),
        (setting.closed_v is None, say("the closed stop again, screws tight")),
        (setting.closed_v is not None and not plan.inside, say("the window, after tightening")),
        (setting.open_v is None, say("wide open again, screws tight")),
        (setting.swept is None, say("a slow sweep, screws tight")),
        (setting.swept is False, say("a sweep without a step back")),
    )
    return tuple(words for wanted, words in steps if wanted)
