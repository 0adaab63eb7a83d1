"""Setting a sensor step by step: what is asked next, what an answer makes of it. No clock, no screen."""

import re
from dataclasses import dataclass
from typing import Final

from msgspec.structs import replace

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import new_id, now
from nervus.domain.setting import Setting
from nervus.pins.setting import (
    USUAL_OPEN_PCT,
    SettingPlan,
    plan_setting,
    relative_percent,
    still_to_do,
)

# A single target is taken with so much to either side: a sensor by hand is set no closer.
# Source: from memory.
POINT_V: Final = 0.01
_NUMBER: Final = r"[-+]?\d+(?:[.,]\d*)?|[-+]?[.,]\d+"
_WINDOW: Final = re.compile(rf"^({_NUMBER})(?:\s*(?:-|–|to|…|\s)\s*({_NUMBER}))?\s*v?$", re.I)  # noqa: RUF001
_ONE: Final = re.compile(rf"^({_NUMBER})\s*(?:v|mm|deg|°)?$", re.I)
_END: Final = re.compile(rf"^(?:end|slot)\s+({_NUMBER})\s*v?$", re.I)
_YES, _NO = ("y", "yes", "ok", "smooth", "good"), ("n", "no", "steps", "bad")
_NOTHING: Final = "-"
_SHOWN: Final = re.compile(rf"^({_NUMBER})\s*%?$")
# What a unit shows may differ from what follows from the volts by so much, in percent: its own rounding
# and its own learned value. Source: from memory.
_PERCENT: Final = 4.0


@dataclass(frozen=True, slots=True)
class Question:
    """One step: which field it fills, what is asked, how it is done, and the caution at it.

    Attributes:
        field: of `Setting`.
        text: what is asked.
        how: what to do for it.
        live: whether the meter's value now is an answer.
        may_skip: whether “-” leaves it open.
    """

    field: str
    text: str
    how: str
    live: bool = True
    may_skip: bool = False


_TURN: Final = (
    "Loosen the screws until the sensor just turns; turn it slowly; leave them loose, then Enter. If "
    "the slot ends first, write “end 0.88” with the value that was reached."
)
_QUESTIONS: Final = (
    Question("old_closed_v", "The old value, throttle closed",
             "Key on, engine off, everything plugged in, signal to sensor ground."),
    Question("old_open_v", "The old value, wide open",
             "By hand at the cable's drum, never at a motor-driven plate; to the stop, gently."),
    Question("supply_v", "The supply, measured at the sensor", "Supply to sensor ground, plug on."),
    Question("proof", "What shows that the sensor was off, and not the plate?",
             "Such as “plate on its stop, cable with play, 0.28 V”. “-” for nothing: it is said then.",
             live=False, may_skip=True),
    Question("loose_v", "Turn it to the window", _TURN),
    Question("closed_v", "Throttle closed again, screws tight",
             "Tighten a little on each side in turn; it creeps while you do."),
    Question("open_v", "Wide open again, screws tight", "To the stop, gently."),
    Question("shown_open", "What does the unit show wide open, in percent?",
             "Live data, key on. “-” where nothing is connected.", live=False, may_skip=True),
    Question("swept", "A slow sweep: did it rise without a step back? yes or no",
             "Closed to wide open over five seconds and back; record it at Record where you can.",
             live=False),
)  # fmt: skip


class AnswerUnusable(OutsideError):
    """What was typed is no answer to the step."""


def read_window(text: str) -> tuple[float, float]:
    """A target as it is typed: `0.50`, `0.96-0.98`, `0.96 to 0.98 V`.

    Raises:
        AnswerUnusable: it is none.
    """
    found = _WINDOW.match(text.strip())
    if found is None:
        raise AnswerUnusable(
            f"“{text.strip()[:30]}” is no target; accepted is such as “0.50” or “0.96 to 0.98” in volts."
        )
    low = _number(found[1])
    high = _number(found[2]) if found[2] is not None else low
    if found[2] is None:
        low, high = low - POINT_V, high + POINT_V
    if not 0.0 <= low <= high <= 5.5:
        raise AnswerUnusable(
            f"{text.strip()[:30]} V is no target at the closed stop; 0 to 5.5 V, the lower first."
        )
    return round(low, 4), round(high, 4)


def begin_setting(window: tuple[float, float], nominal_v: float = 5.0) -> Setting:
    """A setting of which only the target is known."""
    return Setting(id=new_id(), at=now(), source=Source.TYPED, target_v=window, nominal_v=nominal_v)


def question(setting: Setting) -> Question | None:
    """What is asked next; `None` when all was answered, or the slot ended short."""
    plan = plan_setting(setting)
    if plan.short_v > 0.0:
        return None
    if setting.closed_v is not None and not plan.inside:
        return next(q for q in _QUESTIONS if q.field == "closed_v")
    for one in _QUESTIONS:
        value = getattr(setting, one.field)
        if value is None or value == "":
            return one
    return None


