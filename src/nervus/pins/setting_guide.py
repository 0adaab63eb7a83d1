"""Setting a sensor step by step: what is asked next, what an answer makes of it. No clock, no screen."""

import re
from dataclasses import dataclass
from typing import Final

from msgspec.structs import replace

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import new_id, now
from nervus.domain.setting import Setting
from nervus.language import figures, say
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
_END: Final = re.compile(rf"^(?:ende?|slot|langloch)\s+({_NUMBER})\s*v?$", re.I)
_YES = ("y", "yes", "ok", "smooth", "good", "j", "ja", "glatt", "gut")
_NO = ("n", "no", "steps", "bad", "nein", "stufen", "schlecht")
_NOTHING: Final = "-"
_SHOWN: Final = re.compile(rf"^({_NUMBER})\s*%?$")
# What a unit shows may differ from what follows from the volts by so much, in percent: its own rounding
# and its own learned value. Source: from memory.
_PERCENT: Final = 4.0
# A supply that is off by less is the nominal one, as a meter reads it. Source: from memory.
_SUPPLY_V: Final = 0.02


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


_TURN: Final = say(
    "Loosen the screws until the sensor just turns; turn it slowly; leave them "
    "loose, then Enter. If the slot ends first, write “end 0.88” with the value "
    "that was reached."
)
_QUESTIONS: Final = (
    Question(
        "old_closed_v",
        say("The old value, throttle closed"),
        say("Key on, engine off, everything plugged in, signal to sensor ground."),
    ),
    Question(
        "old_open_v",
        say("The old value, wide open"),
        say("By hand at the cable's drum, never at a motor-driven plate; to the stop, gently."),
    ),
    Question(
        "supply_v", say("The supply, measured at the sensor"), say("Supply to sensor ground, plug on.")
    ),
    Question(
        "proof",
        say("What shows that the sensor was off, and not the plate?"),
        say("Such as “plate on its stop, cable with play, 0.28 V”. “-” for nothing: it is said then."),
        live=False,
        may_skip=True,
    ),
    Question("loose_v", say("Turn it to the window"), _TURN),
    Question(
        "closed_v",
        say("Throttle closed again, screws tight"),
        say("Tighten a little on each side in turn; it creeps while you do."),
    ),
    Question("open_v", say("Wide open again, screws tight"), say("To the stop, gently.")),
    Question(
        "shown_open",
        say("What does the unit show wide open, in percent?"),
        say("Live data, key on. “-” where nothing is connected."),
        live=False,
        may_skip=True,
    ),
    Question(
        "swept",
        say("A slow sweep: did it rise without a step back? yes or no"),
        say("Closed to wide open over five seconds and back; record it at Record where you can."),
        live=False,
    ),
)


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
            say(
                "“{strip}” is no target; accepted is such as “0.50” or “0.96 to 0.98” in volts.",
                strip=text.strip()[:30],
            )
        )
    low = _number(found[1])
    high = _number(found[2]) if found[2] is not None else low
    if found[2] is None:
        low, high = low - POINT_V, high + POINT_V
    if not 0.0 <= low <= high <= 5.5:
        raise AnswerUnusable(
            say(
                "{strip} V is no target at the closed stop; 0 to 5.5 V, the lower first.",
                strip=text.strip()[:30],
            )
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
        raise AnswerUnusable(say("Nothing is asked any more; begin a new setting for another try."))
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
            raise AnswerUnusable(say("“{told}” is neither yes nor no.", told=told[:20]))
        changed = replace(setting, swept=told.casefold() in _YES, at=now())
    else:
        found = _ONE.match(told)
        if found is None:
            raise AnswerUnusable(
                say("“{told}” is no value in volts; accepted is such as “0.52”.", told=told[:20])
            )
        changed = replace(setting, **{asked.field: _volts(found[1])}, at=now())
    return replace(changed, is_set=not still_to_do(changed, plan_setting(changed)))


def with_geometry(setting: Setting, degrees: str, radius: str) -> Setting:
    """The plate's turn and the slot's radius, each "" where it is not known.

    Raises:
        AnswerUnusable: one of them is none.
    """
    values: list[float | None] = []
    for text, most, words in (
        (degrees, 180.0, say("a turn in degrees")),
        (radius, 200.0, say("a radius in mm")),
    ):
        found = _ONE.match(text.strip())
        if text.strip() and (found is None or not 0.0 < _number(found[1]) <= most):
            raise AnswerUnusable(
                say(
                    "“{strip}” is not {words}; up to {most:g}.",
                    strip=text.strip()[:20],
                    words=words,
                    most=most,
                )
            )
        values.append(_number(found[1]) if found is not None else None)
    return replace(setting, degrees_span=values[0], slot_radius_mm=values[1])


def sentences(setting: Setting, plan: SettingPlan) -> list[str]:
    """What follows so far, in the order in which it matters."""
    told = [
        _of_the_supply(setting, plan),
        _of_wide_open(plan),
        _of_what_the_unit_shows(setting),
        _of_the_turn(plan),
        _of_the_slot(plan),
        say("Tightening moved it by {creep_v:+.2f} V.", creep_v=plan.creep_v) if plan.creep_v else "",
    ]
    if setting.closed_v is not None and not plan.inside:
        told.append(say("It crept out of the window: loosen, allow for the creep, tighten again."))
    if setting.proof == _NOTHING:
        told.append(say("The sensor was never proven wrong; that is kept with the setting."))
    if setting.swept is False:
        told.append(say("A sensor that steps back in a sweep is not mended by setting it."))
    return [sentence for sentence in told if sentence]


def _of_the_supply(setting: Setting, plan: SettingPlan) -> str:
    supply = setting.supply_v
    if supply is None or abs(supply - setting.nominal_v) <= _SUPPLY_V:
        return ""
    return say(
        "The supply is {supply:.2f} V: the window is {low_v:.2f} to {high_v:.2f} V here.",
        supply=supply,
        low_v=plan.low_v,
        high_v=plan.high_v,
    )


def _of_wide_open(plan: SettingPlan) -> str:
    if plan.open_v is None:
        return ""
    usual = say("{low:.0f} to {high:.0f}", low=USUAL_OPEN_PCT[0], high=USUAL_OPEN_PCT[1])
    fits = {
        True: say("within the limits"),
        False: say("outside the limits"),
        None: say("no limits known"),
    }
    return say(
        "Wide open will read {open_v:.2f} V ({fits}): turning moves both ends alike. "
        "The unit will show about {percent_open:.0f} %; {usual} % is usual.",
        open_v=plan.open_v,
        fits=fits[plan.open_fits],
        percent_open=plan.percent_open,
        usual=usual,
    )


def _of_what_the_unit_shows(setting: Setting) -> str:
    if setting.shown_open in ("", _NOTHING) or setting.closed_v is None:
        return ""
    supply = setting.supply_v or setting.nominal_v
    should = relative_percent(setting.open_v or 0.0, setting.closed_v, supply)
    as_said = (
        say("as predicted")
        if abs(float(setting.shown_open) - should) <= _PERCENT
        else say("look whether it learned the closed stop anew")
    )
    return say(
        "The unit shows {shown_open} %, {should:.0f} % was to be expected: {as_said}.",
        shown_open=setting.shown_open,
        should=should,
        as_said=as_said,
    )


def _of_the_turn(plan: SettingPlan) -> str:
    if plan.turn_deg is None or plan.inside or plan.short_v:
        return ""
    return say(
        "Turn it by {abs:.1f}° so that the value {value} ({volts_per_degree:.3f} V a degree).",
        abs=abs(plan.turn_deg),
        value=say("rises") if plan.turn_deg > 0 else say("falls"),
        volts_per_degree=plan.volts_per_degree,
    )


def _of_the_slot(plan: SettingPlan) -> str:
    if plan.short_v <= 0.0:
        return ""
    far = figures(", {short_deg:.1f}°", short_deg=plan.short_deg) if plan.short_deg is not None else ""
    if plan.short_mm is not None:
        far += say(" or {short_mm:.1f} mm of slot", short_mm=plan.short_mm)
    return say(
        "The slot ends {short_v:.2f} V short{far}. Drilling it longer voids what the "
        "maker allows; look whether the plate is on its stop, and whether it is the "
        "right sensor.",
        short_v=plan.short_v,
        far=far,
    )


def _percent(text: str) -> str:
    if text in ("", _NOTHING):
        return _NOTHING
    found = _SHOWN.match(text)
    if found is None or not -10.0 <= _number(found[1]) <= 110.0:
        raise AnswerUnusable(
            say("“{text}” is no percent; accepted is such as “76”, or “-” for none.", text=text[:20])
        )
    return figures("{number:g}", number=_number(found[1]))


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _volts(text: str) -> float:
    value = _number(text)
    if not -0.5 <= value <= 16.0:
        raise AnswerUnusable(
            say("{value:g} V can't be at this sensor; between 0 and 16 V.", value=value)
        )
    return value