def answered(setting: Setting, text: str) -> Setting:
    """The setting with the next question answered; it is set once nothing is left to ask.

    Raises:
        AnswerUnusable: the text is no answer; the setting stays as it was.
    """
    asked = question(setting)
    if asked is None:
        raise AnswerUnusable("Nothing is asked any more; begin a new setting for another try.")
    told = text.strip()
    end = _END.match(told)
    if end is not None and asked.field == "loose_v":
        changed = replace(setting, reached_v=_volts(end[1]), at=now())
    elif asked.field == "proof":
        changed = replace(setting, proof=told or _NOTHING, at=now())
    elif asked.field == "shown_open":
        changed = replace(setting, shown_open=_percent(told), at=now())
    elif asked.field == "swept":
        if told.casefold() not in _YES + _NO:
            raise AnswerUnusable(f"“{told[:20]}” is neither yes nor no.")
        changed = replace(setting, swept=told.casefold() in _YES, at=now())
    else:
        found = _ONE.match(told)
        if found is None:
            raise AnswerUnusable(f"“{told[:20]}” is no value in volts; accepted is such as “0.52”.")
        changed = replace(setting, **{asked.field: _volts(found[1])}, at=now())
    return replace(changed, is_set=not still_to_do(changed, plan_setting(changed)))


def with_geometry(setting: Setting, degrees: str, radius: str) -> Setting:
    """The plate's turn and the slot's radius, each "" where it is not known.

    Raises:
        AnswerUnusable: one of them is none.
    """
    values: list[float | None] = []
    for text, most, words in ((degrees, 180.0, "a turn in degrees"), (radius, 200.0, "a radius in mm")):
        found = _ONE.match(text.strip())
        if text.strip() and (found is None or not 0.0 < _number(found[1]) <= most):
            raise AnswerUnusable(f"“{text.strip()[:20]}” is not {words}; up to {most:g}.")
        values.append(_number(found[1]) if found is not None else None)
    return replace(setting, degrees_span=values[0], slot_radius_mm=values[1])


def sentences(setting: Setting, plan: SettingPlan) -> list[str]:
    """What follows so far, in the order in which it matters."""
    told = []
    supply = setting.supply_v
    if supply is not None and abs(supply - setting.nominal_v) > 0.02:
        told.append(
            f"The supply is {supply:.2f} V: the window is {plan.low_v:.2f} to {plan.high_v:.2f} V here."
        )
    if plan.open_v is not None:
        usual = " to ".join(f"{p:.0f}" for p in USUAL_OPEN_PCT)
        fits = {True: "within the limits", False: "outside the limits", None: "no limits known"}
        told.append(
            f"Wide open will read {plan.open_v:.2f} V ({fits[plan.open_fits]}): turning moves both ends "
            f"alike. The unit will show about {plan.percent_open:.0f} %; {usual} % is usual."
        )
    if setting.shown_open not in ("", _NOTHING) and setting.closed_v is not None:
        supply = setting.supply_v or setting.nominal_v
        should = relative_percent(setting.open_v or 0.0, setting.closed_v, supply)
        away = float(setting.shown_open) - should
        as_said = (
            "as predicted" if abs(away) <= _PERCENT else "look whether it learned the closed stop anew"
        )
        told.append(
            f"The unit shows {setting.shown_open} %, {should:.0f} % was to be expected: {as_said}."
        )
    if plan.turn_deg is not None and not plan.inside and not plan.short_v:
        told.append(
            f"Turn it by {abs(plan.turn_deg):.1f}° so that the value "
            f"{'rises' if plan.turn_deg > 0 else 'falls'} ({plan.volts_per_degree:.3f} V a degree)."
        )
    if plan.short_v > 0.0:
        far = f", {plan.short_deg:.1f}°" if plan.short_deg is not None else ""
        far += f" or {plan.short_mm:.1f} mm of slot" if plan.short_mm is not None else ""
        told.append(
            f"The slot ends {plan.short_v:.2f} V short{far}. Drilling it longer voids what the maker "
            "allows; look whether the plate is on its stop, and whether it is the right sensor."
        )
    if plan.creep_v:
        told.append(f"Tightening moved it by {plan.creep_v:+.2f} V.")
    if setting.closed_v is not None and not plan.inside:
        told.append("It crept out of the window: loosen, allow for the creep, tighten again.")
    if setting.proof == _NOTHING:
        told.append("The sensor was never proven wrong; that is kept with the setting.")
    if setting.swept is False:
        told.append("A sensor that steps back in a sweep is not mended by setting it.")
    return told


def _percent(text: str) -> str:
    if text in ("", _NOTHING):
        return _NOTHING
    found = _SHOWN.match(text)
    if found is None or not -10.0 <= _number(found[1]) <= 110.0:
        raise AnswerUnusable(f"“{text[:20]}” is no percent; accepted is such as “76”, or “-” for none.")
    return f"{_number(found[1]):g}"


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _volts(text: str) -> float:
    value = _number(text)
    if not -0.5 <= value <= 16.0:
        raise AnswerUnusable(f"{value:g} V can't be at this sensor; between 0 and 16 V.")
    return value
